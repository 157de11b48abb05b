"""How something is fetched from a copy, for somebody who has never seen the lab."""

from collections.abc import Mapping

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.keys import encrypted_at_source, key_at
from kavrel.core.copies.kinds import KINDS
from kavrel.core.copies.kinds.kind import Whereabouts
from kavrel.core.plan import Job


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
    key = ""
    if encrypted_at_source(index, job):
        key = "its key is only in the box that made it"
        if job.key_kept_at:
            key = f"its key is kept at {key_at(index, job)}"
    address = (host.vpn_address or host.address) if host else ""
    how = kind.fetch(
        Whereabouts(
            job=job.name,
            box=(host.name + (f" ({address})" if address else "")) if host else "",
            pool=place.name(index),
            filesystem=index.pools[place.pool].filesystem if place.pool else "",
            home_box=index.hosts[home.host].name if home else "",
            home_pool=home.name if home else "",
            folder=home_folder,
            copy=copies.get((job.id, job.datasets[0]), home_folder) if job.datasets else "",
            disk=f"{disk.label}" + (f", serial {disk.serial}" if disk.serial else "")
            if disk
            else "",
            account=bucket.account if bucket else "",
            key=key,
            trash_days=job.retention.trash_days,
        )
    )
    if job.left_out:
        how += (f"not in it, for it is left out: {', '.join(job.left_out)}",)
    return how
