"""Less memory than is advised for the ZFS pools of a box."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.filesystems import FILESYSTEMS


def _find(view: View) -> Iterator[Finding]:
    known = view.index.assumptions
    for h in view.index.plan.hosts:
        pools = [s for s in view.states.values() if s.pool.host == h.id]
        cached = sum(
            s.layout.usable_bytes for s in pools if FILESYSTEMS[s.pool.filesystem].big_cache
        )
        wanted = cached / 1e12 * known["ram_gib_per_tb"]
        if cached and h.ram_gib < wanted:
            yield (
                h.id,
                h.name,
                (
                    f"{h.ram_gib:g} GiB for {cached / 1e12:.1f} TB of ZFS; the school of "
                    f"{known['ram_gib_per_tb']:g} GiB a TB would have {wanted:.0f} GiB. Others say the cache "
                    "is merely smaller: advice, no block."
                ),
            )
        elif pools and h.ram_gib < 1:
            yield h.id, h.name, "Below 1 GiB even a plain file server runs short."


LITTLE_MEMORY = Rule(
    "little_memory",
    "advice",
    "pools",
    "host",
    "More memory makes the cache larger; with less it merely works harder.",
    _find,
)
