"""The cheapest plan of purchases that never runs out and never exceeds the accepted odds.

A mixed-integer program, solved by HiGHS through SciPy. Unknowns: how many groups of each make
(family, width, offer) are bought in each quarter. One family is chosen. In every quarter the room
must reach the need over the mark; all groups with what is there must fit the bays; and the odds
of losing something within the horizon stay within what is accepted. A group bought in quarter t
is exposed from then on, and groups fail on their own, so -log(1 - odds) adds up over groups
exactly. Prices drift. The answer comes with the solver's bound: proven cheapest, or the gap.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel, ConfigDict
from scipy.optimize import Bounds, LinearConstraint, milp

from kavrel.core.pools import room
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.growth import Need, drifted
from kavrel.core.pools.loss import odds_of, risks
from kavrel.core.working import Working, step

QUARTERS_A_YEAR = 4
TIME_LIMIT_SECONDS = 8.0
TB = 1e12

# Makes that can be added a group at a time to one pool: family and width of a group.
MAKES: tuple[tuple[str, int], ...] = (
    ("mirror", 2),
    ("mirror", 3),
    *(("raidz1", w) for w in range(3, 7)),
    *(("raidz2", w) for w in range(4, 13)),
    *(("raidz3", w) for w in range(5, 13)),
)


class Purchase(BaseModel):
    """Groups bought in a quarter: so many disks, the money then, the room after."""

    model_config = ConfigDict(frozen=True)

    years: float
    what: str
    disks: int
    cost_minor: int
    usable_bytes: int


class PurchasePlan(BaseModel):
    """The plan, its money, and how sure it is that nothing is cheaper.

    `proven` says that HiGHS closed the gap; else `gap` is the share by which something might
    still be cheaper, and `bound_minor` no plan's money can be below.
    """

    model_config = ConfigDict(frozen=True)

    possible: bool
    why_not: str
    purchases: tuple[Purchase, ...]
    cost_minor: int
    bound_minor: int
    gap: float
    proven: bool
    odds: float
    working: Working


@dataclass(frozen=True)
class _Make:
    family: str
    width: int
    offer: DiskFacts
    usable: int

    def risk(self, years: float, conditions: Conditions) -> float:
        """-log of the odds that one group keeps everything for so many years."""
        odds = odds_of(risks(FAMILIES[self.family], [[self.offer] * self.width], conditions), years)
        return -math.log1p(-min(odds, 1 - 1e-12))


def purchase_plan(
    offers: Sequence[DiskFacts],
    at_most: dict[str, int],
    need: Need,
    years: int,
    bays: int,
    mark: float,
    drift: float,
    accepted_odds: float,
    conditions: Conditions,
) -> PurchasePlan:
    """The cheapest plan over so many years for a pool that starts without disks.

    `at_most` says how many of an offer can be had. Where there is no such plan, `why_not` says
    which limit stands in the way.
    """
    makes = _makes(offers, at_most, bays, conditions)
    quarters = years * QUARTERS_A_YEAR
    if not makes:
        return _impossible("no offer makes a redundant group within these bays", need, mark)
    families = sorted({m.family for m in makes})
    n, t = len(makes), quarters
    size = n * t + len(families)

    def at(make: int, quarter: int) -> int:
        return make * t + quarter

    cost = np.zeros(size)
    upper = np.ones(size)
    for i, make in enumerate(makes):
        for q in range(t):
            price = drifted(make.offer.price_minor, drift, q / QUARTERS_A_YEAR)
            cost[at(i, q)] = price * make.width
            upper[at(i, q)] = bays // make.width
    constraints = []
    # Room by the end of each quarter.
    rows = np.zeros((t, size))
    for q in range(t):
        for i, make in enumerate(makes):
            rows[q, at(i, 0) : at(i, q) + 1] = make.usable / TB
    wanted = np.array([need.at((q + 1) / QUARTERS_A_YEAR) / mark / TB for q in range(t)])
    constraints.append(LinearConstraint(rows, lb=wanted))
    # Bays, offers, and odds.
    width = np.zeros(size)
    exposure = np.zeros(size)
    for i, make in enumerate(makes):
        width[i * t : (i + 1) * t] = make.width
        for q in range(t):
            exposure[at(i, q)] = make.risk(years - q / QUARTERS_A_YEAR, conditions)
    constraints.append(LinearConstraint(width[None, :], ub=bays))
    for offer, most in at_most.items():
        row = np.zeros(size)
        for i, make in enumerate(makes):
            if make.offer.id == offer:
                row[i * t : (i + 1) * t] = make.width
        constraints.append(LinearConstraint(row[None, :], ub=most))
    allowed = -math.log1p(-min(accepted_odds, 1 - 1e-12))
    # Odds may be tiny: scaled so that the solver's tolerance does not swallow them.
    constraints.append(LinearConstraint(exposure[None, :] / allowed, ub=1.0))
    # One family: its groups only where it is chosen, and one chosen.
    for f, family in enumerate(families):
        row = np.zeros(size)
        for i, make in enumerate(makes):
            if make.family == family:
                row[i * t : (i + 1) * t] = make.width
        row[n * t + f] = -bays
        constraints.append(LinearConstraint(row[None, :], ub=0.0))
    chosen = np.zeros(size)
    chosen[n * t :] = 1
    constraints.append(LinearConstraint(chosen[None, :], ub=1.0))
    found = milp(
        cost,
        constraints=constraints,
        integrality=np.ones(size),
        bounds=Bounds(0, upper),
        options={"time_limit": TIME_LIMIT_SECONDS, "mip_rel_gap": 0.0},
    )
    if found.x is None:
        return _impossible(
            _why_not(makes, need, years, bays, mark, allowed, conditions), need, mark
        )
    counts = np.round(found.x[: n * t]).astype(int).reshape(n, t)
    spent = int(sum(cost[at(i, q)] * counts[i, q] for i in range(n) for q in range(t)))
    bound = float(found.mip_dual_bound if found.mip_dual_bound is not None else 0.0)
    gap = max(0.0, (spent - bound) / spent) if spent else 0.0
    lost = -math.expm1(-sum(exposure[at(i, q)] * counts[i, q] for i in range(n) for q in range(t)))
    return PurchasePlan(
        possible=True,
        why_not="",
        purchases=tuple(_purchases(makes, counts, cost.reshape(-1)[: n * t].reshape(n, t))),
        cost_minor=spent,
        bound_minor=math.ceil(bound - 0.5),
        gap=gap,
        proven=found.status == 0 and gap < 1e-6,
        odds=lost,
        working=step(
            "cheapest plan of purchases",
            spent,
            "money",
            "minimise price x groups; room >= need / mark each quarter; disks <= bays; "
            "odds <= accepted; one family",
            step("lower bound of the solver", math.ceil(bound - 0.5), "money"),
            step("gap", gap, "of it"),
            step("odds within the horizon", lost, "odds"),
            step("accepted", accepted_odds, "odds", assumption="accepted_loss_odds"),
            step("bays", bays),
            step("needed at the end", need.at(years), "bytes"),
            step("mark", mark, "full", assumption="fill_warn_share"),
            step("price drift", drift, "a year", assumption="price_drift"),
            source="HiGHS through scipy.optimize.milp",
        ),
    )


def _makes(
    offers: Sequence[DiskFacts], at_most: dict[str, int], bays: int, conditions: Conditions
) -> list[_Make]:
    found = []
    for offer in offers:
        for family, width in MAKES:
            if width > min(bays, at_most.get(offer.id, bays)):
                continue
            sizes = (tuple([offer.capacity_bytes] * width),)
            usable = room.usable_bytes(
                family, sizes, "zfs", conditions.ashift, conditions.record_bytes
            )
            if usable:
                found.append(_Make(family, width, offer, usable))
    return found


def _purchases(makes: Sequence[_Make], counts: np.ndarray, cost: np.ndarray) -> list[Purchase]:
    found = []
    usable = 0
    for q in range(counts.shape[1]):
        for i, make in enumerate(makes):
            count = int(counts[i, q])
            if not count:
                continue
            usable += make.usable * count
            name = FAMILIES[make.family].title
            groups = f"{count} x " if count > 1 else ""
            found.append(
                Purchase(
                    years=q / QUARTERS_A_YEAR,
                    what=f"{groups}{name} of {make.width} x {make.offer.label}",
                    disks=make.width * count,
                    cost_minor=round(float(cost[i, q])) * count,
                    usable_bytes=usable,
                )
            )
    return found


def _why_not(
    makes: Sequence[_Make],
    need: Need,
    years: int,
    bays: int,
    mark: float,
    allowed: float,
    conditions: Conditions,
) -> str:
    """Which limit stands in the way, taken alone."""
    wanted = need.at(years) / mark
    most = max(m.usable * (bays // m.width) for m in makes)
    if most < wanted:
        return (
            f"{bays} bays hold at most {most / TB:.1f} TB of redundant room with these offers; "
            f"{wanted / TB:.1f} TB are needed"
        )
    fitting = [m for m in makes if m.usable * (bays // m.width) >= wanted]
    best = min(m.risk(years, conditions) * math.ceil(wanted / m.usable) for m in fitting)
    if best > allowed:
        return (
            f"the lowest odds at that room are about {-math.expm1(-best):.2g}; accepted are "
            f"{-math.expm1(-allowed):.2g}"
        )
    return "no combination meets room, bays, offers and odds together within the time allowed"


def _impossible(why: str, need: Need, mark: float) -> PurchasePlan:
    return PurchasePlan(
        possible=False,
        why_not=why,
        purchases=(),
        cost_minor=0,
        bound_minor=0,
        gap=0.0,
        proven=False,
        odds=0.0,
        working=step(
            "no plan of purchases",
            None,
            "",
            why,
            step("needed now", need.now_bytes, "bytes"),
            step("mark", mark, "full", assumption="fill_warn_share"),
        ),
    )
