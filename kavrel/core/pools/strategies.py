"""Four ways of buying room over the years, beside one another: money, room and exposure by date.

All now: one redundant pool with all the room of the last year. One at a time: a span that grows
a disk at a time, each with a shelf disk for its copy. Pairs of mirrors: a mirror whenever room
runs out. Mixed slices: one disk at a time with redundancy 1. Each buys, when the need passes the
mark, the offer that gives the room for the least money, at the price of that year.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.pools import room
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.growth import drifted
from kavrel.core.pools.loss import odds_of, risks
from kavrel.core.pools.taken import Need
from kavrel.core.working import Working, step

STEP_YEARS = 0.25
MOST_DISKS = 48


class StrategyPoint(BaseModel):
    """A strategy at a date: money spent, room, need, odds of losing the pool within a year."""

    model_config = ConfigDict(frozen=True)

    years: float
    spent_minor: int
    usable_bytes: int
    need_bytes: int
    disks: int
    odds_a_year: float


class Strategy(BaseModel):
    """One way of buying, quarter by quarter, and what a loss means under it."""

    model_config = ConfigDict(frozen=True)

    id: str
    title: str
    when_lost: str
    today_minor: int
    total_minor: int
    disks: int
    odds: float  # of losing the pool at least once within the horizon
    runs_out: float | None  # years from now, where the bays do not hold enough
    points: tuple[StrategyPoint, ...]
    working: Working


@dataclass(frozen=True)
class _Way:
    """A strategy's rule. `unit` disks are bought at a time; `shelf` ones beside each."""

    id: str
    title: str
    when_lost: str
    family: Callable[[int], str]
    filesystem: str
    unit: int
    least: int
    shelf: int = 0
    at_once: bool = False

    def groups(self, disks: Sequence[DiskFacts]) -> list[list[DiskFacts]]:
        """The disks as the family wants them."""
        if self.unit == 1:
            return [list(disks)]
        return [list(disks[n : n + self.unit]) for n in range(0, len(disks), self.unit)]


WAYS = (
    _Way(
        "all_now",
        "buy all now, RAIDZ2",
        "all is lost; what copies there are bring it back",
        lambda n: "raidz2",
        "zfs",
        1,
        4,
        at_once=True,
    ),
    _Way(
        "span_shelf",
        "one at a time on a span, with a shelf copy",
        "back from the shelf, as old as the last copy to it",
        lambda n: "span" if n > 1 else "single",
        "ext4",
        1,
        1,
        shelf=1,
    ),
    _Way(
        "mirrors",
        "pairs of mirrors",
        "all is lost when both disks of a pair die",
        lambda n: "striped_mirror" if n > 2 else "mirror",
        "zfs",
        2,
        2,
    ),
    _Way(
        "slices",
        "mixed slices, a disk at a time",
        "all is lost when a second disk dies too early",
        lambda n: "slices1",
        "ext4",
        1,
        2,
    ),
)


def strategies(
    index: Index,
    offers: Sequence[DiskFacts],
    need: Need,
    years: int,
    bays: int | None,
    conditions: Conditions,
    at_hand: Sequence[DiskFacts] = (),
) -> list[Strategy]:
    """The ways over so many years, from the disks there are.

    `bays` limits the disks at work; shelf disks need none. `at_hand` are there and paid for, as they
    are in the pool; those of them that a way can use it begins with. A way that never holds the need
    in these bays is left out. Raises ValueError without offers.
    """
    if not offers:
        raise ValueError("there is no price list: add what can be bought, and what it costs")
    ways = [_follow(index, way, offers, need, years, bays, conditions, at_hand) for way in WAYS]
    return [s for s in ways if s.points[0].disks and s.points[0].usable_bytes >= need.at(0.0)]


@dataclass
class _State:
    disks: list[DiskFacts]
    spent: int = 0
    shelf: int = 0

    def buy(self, offer: DiskFacts, count: int, way: _Way, drift: float, when: float) -> None:
        """So many at the price of that time, and those that the way keeps on the shelf for each."""
        self.disks += [offer] * count
        self.spent += drifted(offer.price_minor, drift, when) * count * (1 + way.shelf)
        self.shelf += count * way.shelf


def _follow(
    index: Index,
    way: _Way,
    offers: Sequence[DiskFacts],
    need: Need,
    years: int,
    bays: int | None,
    conditions: Conditions,
    at_hand: Sequence[DiskFacts],
) -> Strategy:
    mark = index.assumptions["fill_warn_share"]
    most = min(bays if bays is not None else MOST_DISKS, MOST_DISKS)
    # Largest first; pairs are of like sizes then, and an odd disk is left over.
    have = sorted(at_hand, key=lambda d: -d.capacity_bytes)[:most]
    have = have[: len(have) // way.unit * way.unit]
    state = _State(have if len(have) >= way.least else [])
    points: list[StrategyPoint] = []
    kept, runs_out = 1.0, None
    quarters = round(years / STEP_YEARS)
    in_the_end = need.at(years) / mark
    for quarter in range(quarters + 1):
        when = quarter * STEP_YEARS
        wanted = need.at(years if way.at_once else min(when + STEP_YEARS, years)) / mark
        while _room(way, state.disks, conditions) < wanted:
            bought = _best(way, state.disks, offers, most, conditions, wanted, in_the_end)
            if bought is None:
                # Not when it should have bought, but when what it has is past the mark.
                past = need.until(_room(way, state.disks, conditions) * mark) or 0.0
                runs_out = runs_out if runs_out is not None else round(max(past, when), 2)
                break
            state.buy(*bought, way, index.assumptions["price_drift"], when)
        yearly = _odds(way, state.disks, conditions, 1.0)
        if quarter < quarters:
            kept *= 1 - _odds(way, state.disks, conditions, STEP_YEARS)
        points.append(
            StrategyPoint(
                years=when,
                spent_minor=state.spent,
                usable_bytes=_room(way, state.disks, conditions),
                need_bytes=need.at(when),
                disks=len(state.disks) + state.shelf,
                odds_a_year=yearly,
            )
        )
    return Strategy(
        id=way.id,
        title=way.title,
        when_lost=way.when_lost,
        today_minor=points[0].spent_minor,
        total_minor=points[-1].spent_minor,
        disks=points[-1].disks,
        odds=1 - kept,
        runs_out=runs_out,
        points=tuple(points),
        working=_working(index, way, points[-1].spent_minor, len(have), need, 1 - kept),
    )


def _working(index: Index, way: _Way, spent: int, have: int, need: Need, odds: float) -> Working:
    return step(
        way.title,
        spent,
        "money",
        "sum of what is bought each quarter, at the prices of that quarter",
        step("disks there are, used from the start", have),
        step("needed now", need.at(0.0), "bytes"),
        step("needed more in the first year", need.at(1.0) - need.at(0.0), "bytes"),
        index.assumptions.step("fill_warn_share"),
        index.assumptions.step("price_drift"),
        step("odds of losing the pool", odds, "odds", "chain, quarter by quarter"),
    )


def _room(way: _Way, disks: Sequence[DiskFacts], conditions: Conditions) -> int:
    if len(disks) < way.least:
        return 0
    sizes = tuple(tuple(d.capacity_bytes for d in g) for g in way.groups(disks))
    family = way.family(len(disks))
    return room.usable_bytes(
        family, sizes, way.filesystem, conditions.ashift, conditions.record_bytes
    )


def _odds(way: _Way, disks: Sequence[DiskFacts], conditions: Conditions, years: float) -> float:
    if len(disks) < way.least:
        return 0.0
    family = FAMILIES[way.family(len(disks))]
    return odds_of(risks(family, way.groups(disks), way.filesystem, conditions), years)


def _best(
    way: _Way,
    disks: Sequence[DiskFacts],
    offers: Sequence[DiskFacts],
    most: int,
    conditions: Conditions,
    wanted: float,
    in_the_end: float,
) -> tuple[DiskFacts, int] | None:
    """The purchase with the least money for each byte that will be needed; all at once: in all."""
    best: tuple[float, DiskFacts, int] | None = None
    here = _room(way, disks, conditions)
    for offer in offers:
        least = way.unit if disks else max(way.unit, way.least)
        counts = range(least, most + 1) if way.at_once else (least, least + way.unit)
        for count in counts:
            if len(disks) + count > most:
                break
            after = _room(way, [*disks, *[offer] * count], conditions)
            enough = after >= wanted
            if after <= here or (way.at_once and not enough):
                continue
            money = offer.price_minor * count
            score = money if way.at_once else money / max(min(after, in_the_end) - here, 1)
            if best is None or score < best[0]:
                best = (score, offer, count)
            if enough:
                break
    return None if best is None else (best[1], best[2])
