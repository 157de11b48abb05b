"""The plan as readers see it: without the places of keys."""

from kavrel.core.plan import Plan
from kavrel.store.plans import Plans

KEPT_BACK = "kept from readers"


def veiled(plan: Plan) -> Plan:
    """The plan with every written place of a passphrase taken out; what is empty stays empty."""
    pools = tuple(
        p.model_copy(update={"passphrase_at": KEPT_BACK}) if p.passphrase_at else p
        for p in plan.pools
    )
    return plan.model_copy(update={"pools": pools})


class VeiledPlans(Plans):
    """Plans that are only read, each as readers see it."""

    def _remember(self, plan_id: str, number: int, plan: Plan) -> Plan:
        return super()._remember(plan_id, number, veiled(plan))
