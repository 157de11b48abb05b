"""How full the pools and datasets of a plan were when a machine was looked at."""

from kavrel.core.index import Index
from kavrel.core.seen.known import Known
from kavrel.core.seen.machine import Machine


def fills(index: Index, host: str, machine: Machine) -> list[tuple[str, str, int]]:
    """Collection, id and bytes of what the look says a size of."""
    known = Known(index, machine, host)
    pools = [
        ("pools", known.pools[s.name].id, s.used_bytes)
        for s in machine.pools
        if s.name in known.pools and s.used_bytes is not None
    ]
    data = [
        ("datasets", known.datasets[s.folder].id, s.used_bytes)
        for s in machine.datasets
        if s.folder in known.datasets and s.used_bytes is not None
    ]
    return pools + data
