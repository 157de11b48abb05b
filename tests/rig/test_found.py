"""Boxes of the rig looked at by the real lab-look: what is read is what the works make, and what is there.

Each listing is written by the stand-ins from the tools' documented formats; the readers of them were made
from real runs (tests/outside/test_look_whole.py), so neither is made to fit the other.
"""

import json
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta

import pytest

from kavrel.core.consistency import problems
from kavrel.core.evaluate import evaluate
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Plan, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.proof.proof import prove_found
from kavrel.core.seen.drift import drift
from kavrel.core.seen.machine import Machine
from kavrel.core.seen.points import Finder
from kavrel.core.shares.access import access_matrix
from kavrel.core.week.nights import scheduled_book
from kavrel.formats.looks.read import read_look
from kavrel.rig.days import Days
from kavrel.rig.lab import CannotBuild
from kavrel.rig.live import rig
from kavrel.rig.looking import look
from kavrel.rig.said import FINE
from tests.builders import disk, job, lab
from tests.rig.labs import drawn, wide
from tests.seeds import some

BEGAN = datetime(2026, 11, 24, tzinfo=UTC)
SHAPES = ((1,), (2,), (3,), (4,), (2, 2), (3, 3), (4, 4))


def seen(days: Days, host: str = "box") -> Machine:
    reading = read_look(look(days, host), 0)
    assert [h for h in reading.heard if h.not_understood] == []
    return reading.machine


def differences(days: Days, host: str = "box") -> list[tuple[str, str, bool]]:
    found = drift(days.lab.index, host, seen(days, host))
    return [(d.collection, d.field, d.urgent) for d in found.differences]


def made(family: str, system: str, encrypted: bool, shape: tuple[int, ...]) -> Plan:
    """A box with one pool of this layout; every disk with its serial."""
    ids, groups = iter(range(1, 20)), []
    for width in shape:
        groups.append(tuple(f"box{next(ids)}" for _ in range(width)))
    plain = lab()
    first, second = plain.pools
    more = {"family": family, "filesystem": system, "encrypted": encrypted, "groups": tuple(groups)}
    disks = [disk(n, "box", serial=f"SN-{n}") for n in range(1, sum(shape) + 2)]
    disks += [disk(n, "far", serial=f"FN-{n}") for n in (1, 2)]
    hosts = tuple(h.model_copy(update={"bays_35": 12}) for h in plain.hosts)
    pools = (first.model_copy(update=more), second)
    return plain.model_copy(update={"hosts": hosts, "disks": tuple(disks), "pools": pools})


def layouts() -> Iterator[tuple[str, str, bool, Plan]]:
    """Each family with each file system that takes it, locked and open, in its smallest shape."""
    for family in FAMILIES:
        for system in FILESYSTEMS:
            for encrypted in (False, True):
                for shape in SHAPES:
                    plan = made(family, system, encrypted, shape)
                    if not problems(plan):
                        yield family, system, encrypted, plan
                        break


def test_every_layout_is_seen_as_it_was_planned() -> None:
    looked = set()
    for family, system, _, plan in layouts():
        try:
            with rig(plan, BEGAN) as days:
                assert differences(days) == [], (family, system)
                looked.add((family, system))
        except CannotBuild:
            continue
    assert {f for f, _ in looked} >= {"raidz2", "raid60", "slices2", "copies3", "span", "single"}
    assert len(looked) >= 35


@pytest.mark.parametrize(
    ("family", "system", "shape"),
    [
        ("raidz1", "zfs", (3,)),
        ("raid6", "ext4", (4,)),
        ("raid50", "xfs", (3, 3)),
        ("copies2", "btrfs", (2,)),
        ("slices1", "ext4", (3,)),
        ("raid5", "btrfs", (3,)),
    ],
)
@pytest.mark.parametrize("encrypted", [False, True])
def test_a_disk_that_died_is_seen_by_every_tool(
    family: str, system: str, shape: tuple[int, ...], encrypted: bool
) -> None:
    plan = made(family, system, encrypted, shape)
    if problems(plan):
        pytest.skip("no such layout")
    with rig(plan, BEGAN) as days:
        days.lab.drives["box2"].alive = False
        days.lab.changed()
        found = differences(days)
    assert ("disks", "disk", True) in found
    assert ("pools", "state", True) in found


@pytest.mark.parametrize(("family", "system"), [("mirror", "zfs"), ("copies2", "btrfs")])
def test_a_disk_whose_plug_sits_badly_stands_out_in_a_pool_that_is_well(
    family: str, system: str
) -> None:
    plan = made(family, system, False, (2,))
    with rig(plan, BEGAN) as days:
        before = differences(days)
        days.lab.drives["box2"].garbled = 134
        (more,) = set(differences(days)) - set(before)
        assert more == ("disks", "errors", True)
        (pool,) = (p for p in seen(days).pools if p.counted)
        assert (pool.state, pool.counted[0].errors) == ("online", "134 checksum")


def test_a_pool_that_waits_for_its_passphrase_is_missing_until_it_is_opened() -> None:
    plan = made("raid5", "ext4", True, (3,))
    with rig(plan, BEGAN) as days:
        box = days.lab.boxes["box"]
        days.lab.restarted(box)
        assert ("pools", "pool", True) in differences(days)
        for store in box.stores.values():
            store.locked = False
        assert differences(days) == []


def test_what_is_switched_off_is_missing_and_the_script_keeps_its_files_to_itself() -> None:
    plan = lab(jobs=(job("far", "replication", target_pool="second", credentials="target"),))
    with rig(plan, BEGAN) as days:
        days.until(days.lab.now + 2 * 86_400)
        document = json.loads(look(days, "far"))
        assert {"run", "crontab", "lab-job-points"} <= {r["listing"] for r in document["listings"]}
        assert not (days.lab.boxes["far"].folder / "look").exists()
        days.lab.boxes["far"].disabled.add("far")
        found = drift(days.lab.index, "far", seen(days, "far")).differences
    assert [(d.about, d.field, d.seen) for d in found if d.collection == "jobs"] == [
        ("far", "start", "no timer and no crontab starts it")
    ]


def test_a_script_that_ends_well_and_copies_nothing_is_found_out() -> None:
    """Its runs are good by all that is logged; only where its points lie does it show."""
    plan = lab(jobs=(job("far", "backup", target_pool="second", alarm_days=2.0),))
    with rig(plan, BEGAN) as days:
        lab_ = days.lab
        days.until(lab_.now + 3.5 * 86_400)
        for box in lab_.boxes.values():
            for path in box.own:
                if not path.endswith((".newest", ".points")):
                    box.own[path] = lambda box, words, stdin: FINE
        assert lab_.mail == []
        days.until(lab_.now + 4 * 86_400)
        assert days.told["far"].ended["failed"] == 0
        book = scheduled_book(lab_.index, lab_.states, datetime.fromtimestamp(lab_.now, UTC).date())
        machines = {host: seen(days, host) for host in lab_.boxes}
        row = Finder(book, machines).found(plan.jobs[0], "files")
    assert row.how == "seen"
    assert row.late_seconds > 2 * 86_400
    assert len([m for m in row.first_missing if m > BEGAN]) == 4
    # And whoever reads root's mail heard of it on the third day.
    assert any("far" in m.text and "days" in m.text for m in lab_.mail)


def as_found(plan: Plan, days_lived: float, seed: int) -> list[tuple[str, str, str, str]]:
    """Fates that are not as planned by what looks at all boxes find, but for points older than the rig."""
    done = {"first_copy": "done", "first_on": None}
    plan = plan.model_copy(update={"jobs": tuple(j.model_copy(update=done) for j in plan.jobs)})
    with rig(plan, BEGAN - timedelta(days=100), seed) as days:
        days.until(days.lab.now + days_lived * 86_400)
        lab_ = days.lab
        machines = {host: seen(days, host) for host in lab_.boxes}
        day = datetime.fromtimestamp(lab_.now, lab_.zone).date()
        book = scheduled_book(lab_.index, lab_.states, day)
        settled = evaluate(lab_.plan, day).proof
        now = Finder(book, machines).standings()
        matrix = access_matrix(lab_.index, day)
        cells = prove_found(lab_.index, book, matrix, settled, now)
    young = "first point is of"
    before = {(c.dataset, c.hazard): c for c in settled}
    return [
        (c.dataset, c.hazard, before[c.dataset, c.hazard].fate, c.fate)
        for c in cells
        if before[c.dataset, c.hazard].fate != c.fate
        and not any(young in v.why or "a hand" in v.why for v in c.copies)
    ]


@pytest.mark.parametrize("seed", [4, 32])
def test_the_proof_as_found_is_the_planned_one_where_all_went_well(seed: int) -> None:
    assert as_found(drawn(seed, followers=True), 45.3, seed) == []


@pytest.mark.prove
@pytest.mark.parametrize("seed", some(range(3000, 3012)))
def test_any_proof_as_found_is_the_planned_one_where_all_went_well(seed: int) -> None:
    assert as_found(wide(seed), 45.3, seed) == []


def test_spares_and_sizes_are_read_from_the_stand_ins() -> None:
    plan = made("raid5", "ext4", False, (3,))
    spare = [
        p.model_copy(update={"spares": ("box4",)}) if p.id == "main" else p for p in plan.pools
    ]
    with rig(plan.model_copy(update={"pools": tuple(spare)}), BEGAN) as days:
        machine = seen(days)
        assert differences(days) == []
        main: Pool = days.lab.index.pools["main"]
        store = next(s for s in days.lab.boxes["box"].stores.values() if s.pool.id == main.id)
        pool = next(p for p in machine.pools if p.name == store.name or p.path == store.at)
    assert len(pool.spares) == 1
    assert pool.size_bytes == store.room.capacity
    assert pool.used_bytes == store.room.used


def test_a_look_dates_a_scrub_by_the_clock_of_all_and_a_person_by_that_of_the_house() -> None:
    plan = made("raidz1", "zfs", False, (3,)).model_copy(update={"zone": "Asia/Tokyo"})
    with rig(plan, BEGAN) as days:
        box = days.lab.boxes["box"]
        assert [p.scrubbed_at for p in seen(days).pools if p.name == "main"] == [None]
        assert box.command(["zpool", "scrub", "main"]).code == 0
        (there,) = [p for p in seen(days).pools if p.name == "main"]
        assert there.scrubbed_at == int(days.lab.now)
        told = box.command(["zpool", "status", "main"]).out.decode()
    assert (
        f" on {datetime.fromtimestamp(days.lab.now, days.lab.zone):%a %b %e %H:%M:%S %Y}\n" in told
    )
