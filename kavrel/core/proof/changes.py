"""What could be changed first: each change as another plan, with its money and hours of work.

A new kind of change is a function here and a line in `CHANGES`. Money is in minor units.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any

from kavrel.core.bench.power import falls
from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.carrier import watchers
from kavrel.core.copies.keys import key_of
from kavrel.core.edit import fresh_id
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS, snapped
from kavrel.core.log.tried import still_tried
from kavrel.core.plan import (
    Dataset,
    Disk,
    Host,
    Job,
    LogEntry,
    Offer,
    Plan,
    Retention,
    Schedule,
    Supply,
)


@dataclass(frozen=True)
class Candidate:
    """A change: in words, on which sheet it is made, what it costs, and the plan with it."""

    what: str
    sheet: str
    money_minor: int
    hours: float
    plan: Plan


Seen = tuple[Index, CopyBook, date]
FED = ("hosts", "signals")  # of a UPS


def _jobs(plan: Plan, changed: dict[str, dict[str, Any]]) -> Plan:
    jobs = tuple(j.model_copy(update=changed.get(j.id, {})) for j in plan.jobs)
    return plan.model_copy(update={"jobs": jobs})


def _with_jobs(plan: Plan, *jobs: Job) -> Plan:
    return plan.model_copy(update={"jobs": (*plan.jobs, *jobs)})


def _copies(plan: Plan) -> list[Job]:
    return [j for j in plan.jobs if KINDS[j.kind].copies]


def alarms(seen: Seen) -> Iterator[Candidate]:
    """Somebody is told when nothing arrives."""
    index, book, _ = seen
    plan = index.plan
    deaf = [
        j
        for j in _copies(plan)
        if j.alarm_days is None
        and not (KINDS[j.kind].in_place or KINDS[j.kind].by_hand)
        and watchers(index, j.model_copy(update={"alarm_days": 1.0}))
    ]
    if deaf:
        days = {j.id: {"alarm_days": max(2.0, 2 * book.mean_interval_days(j))} for j in deaf}
        names = ", ".join(j.name for j in deaf[:3]) + (" ..." if len(deaf) > 3 else "")
        what = f"an alarm when nothing arrives: {names}"
        yield Candidate(what, "copies", 0, 0.5 + 0.25 * len(deaf), _jobs(plan, days))


def restore_tests(seen: Seen) -> Iterator[Candidate]:
    """One restore from each copy that was never tried."""
    index, _, today = seen
    plan = index.plan
    untried = [
        j
        for j in _copies(plan)
        if not KINDS[j.kind].in_place and not still_tried(index, j, None, today)
    ]
    if untried:
        entries = tuple(
            LogEntry(id=f"try-{n}", on=today, kind="restore_test", about_kind="job", about=j.id)
            for n, j in enumerate(untried)
        )
        tried = plan.model_copy(update={"log": (*plan.log, *entries)})
        each = index.assumptions["restore_test_minutes"] / 60
        what = f"try one restore from each of {len(untried)} copies that were never tried"
        yield Candidate(what, "log", 0, 0.5 + each * len(untried), tried)


def pulls(seen: Seen) -> Iterator[Candidate]:
    """The far box pulls, so that the source cannot delete what it has sent."""
    index, book, _ = seen
    for job in _copies(index.plan):
        target, source = book.place(job).host(index), book.source(job).host(index)
        if job.target_pool and target != source and job.credentials in ("source", "everyday"):
            what = f"{job.name}: let {index.hosts[target or ''].name} pull, so that the source cannot delete it"
            plan = _jobs(index.plan, {job.id: {"credentials": "target"}})
            yield Candidate(what, "copies", 0, 1.5, plan)


def keys(seen: Seen) -> Iterator[Candidate]:
    """A key is kept at one more place."""
    index, book, _ = seen
    for job in _copies(index.plan):
        key = key_of(index, job)
        if not key or not key.in_one_place:
            continue
        home = book.source(job).site(index)
        kept = set(job.key_kept_at)
        # Beside its ciphertext a key opens it to whoever has that place.
        beside = book.place(job).site(index)
        others = [s for s in index.plan.sites if s.id not in kept and s.id != beside]
        if others:
            place = next((s for s in others if s.id != home), others[0])
            plan = _jobs(index.plan, {job.id: {"key_kept_at": (*job.key_kept_at, place.id)}})
            what = f"keep the key of {job.name} at {place.name} too, in a sealed envelope"
            yield Candidate(what, "copies", 0, 0.5, plan)


def longer(seen: Seen) -> Iterator[Candidate]:
    """Versions reach back a year, thinly."""
    index, _, _ = seen
    offers = [o.price_minor / (o.capacity_bytes / 1e12) for o in index.plan.offers]
    for job in _copies(index.plan):
        worth = {index.datasets[d].worth for d in job.datasets}
        if (
            not KINDS[job.kind].versions
            or "irreplaceable" not in worth
            or job.retention.monthly >= 12
        ):
            continue
        if KINDS[job.kind].trash or job.retention.all_days >= 365:
            continue
        kept = job.retention.model_copy(update={"monthly": 12})
        plan = _jobs(index.plan, {job.id: {"retention": kept}})
        more = sum(index.datasets[d].change_bytes_per_day for d in job.datasets) * 180
        money = int(more / 1e12 * min(offers, default=0.0))
        yield Candidate(f"{job.name}: keep 12 monthly points too", "copies", money, 0.2, plan)


def snapshots(seen: Seen) -> Iterator[Candidate]:
    """Snapshots where there are none."""
    index, _, _ = seen
    plan = index.plan
    kept_there = snapped(index)
    for pool in plan.pools:
        if not FILESYSTEMS[pool.filesystem].snapshots:
            continue
        bare = [
            d
            for d in plan.datasets
            if d.pool == pool.id and d.id not in kept_there and not d.throw_away
        ]
        if bare:
            job = Job(
                id=fresh_id(plan, "jobs"),
                name=f"{pool.name} snapshots, new",
                kind="snapshot",
                datasets=tuple(d.id for d in bare[:100]),
                schedule=Schedule(kind="daily", at="00:05"),
                retention=Retention(daily=35, monthly=12),
            )
            names = ", ".join(d.name for d in bare[:3]) + (" ..." if len(bare) > 3 else "")
            yield Candidate(f"daily snapshots of {names}", "copies", 0, 0.3, _with_jobs(plan, job))


def copy_elsewhere(seen: Seen) -> Iterator[Candidate]:
    """A first copy at another site, on the pool there that has the most room."""
    index, book, _ = seen
    plan = index.plan
    for dataset in plan.datasets:
        if not index.lost_for_good(dataset):
            continue
        home = index.site_of_pool(dataset.pool)
        away = [c for c in book.copies[dataset.id] if c.place.site(index) not in (home, None)]
        if away:
            continue
        yield from _sent_away(index, book, dataset, home)


def _key_places(index: Index, home: str, beside: str) -> tuple[str, ...]:
    """Two places for a key, never the one where the ciphertext lies."""
    elsewhere = [s.id for s in index.plan.sites if s.id not in (home, beside)]
    return (home, *elsewhere[:1])


def _sent_away(index: Index, book: CopyBook, dataset: Dataset, home: str) -> Iterator[Candidate]:
    plan = index.plan
    room = {
        p.id: book.states[p.id].layout.usable_bytes - book.used_bytes(p.id)
        for p in plan.pools
        if index.site_of_pool(p.id) != home and index.link(home, index.site_of_pool(p.id))
    }
    best = max(room, key=lambda p: room[p], default=None)
    if best is not None and room[best] > dataset.size_bytes * 1.2:
        own = index.sites[index.site_of_pool(best)].own
        job = Job(
            id=fresh_id(plan, "jobs"),
            name=f"{dataset.name} to {index.pools[best].name}, new",
            kind="backup",
            datasets=(dataset.id,),
            target_pool=best,
            schedule=Schedule(kind="daily", at="02:30"),
            retention=Retention(daily=14, weekly=8, monthly=12),
            credentials="target",
            encrypted=not own,
            key_kept_at=_key_places(index, home, index.site_of_pool(best)) if not own else (),
            alarm_days=3.0,
        )
        what = f"a nightly backup of {dataset.name} to {index.pools[best].name}, pulled from there"
        yield Candidate(what, "copies", 0, 2.0, _with_jobs(plan, job))
        return
    fitting = [o for o in plan.offers if o.capacity_bytes > dataset.size_bytes * 1.1]
    others = [s for s in plan.sites if s.id != home]
    if not others and not [c for c in book.copies[dataset.id] if c.place.pool != dataset.pool]:
        # The same fire takes it, but a second copy anywhere is what such a lab lacks most.
        others = [index.sites[home]]
    if fitting and others:
        offer = min(fitting, key=lambda o: o.price_minor)
        disk = _bought(plan, offer, f"new {offer.label}", others[0].id)
        job = Job(
            id=fresh_id(plan, "jobs"),
            name=f"{dataset.name} on a shelf, new",
            kind="shelf",
            datasets=(dataset.id,),
            target_disk=disk.id,
            schedule=Schedule(kind="monthly", every=3, day=1, at="10:00"),
            retention=Retention(last=1),
            credentials="hand",
        )
        with_disk = plan.model_copy(update={"disks": (*plan.disks, disk)})
        what = f"a disk with {dataset.name} on the shelf at {others[0].name}, every three months"
        yield Candidate(what, "copies", offer.price_minor, 6.0, _with_jobs(with_disk, job))


def _bought(plan: Plan, offer: Offer, label: str, shelf: str) -> Disk:
    """A disk of the price list, on a shelf."""
    return Disk(
        id=fresh_id(plan, "disks"),
        label=label,
        capacity_bytes=offer.capacity_bytes,
        kind=offer.kind,
        form=offer.form,
        price_minor=offer.price_minor,
        shelf=shelf,
    )


def spare(seen: Seen) -> Iterator[Candidate]:
    """A disk on the shelf that fits a pool."""
    index, _, _ = seen
    plan = index.plan
    for pool in plan.pools:
        need = min(index.data_bytes(d) for d in pool.disks)
        form = index.disks[pool.disks[0]].form
        have = any(d.capacity_bytes >= need and d.form == form for d in index.idle_disks)
        fitting = [o for o in plan.offers if o.capacity_bytes >= need and o.form == form]
        if have or not fitting or len(pool.disks) < 2:
            continue
        offer = min(fitting, key=lambda o: o.price_minor)
        disk = _bought(plan, offer, f"spare for {pool.name}", index.site_of_pool(pool.id))
        with_disk = plan.model_copy(update={"disks": (*plan.disks, disk)})
        what = f"a spare {offer.label} on the shelf for {pool.name}"
        yield Candidate(what, "bench", offer.price_minor, 0.5, with_disk)


def shelf_away(seen: Seen) -> Iterator[Candidate]:
    """A shelf disk stands at another site than what it is a copy of."""
    index, _, _ = seen
    plan = index.plan
    for job in plan.jobs:
        disk = index.disks.get(job.target_disk or "")
        if disk is None or disk.shelf is None:
            continue
        home = index.site_of_pool(index.datasets[job.datasets[0]].pool)
        others = [s for s in plan.sites if s.id != home]
        if disk.shelf == home and others:
            moved = tuple(
                d.model_copy(update={"shelf": others[0].id}) if d.id == disk.id else d
                for d in plan.disks
            )
            what = f"keep disk {disk.label} at {others[0].name} instead of beside the box"
            travel = index.assumptions["travel_hours"]
            yield Candidate(what, "bench", 0, travel, plan.model_copy(update={"disks": moved}))


def ups(seen: Seen) -> Iterator[Candidate]:
    """A UPS where a cut spoils what is being written."""
    index, _, _ = seen
    plan = index.plan
    for host in plan.hosts:
        frail = any(
            p.host == host.id and not FILESYSTEMS[p.filesystem].copy_on_write for p in plan.pools
        )
        if frail and (host.id not in index.on_ups or host.id in falls(plan)):
            money = int(index.assumptions["ups_money"] * index.minor_units)
            what = f"a UPS for {host.name}"
            yield Candidate(what, "bench", money, 1.5, _on_its_own_ups(plan, host))


def _on_its_own_ups(plan: Plan, host: Host) -> Plan:
    """Where the plan has a UPS of its own it knows what each one feeds: a new one, for this host alone."""
    if not plan.supplies:
        hosts = tuple(h.model_copy(update={"on_ups": h.on_ups or h is host}) for h in plan.hosts)
        return plan.model_copy(update={"hosts": hosts})
    others = tuple(
        s.model_copy(update={k: tuple(h for h in getattr(s, k) if h != host.id) for k in FED})
        for s in plan.supplies
    )
    fed = dict.fromkeys(FED, (host.id,))
    # Of the size that the money of the assumption buys: it carries one box, and its shutdown.
    new = Supply(
        id=fresh_id(plan, "supplies"), name=f"UPS of {host.name}", site=host.site,
        va=1500.0, watts=900.0, battery_wh=400.0, **fed,
    )  # fmt: skip
    return plan.model_copy(update={"supplies": (*others, new)})


CHANGES: tuple[Callable[[Seen], Iterator[Candidate]], ...] = (
    alarms,
    restore_tests,
    pulls,
    keys,
    longer,
    snapshots,
    copy_elsewhere,
    spare,
    shelf_away,
    ups,
)


def candidates(index: Index, book: CopyBook, today: date) -> list[Candidate]:
    """Everything that could be changed."""
    return [c for change in CHANGES for c in change((index, book, today))]
