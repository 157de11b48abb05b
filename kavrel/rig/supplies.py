"""UPSes of the lab while the mains are away for long: minute by minute, which box stops in order and which not.

Each moment takes of the battery what the boxes that still run take then: as they stop, the rest lasts longer.
A box that stops draws more for that while. Source: Peukert 1897 for a steady load, here load by load.
"""

from collections.abc import Iterator
from typing import NamedTuple

from kavrel.core.bench.power import deaf, falls, host_power, runtime_hours
from kavrel.core.bench.stopping import stopping_minutes
from kavrel.core.index import Index
from kavrel.core.plan import Supply
from kavrel.core.working import step
from kavrel.rig.lab import Lab
from kavrel.rig.report import Line

EMPTY = 1e-12  # of the battery: what rounding leaves


class Stop(NamedTuple):
    """How a box stops: minutes after the cut, and whether it was told and had the time."""

    minutes: float
    in_order: bool


def stops(index: Index, supply: Supply) -> dict[str, Stop]:
    """Each box that it feeds, by id, with how it stops."""
    known = index.assumptions
    watts = {h: host_power(index, index.hosts[h]).active_watts for h in supply.hosts}
    load = sum(watts.values())
    if load > supply.watts or load / known["power_factor"] > supply.va:
        return dict.fromkeys(watts, Stop(0.0, in_order=False))
    after = {} if deaf(index, supply) else stopping_minutes(index, supply)
    ends = {h: supply.delay_minutes + after[h] for h in supply.hosts if h in after}
    battery = supply.battery_wh * supply.health_percent / 100
    left, minutes, stopped = 1.0, 0.0, dict[str, Stop]()
    while watts:
        for host in [h for h in watts if minutes >= ends.get(h, float("inf"))]:
            stopped[host] = Stop(minutes, in_order=True)
            del watts[host]
        stopping = {h for h in ends if h in watts and minutes >= supply.delay_minutes}
        drawn = sum(
            w * (known["spin_up_factor"] if h in stopping else 1.0) for h, w in watts.items()
        )
        if not drawn:
            break
        inside = drawn / known["inverter_efficiency"]
        lasts = 60 * runtime_hours(inside, battery, supply.rated_hours, supply.exponent)
        ahead = [
            m for m in (supply.delay_minutes, *(ends[h] for h in watts if h in ends)) if m > minutes
        ]
        then = min([minutes + left * lasts, *ahead])
        left -= (then - minutes) / lasts
        minutes = then
        if left <= EMPTY:
            break
    return stopped | dict.fromkeys(watts, Stop(minutes, in_order=False))


def _boxes(count: int) -> str:
    return f"{count} box{'' if count == 1 else 'es'}"


def supply_lines(lab: Lab) -> Iterator[Line]:
    """A line for each UPS that feeds something: the boxes that stop in order, by the plan and here."""
    falling = falls(lab.plan)
    for supply in lab.plan.supplies:
        here = stops(lab.index, supply)
        planned = [h for h in supply.hosts if h not in falling]
        there = [h for h, stop in here.items() if stop.in_order]
        if not here:
            continue
        names = {h: lab.index.hosts[h].name for h in supply.hosts}
        yield Line(
            f"{supply.name}: boxes that stop in order when the mains are away, at least",
            _boxes(len(planned)),
            _boxes(len(there)),
            set(planned) <= set(there),
            step(
                "boxes that stop in order", len(planned), "boxes", "those that nothing below keeps from it",
                *(step(names[h], falling[h]) for h in supply.hosts if h in falling),
            ),
            step(
                "boxes that stopped in order", len(there), "boxes",
                "the battery emptied by what runs at each moment, from one stop to the next",
                *(
                    step(names[h], stop.minutes, "min", "stopped in order" if stop.in_order else "fell")
                    for h, stop in here.items()
                ),
            ),
        )  # fmt: skip
