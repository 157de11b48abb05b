"""One slow disk that paces a whole redundant group."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for state in view.states.values():
        disks = [view.index.disks[d] for d in state.pool.disks]
        speeds = sorted(d.mb_per_s for d in disks)
        if len(disks) > 2 and speeds[0] < 0.7 * speeds[1]:
            slow = min(disks, key=lambda d: d.mb_per_s)
            why = (
                f"{slow.label} does {speeds[0]:.0f} MB/s and the next {speeds[1]:.0f}: the slowest sets "
                "the pace of streams and rebuilds."
            )
            yield state.pool.id, state.pool.name, why


SLOW_DISK = Rule(
    "slow_disk",
    "advice",
    "pools",
    "pool",
    "Give the slow disk to the shelf, or group disks of like speed.",
    _find,
)
