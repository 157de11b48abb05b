"""The demo lab: an invented household with two sites, as a plan file like any other, and its past."""

from datetime import datetime
from importlib.resources import files

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.seen.fill import fills
from kavrel.formats import plan_file
from kavrel.formats.looks.read import read_look
from kavrel.store.looks import Looks


def demo_plan() -> Plan:
    """The demo lab, checked as any plan that is imported."""
    return plan_file.load(files(__package__).joinpath("lab.json").read_bytes())


def keep_history(looks: Looks, plan_id: str, plan: Plan, now: datetime) -> None:
    """Keeps the looks of two months beside the plan, simulated as of a moment."""
    from kavrel.demo.history import looks as simulated

    index = Index(plan)
    for host, content in simulated(plan, now):
        machine = read_look(content, now.timestamp()).machine
        looks.keep(plan_id, host, machine, content, fills(index, host, machine))
