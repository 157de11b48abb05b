"""A pool past the fill at which growth is planned."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.filesystems import FILESYSTEMS


def _find(view: View) -> Iterator[Finding]:
    known = view.index.assumptions
    for state in view.states.values():
        usable = state.layout.usable_bytes
        fill = (state.taken_bytes + view.stored_bytes(state.pool.id)) / usable if usable else 9.9
        if known["fill_warn_share"] < fill <= 1:
            copied = FILESYSTEMS[state.pool.filesystem].copy_on_write
            slow = copied and fill > known["fill_slow_share"]
            yield (
                state.pool.id,
                state.pool.name,
                (
                    f"{fill:.0%} full with its datasets and the newest copies of others"
                    f"{': copy-on-write gets slow here' if slow else ''}."
                ),
            )


POOL_FULL = Rule(
    "pool_full",
    "caution",
    "pools",
    "pool",
    "Plan the next disks now; past 90 % copy-on-write pools get slow.",
    _find,
)
