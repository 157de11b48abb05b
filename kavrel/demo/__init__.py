"""The demo lab: an invented household with two sites, as a plan file like any other."""

from importlib.resources import files

from kavrel.core.plan import Plan
from kavrel.formats import plan_file


def demo_plan() -> Plan:
    """The demo lab, checked as any plan that is imported."""
    return plan_file.load(files(__package__).joinpath("lab.json").read_bytes())
