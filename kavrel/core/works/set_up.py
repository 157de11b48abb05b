"""Which boxes are set up by the plan: those that keep data, and those that applications run on."""

from kavrel.core.index import Index


def is_set_up(index: Index, host: str) -> bool:
    """Whether people, folders and a firewall of the plan are made on it."""
    plan = index.plan
    return any(p.host == host for p in plan.pools) or any(a.host == host for a in plan.apps)
