"""How jobs that run at once share disks, LAN and links: max-min fair.

A job that runs alone needs `seconds` on each resource for its whole work, all at the same time;
at rate x (share of its work a second) it takes x * seconds of each resource's time. Nobody's
share of the resource that it needs most (its dominant share) can be raised without lowering that
of one who has less: all are raised together until a resource is full or a job goes as fast as it
can, those are frozen, the others go on. Those of a higher class are served first.
Source: progressive filling, Bertsekas and Gallager 1992; dominant shares, Ghodsi et al. 2011.
"""

from collections.abc import Hashable, Mapping, Sequence
from typing import Any, NamedTuple

CLOSE = 1e-12


class Demand(NamedTuple):
    """What a job asks: `loads` are (resource, seconds for all its work).

    `alone` are its seconds when it has everything to itself, at least the largest load. Lower
    `rank` is served first.
    """

    loads: tuple[tuple[Hashable, float], ...]
    alone: float
    rank: int = 0


def fair_rates(demands: Sequence[Demand], capacity: Mapping[Any, float]) -> list[float]:
    """Rates (share of its work a second) of each demand.

    `capacity` is how much of a resource there is, 1 where it is not named; less under a cap.
    """
    rates = [0.0] * len(demands)
    free: dict[Hashable, float] = {}
    for demand in demands:
        for resource, _ in demand.loads:
            free.setdefault(resource, capacity.get(resource, 1.0))
    for rank in sorted({d.rank for d in demands}):
        _fill([i for i, d in enumerate(demands) if d.rank == rank], demands, free, rates)
    return rates


def _fill(
    open_: list[int], demands: Sequence[Demand], free: dict[Hashable, float], rates: list[float]
) -> None:
    """Raises the rates of one class together; `free` is left with what nobody took."""
    full = dict(free)
    dominant: dict[int, float] = {}
    for i in list(open_):
        loads = [(r, s) for r, s in demands[i].loads if s > 0]
        if any(full[r] <= CLOSE for r, _ in loads):
            open_.remove(i)  # those of a higher class leave nothing
            continue
        dominant[i] = max((s / full[r] for r, s in loads), default=0.0)
        if not dominant[i]:
            rates[i] = 1 / max(demands[i].alone, CLOSE)
            open_.remove(i)
    level = 0.0
    while open_:
        weight: dict[Hashable, float] = {}
        for i in open_:
            for resource, seconds in demands[i].loads:
                weight[resource] = weight.get(resource, 0.0) + seconds / dominant[i]
        rise = min(free[r] / w for r, w in weight.items() if w > 0)
        for i in open_:
            rise = min(rise, dominant[i] / demands[i].alone - level)
        rise = max(rise, 0.0)
        level += rise
        for resource, w in weight.items():
            free[resource] = max(free[resource] - rise * w, 0.0)
        still = []
        for i in open_:
            rates[i] = level / dominant[i]
            at_top = rates[i] * demands[i].alone >= 1 - 1e-9
            stuck = any(free[r] <= CLOSE * max(full[r], 1.0) for r, s in demands[i].loads if s > 0)
            if not (at_top or stuck):
                still.append(i)
        if len(still) == len(open_):  # rounding only: the smallest gap is taken as closed
            still = [i for i in still if rates[i] * demands[i].alone < 1 - 1e-6][1:]
        open_ = still
