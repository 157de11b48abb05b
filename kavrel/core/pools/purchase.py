"""The cheapest plan of purchases that never runs out and never exceeds the accepted odds.

A mixed-integer program, solved by HiGHS through SciPy. Unknowns: how many groups of each make
(family, width, offer) are bought in each quarter, for one family after another. In every quarter the room
must reach the need over the mark; all groups with what is there must fit the bays; and the odds
of losing the pool within the horizon stay within what is accepted. A group bought in quarter t
is exposed from then on, and groups fail on their own, so -log(1 - odds) adds up over groups
exactly. Prices drift. The answer comes with the solver's bound: proven cheapest, or the gap.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from pydantic import BaseModel, ConfigDict

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.pools import room
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.growth import drifted
from kavrel.core.pools.loss import Risk, odds_of, risks
from kavrel.core.pools.taken import Need
from kavrel.core.working import Working, step

QUARTERS_A_YEAR = 4
# Ends what takes too long; nodes rather than seconds, so that the answer is the same everywhere.
MOST_NODES = 4000
TB = 1e12


def widths_bought() -> list[tuple[str, int]]:
    """What can be added a group at a time to one pool: family and width of a group."""
    return [(f.id, width) for f in FAMILIES.values() for width in f.bought_in]


@dataclass(frozen=True)
class Standing:
    """A pool that is there already: what is bought joins it as further groups of its family.

    `exposure` by years left: -log of the odds that its groups keep everything for so long.
    """

    family: str
    usable_bytes: int
    disks: int
    risks: tuple[Risk, ...]

    def exposure(self, years: float) -> float:
        """-log of the odds that it keeps everything for so many years."""
        return -math.log1p(-min(odds_of(self.risks, years), 1 - 1e-12))


def standing_of(
    family: str, usable_bytes: int, disks: int, ways: Sequence[Risk]
) -> Standing | None:
    """The pool as a start, where groups can be added to it; None where it has to be made anew."""
    known = FAMILIES[family].of_one_group or family
    bought = FAMILIES[known].bought_in
    return Standing(known, usable_bytes, disks, tuple(ways)) if bought else None


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
        family, group = FAMILIES[self.family], [self.offer] * self.width
        odds = odds_of(risks(family, [group], family.own_filesystem, conditions), years)
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
    standing: Standing | None = None,
) -> PurchasePlan:
    """The cheapest plan over so many years, from the pool that stands or, without one, from nothing.

    `at_most` says how many of an offer can be had. Where there is no such plan, `why_not` says
    which limit stands in the way.
    """
    if standing:
        nothing = _nothing_to_buy(standing, need, years, mark, accepted_odds)
        if nothing:
            return nothing
    free = bays - (standing.disks if standing else 0)
    makes = [
        m
        for m in _makes(offers, at_most, free, conditions)
        if standing is None or m.family == standing.family
    ]
    if not makes:
        place = "1 bay that is free" if free == 1 else f"{max(free, 0)} bays that are free"
        why = f"no offer makes another redundant group in the {place}"
        if standing:
            why += "; what grows in place, by a disk or disk for disk, stands under the ways to enlarge"
        return _impossible(why, need, mark)
    limits = _Limits(need, years, free, mark, drift, accepted_odds, at_most, conditions, standing)
    solved = _solve(makes, limits)
    if solved.makes is None:
        return _impossible(_why_not(makes, limits), need, mark)
    counts = solved.counts
    spent, bound = solved.spent, solved.bound
    # Less than one minor unit apart is the same money.
    gap = max(0.0, (spent - bound) / spent) if spent and spent - bound >= 1 else 0.0
    exposed = limits.exposed + float((solved.exposure * counts).sum())
    lost = -math.expm1(-exposed)
    at_least = math.ceil(bound - 0.5)
    return PurchasePlan(
        possible=True,
        why_not="",
        purchases=tuple(_purchases(solved.makes, counts, solved.cost)),
        cost_minor=spent,
        bound_minor=at_least,
        gap=gap,
        proven=gap == 0.0,
        odds=lost,
        working=_working(limits, spent, at_least, gap, lost),
    )


@dataclass(frozen=True)
class _Limits:
    """What a plan of purchases has to keep."""

    need: Need
    years: int
    bays: int
    mark: float
    drift: float
    accepted_odds: float
    at_most: dict[str, int]
    conditions: Conditions
    standing: Standing | None = None

    @property
    def room(self) -> int:
        """Bytes that are there already."""
        return self.standing.usable_bytes if self.standing else 0

    @property
    def exposed(self) -> float:
        """What the pool that stands takes of the accepted odds."""
        return self.standing.exposure(self.years) if self.standing else 0.0

    @property
    def quarters(self) -> int:
        return self.years * QUARTERS_A_YEAR

    @property
    def exposure(self) -> float:
        """The accepted odds as -log of keeping everything."""
        return -math.log1p(-min(self.accepted_odds, 1 - 1e-12)) - self.exposed


def _working(limits: _Limits, spent: int, at_least: int, gap: float, lost: float) -> Working:
    return step(
        "cheapest plan of purchases",
        spent,
        "money",
        "minimise price x groups; room >= need / mark each quarter; disks <= bays; "
        "odds <= accepted; one family",
        step("lower bound of the solver", at_least, "money"),
        step("gap", gap, "of it"),
        step("odds within the horizon", lost, "odds"),
        step("accepted", limits.accepted_odds, "odds", assumption="accepted_loss_odds"),
        step("bays that are free", limits.bays),
        step("room that is there already", limits.room, "bytes"),
        step("needed at the end", limits.need.at(limits.years), "bytes"),
        step("mark", limits.mark, "full", assumption="fill_warn_share"),
        step("price drift", limits.drift, "a year", assumption="price_drift"),
        source="HiGHS through scipy.optimize.milp",
    )


@dataclass
class _Solved:
    """The best of all families; `makes` is None where none was found."""

    makes: Sequence[_Make] | None = None
    counts: np.ndarray = field(default_factory=lambda: np.zeros((0, 0)))
    cost: np.ndarray = field(default_factory=lambda: np.zeros((0, 0)))
    exposure: np.ndarray = field(default_factory=lambda: np.zeros((0, 0)))
    spent: int = 0
    bound: float = math.inf


def _solve(makes: Sequence[_Make], limits: _Limits) -> _Solved:
    """Solves each family on its own, which bounds far better than one program with a choice.

    The family whose relaxation costs least comes first; the others only have to say whether they
    can be cheaper than the best so far, and most cannot.
    """
    best = _Solved()
    programs = [
        _Program(_worthwhile([m for m in makes if m.family == family], limits), limits)
        for family in sorted({m.family for m in makes})
    ]
    for relaxed, program in sorted(((p.relaxed(), p) for p in programs), key=lambda x: x[0]):
        if relaxed < best.spent or best.makes is None:
            program.solve(best)
    return best


def _worthwhile(makes: Sequence[_Make], limits: _Limits) -> list[_Make]:
    """Makes without those that another one beats in room, money, bays and risk."""

    def counts(make: _Make) -> tuple[float, ...]:
        price = make.offer.price_minor * make.width
        return (make.usable, -price, -make.width, -make.risk(limits.years, limits.conditions))

    counted = [(counts(m), m) for m in makes]
    # An offer that runs out may have to be completed by one that another beats.
    scarce = {o for o, most in limits.at_most.items() if most < limits.bays}
    return [
        m
        for c, m in counted
        if not any(
            n is not m
            and n.offer.id not in scarce
            and all(x >= y for x, y in zip(d, c, strict=True))
            and d != c
            for d, n in counted
        )
    ]


class _Program:
    """One family's program: counts of each make in each quarter."""

    def __init__(self, makes: Sequence[_Make], limits: _Limits) -> None:
        from scipy import optimize  # loaded only where a plan of purchases is solved

        self.makes = makes
        n, t = len(makes), limits.quarters
        self.shape = (n, t)
        self.cost = np.zeros((n, t))
        self.exposure = np.zeros((n, t))
        self.upper = np.ones((n, t))
        for i, make in enumerate(makes):
            self.upper[i] = limits.bays // make.width
            for q in range(t):
                when = q / QUARTERS_A_YEAR
                price = drifted(make.offer.price_minor, limits.drift, when)
                self.cost[i, q] = price * make.width
                self.exposure[i, q] = make.risk(limits.years - when, limits.conditions)
        # Room by the end of each quarter.
        rows = np.zeros((t, n, t))
        for q in range(t):
            for i, make in enumerate(makes):
                rows[q, i, : q + 1] = make.usable / TB
        wanted = np.array([limits.need.at((q + 1) / QUARTERS_A_YEAR) for q in range(t)])
        widths = np.repeat([[m.width] for m in makes], t, axis=1)
        self.constraints = [
            optimize.LinearConstraint(
                rows.reshape(t, n * t), lb=(wanted / limits.mark - limits.room) / TB
            ),
            optimize.LinearConstraint(widths.reshape(1, -1), ub=limits.bays),
            # Odds may be tiny: scaled so that the solver's tolerance does not swallow them.
            optimize.LinearConstraint(
                self.exposure.reshape(1, -1) / max(limits.exposure, 1e-15),
                ub=1.0 if limits.exposure > 0 else -1.0,
            ),
        ]
        for offer, most in limits.at_most.items():
            here = np.array([[m.offer.id == offer] for m in makes])
            if most < limits.bays and here.any():
                row = (widths * here).reshape(1, -1)
                self.constraints.append(optimize.LinearConstraint(row, ub=most))

    def relaxed(self) -> float:
        """Least money when groups could be bought in part: no plan of the family is below."""
        from scipy import optimize

        answer = optimize.milp(
            self.cost.reshape(-1),
            constraints=self.constraints,
            bounds=optimize.Bounds(0, self.upper.reshape(-1)),
        )
        return float(answer.fun) if answer.x is not None else math.inf

    def solve(self, best: _Solved) -> None:
        """Puts the family's cheapest plan into `best` where it is cheaper, and its bound anyhow."""
        from scipy import optimize

        constraints = list(self.constraints)
        if best.makes is not None:
            # Money is whole minor units: only what is cheaper is of interest.
            constraints.append(
                optimize.LinearConstraint(self.cost.reshape(1, -1), ub=best.spent - 0.5)
            )
        answer = optimize.milp(
            self.cost.reshape(-1),
            constraints=constraints,
            integrality=np.ones(self.cost.size),
            bounds=optimize.Bounds(0, self.upper.reshape(-1)),
            options={"node_limit": MOST_NODES, "mip_rel_gap": 0.0},
        )
        if answer.status == 2:  # cannot be had, or not for less
            return
        bound = answer.mip_dual_bound
        best.bound = min(best.bound, float(bound) if bound is not None else 0.0)
        if answer.x is None:
            return
        counts = np.round(answer.x).astype(int).reshape(self.shape)
        best.makes, best.counts = self.makes, counts
        best.cost, best.exposure = self.cost, self.exposure
        best.spent = round(float((self.cost * counts).sum()))


def _makes(
    offers: Sequence[DiskFacts], at_most: dict[str, int], bays: int, conditions: Conditions
) -> list[_Make]:
    # Groups are added to a pool by the file system that makes it of whole disks.
    grouped = next(f.id for f in FILESYSTEMS.values() if f.whole_disks)
    makes = []
    for offer in offers:
        for family, width in widths_bought():
            if width > min(bays, at_most.get(offer.id, bays)):
                continue
            sizes = (tuple([offer.capacity_bytes] * width),)
            usable = room.usable_bytes(
                family, sizes, grouped, conditions.ashift, conditions.record_bytes
            )
            if usable:
                makes.append(_Make(family, width, offer, usable))
    return makes


def _purchases(makes: Sequence[_Make], counts: np.ndarray, cost: np.ndarray) -> list[Purchase]:
    bought = []
    usable = 0
    for q in range(counts.shape[1]):
        for i, make in enumerate(makes):
            count = int(counts[i, q])
            if not count:
                continue
            usable += make.usable * count
            name = FAMILIES[make.family].title
            groups = f"{count} x " if count > 1 else ""
            bought.append(
                Purchase(
                    years=q / QUARTERS_A_YEAR,
                    what=f"{groups}{name} of {make.width} x {make.offer.label}",
                    disks=make.width * count,
                    cost_minor=round(float(cost[i, q])) * count,
                    usable_bytes=usable,
                )
            )
    return bought


def _why_not(makes: Sequence[_Make], limits: _Limits) -> str:
    """Which limit stands in the way, taken alone."""
    bays = limits.bays
    wanted = limits.need.at(limits.years) / limits.mark
    most = limits.room + max(m.usable * (bays // m.width) for m in makes)
    if limits.exposure <= 0:
        return (
            f"the pool that stands is lost with {-math.expm1(-limits.exposed):.2g} already; accepted are "
            f"{limits.accepted_odds:.2g}"
        )
    if most < wanted:
        return (
            f"{bays} bays hold at most {most / TB:.1f} TB of redundant room with these offers; "
            f"{wanted / TB:.1f} TB are needed"
        )
    lacking = wanted - limits.room
    fitting = [m for m in makes if m.usable * (bays // m.width) >= lacking]
    best = min(
        m.risk(limits.years, limits.conditions) * math.ceil(lacking / m.usable) for m in fitting
    )
    if best > limits.exposure:
        return (
            f"the lowest odds at that room are about {-math.expm1(-best):.2g}; accepted are "
            f"{limits.accepted_odds:.2g}"
        )
    return "no combination meets room, bays, offers and odds together within the time allowed"


def _nothing_to_buy(
    standing: Standing, need: Need, years: int, mark: float, accepted_odds: float
) -> PurchasePlan | None:
    """The plan where the pool that stands is enough to the end."""
    lost = -math.expm1(-standing.exposure(years))
    if standing.usable_bytes * mark < need.at(years) or lost > accepted_odds:
        return None
    return PurchasePlan(
        possible=True,
        why_not="",
        purchases=(),
        cost_minor=0,
        bound_minor=0,
        gap=0.0,
        proven=True,
        odds=lost,
        working=step(
            "cheapest plan of purchases",
            0,
            "money",
            "what stands is enough: nothing has to be bought",
            step("room that is there already", standing.usable_bytes, "bytes"),
            step("needed at the end", need.at(years), "bytes"),
            step("odds within the horizon", lost, "odds"),
            step("accepted", accepted_odds, "odds", assumption="accepted_loss_odds"),
        ),
    )


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
            step("needed now", need.at(0.0), "bytes"),
            step("mark", mark, "full", assumption="fill_warn_share"),
        ),
    )
