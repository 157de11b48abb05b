"""How the bytes of a job are protected on their way: in the clear, once, or twice over."""

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.keys import encrypted_at_source
from kavrel.core.plan import Job, Link


def link_of(book: CopyBook, job: Job) -> Link | None:
    """The link that a job's bytes cross, if any."""
    crossed = {r.id for r in book.way(job).resources if r.kind == "link"}
    return next((x for x in book.index.plan.links if x.id in crossed), None)


def travels(book: CopyBook, job: Job) -> str:
    """In words; empty where no link is crossed. What is encrypted at the source stays so."""
    link = link_of(book, job)
    if link is None:
        return ""
    layers = []
    if link.encrypted:
        layers.append("in the tunnel")
    if job.wire_encrypted:
        layers.append("by its own way (SSH, TLS)")
    if encrypted_at_source(book.index, job):
        layers.append("at the source")
    relayed = ", relayed" if link.relayed else ""
    if not layers:
        return f"in the clear{relayed}"
    return f"encrypted {' and '.join(layers)}{relayed}"


def bytes_a_month(book: CopyBook, link: Link) -> float:
    """Bytes that usual runs carry over a link in a month of 30.4 days."""
    total = 0.0
    for job in book.index.plan.jobs:
        carried = link_of(book, job)
        if carried is not None and carried.id == link.id:
            days = book.mean_interval_days(job)
            total += book.changed_bytes(job, days) * 30.4375 / max(days, 1 / 48)
    return total
