"""Virtual machines on parity groups."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.pools.families import FAMILIES


def _find(view: View) -> Iterator[Finding]:
    for state in view.states.values():
        pool, layout = state.pool, state.layout
        if pool.purpose != "vms" or not layout.survives_any:
            continue
        if FAMILIES[pool.family].parity:
            mirrors = len(pool.disks) // 2
            why = (
                f"VM disks write small blocks: about {layout.speeds.write_iops:,.0f} a second here, and "
                f"{pool.record_kib} KiB records on parity waste room; {mirrors} mirrors of the same disks "
                "write several times as many."
            )
            yield pool.id, pool.name, why


VMS_ON_PARITY = Rule(
    "vms_on_parity",
    "caution",
    "pools",
    "pool",
    "Mirrors or a pool of their own for VM disks; parity groups for files.",
    _find,
)
