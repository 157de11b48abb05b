"""A UPS as its own readings have it, against the plan.

Names of readings and of states are those of the common daemons for UPSes; source: their
documentation of variables and of ups.status, value from memory.
"""

from kavrel.core.index import Index
from kavrel.core.plan import Supply
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.machine import Machine

# What of ups.status says that a power cut would not be outlived as planned.
ILL = {
    "RB": "its battery has to be replaced",
    "LB": "its battery is low",
    "OVER": "it carries more than it can",
    "BYPASS": "it passes the mains through: no battery stands behind",
    "OFF": "its outlets are off",
    "ALARM": "it raises an alarm",
}
SLACK = 0.1  # nominal figures are rounded


def battery(index: Index, host: str, machine: Machine) -> tuple[list[Drifted], int]:
    """What differs of the UPS that this host hears, and how much agrees. Boxes hear one each."""
    told = [s for s in index.plan.supplies if host in s.signals]
    if len(told) != 1 or len(machine.ups_readings) != 1:
        return [], 0
    (supply,), (readings,) = told, machine.ups_readings.values()
    rows, agreed = [], 0
    states = readings.get("ups.status", "").split()
    for state in states:
        if state in ILL:
            rows.append(_row(host, supply, "state", "ready for a cut", ILL[state], urgent=True))
    if states and not rows:
        agreed += 1
    for field, planned, names, unit in (
        ("carries", supply.watts, ("ups.realpower.nominal",), "W"),
        ("rated", supply.va, ("ups.power.nominal",), "VA"),
    ):
        seen = _number(readings, names)
        if seen is None:
            continue
        if abs(seen - planned) > planned * SLACK:
            less = seen < planned
            rows.append(
                _row(host, supply, field, f"{planned:g} {unit}", f"{seen:g} {unit}", urgent=less)
            )
        else:
            agreed += 1
    return rows, agreed


def _number(readings: dict[str, str], names: tuple[str, ...]) -> float | None:
    for name in names:
        try:
            return float(readings[name])
        except (KeyError, ValueError):
            continue
    return None


def _row(
    host: str, supply: Supply, field: str, planned: str, seen: str, *, urgent: bool
) -> Drifted:
    return Drifted(
        host=host,
        verdict="different",
        collection="supplies",
        about=supply.id,
        name=supply.name,
        field=field,
        planned=planned,
        seen=seen,
        urgent=urgent,
    )
