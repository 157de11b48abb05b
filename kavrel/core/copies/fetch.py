"""How something is fetched from a copy, for somebody who has never seen the lab."""

from collections.abc import Mapping
from typing import Literal

from kavrel.core.bench.meeting import addresses, meeting
from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.carrier import root_ways, source_host, target_host
from kavrel.core.copies.fetch_by_page import fetch_by_page, typed_nowhere
from kavrel.core.copies.keys import encrypted_at_source, key_of
from kavrel.core.copies.module import module_of
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.kinds.kind import Whereabouts
from kavrel.core.plan import Job
from kavrel.core.shares.names import pool_roots, zfs_namers
from kavrel.core.typed import commands


def landing(index: Index, job: Job, copies: Mapping[tuple[str, str], str]) -> str:
    """Where at the far end a copy lies, and as whom it came in: export, account, dataset, folder.

    Empty for what stays on its own box, lies on a shelf disk or in a bucket.
    """
    target = target_host(index, job)
    if target is None or target == source_host(index, job) or not job.datasets:
        return ""
    above = copies[job.id, job.datasets[0]].rpartition("/")[0]
    box = index.hosts[target].name
    if job.lands_share:
        who = f" as {index.accounts[job.lands_as].login}" if job.lands_as else ""
        return f"it lies in {above} on {box}, where it comes in by a share{who}"
    if not job.lands_in:
        who = "root, by SSH" if not KINDS[job.kind].by_tool else "its tool's own account"
        return f"it lies in {above} on {box}, where it comes in as {who}"
    export = next(e for e in index.plan.exports if e.id == job.lands_in)
    dataset = index.datasets[export.dataset].name
    who = f" as {index.accounts[job.lands_as].login}" if job.lands_as else ""
    word = "module" if export.protocol == "rsync" else f"{export.protocol.upper()} export"
    return f"it lies in {above} on {box}, dataset {dataset}, where it comes in by {word} {export.name}{who}"


def _way(index: Index, home: str, far: str) -> Literal["here", "pushed", "pulled", "none"]:
    """Which of two boxes gets into the other as root, for a job of the plan."""
    if home == far or not far:
        return "here"
    ways = root_ways(index.plan)
    return "pulled" if (far, home) in ways else "pushed" if (home, far) in ways else "none"


def how_to_fetch(
    book: CopyBook,
    job: Job,
    folders: Mapping[str, str],
    copies: Mapping[tuple[str, str], str],
) -> tuple[str, ...]:
    """Sentences in order; none for a job that makes no copy. Folders and copies: `shares.names`."""
    kind = KINDS[job.kind]
    if not kind.copies:
        return ()
    index, place = book.index, book.place(job)
    host = index.hosts.get(place.host(index) or "")
    disk = index.disks.get(place.disk or "")
    bucket = index.buckets.get(place.bucket or "")
    home = index.pools[index.datasets[job.datasets[0]].pool] if job.datasets else None
    home_folder = folders[job.datasets[0]] if job.datasets else ""
    kept, key = key_of(index, job), ""
    if kept:
        key = "its key is only in the box that made it"
        if not kept.in_box_alone:
            key = f"its key is kept at {kept.where(index)}"
    module = module_of(index, job, folders) if job.lands_in else None
    lands = landing(book.index, job, copies)
    copy = copies.get((job.id, job.datasets[0]), home_folder) if job.datasets else ""
    at = Whereabouts(
        job=job.name,
        box=(host.name + (f" ({at})" if (at := addresses(host)) else "")) if host else "",
        pool=place.name(index),
        filesystem=index.pools[place.pool].filesystem if place.pool else "",
        home_box=index.hosts[home.host].name if home else "",
        home_pool=home.name if home else "",
        folder=home_folder,
        copy=copy,
        disk=f"{disk.label}" + (f", serial {disk.serial}" if disk.serial else "") if disk else "",
        account=bucket.account if bucket else "",
        key=key,
        trash_days=job.retention.trash_days,
        zfs_name=zfs_namers(index.plan)[home.host](home_folder) if home else "",
        zfs_copy=zfs_namers(index.plan)[host.id if host else home.host](copy) if home else "",
        home_root=pool_roots(index.plan)[home.id] if home else "",
        module=module.within(copy) if module else "",
        far_box=host.name if host else "",
        far_at=meeting(index.hosts[home.host], host).at if home and host else "",
        home_at=meeting(host, index.hosts[home.host]).at if home and host else "",
        way="module" if module else _way(index, home.host if home else "", host.id if host else ""),
        as_it_lies=kind.sends_raw and encrypted_at_source(index, job),
        with_pool=bool(home and home.encrypted)
        and not any(index.datasets[d].encrypted for d in job.datasets),
    )
    how, box = kind.fetch(at), index.hosts.get(home.host) if home else None
    if box and typed_nowhere(at, box, host) and any(commands(line) for line in how):
        how = tuple(fetch_by_page(index, job, at, box, host))
    if lands:
        how = (lands, *how)
    if job.left_out:
        how += (f"not in it, for it is left out: {', '.join(job.left_out)}",)
    return how
