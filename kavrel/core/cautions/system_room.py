"""A system on a data disk of which nobody said how much of it is its, or that has too little."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.quantities import size_words

BARE_SYSTEM_BYTES = 8_000_000_000  # common practice, no source


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    for h in index.plan.hosts:
        disk = index.disks.get(h.boot_disk or "")
        if disk is None or disk.id not in index.disks_in_pools:
            continue
        if h.system_bytes is None:
            taken = size_words(disk.capacity_bytes - index.data_bytes(disk.id))
            yield (
                h.id,
                h.name,
                f"It boots from {disk.label}, whose rest is data: what the system takes is not in the plan, "
                f"{taken} are assumed, and setup.sh makes no pool of the rest.",
            )
        elif h.system_bytes < BARE_SYSTEM_BYTES:
            yield (
                h.id,
                h.name,
                f"Of {disk.label} its system has {size_words(h.system_bytes)}: a bare one needs about "
                f"{size_words(BARE_SYSTEM_BYTES)}, and room for its updates.",
            )


SYSTEM_ROOM = Rule(
    "system_room",
    "caution",
    "bench",
    "host",
    "Say on the Bench what the system takes of that disk, as lsblk shows where its parts end.",
    _find,
)
