"""Questions about a plan that take longer than a look: each with its answer, progress and a stop.

The API asks them as jobs, the command line waits for them; neither knows a rule of the trade.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from kavrel.core.copies.book import CopyBook
from kavrel.core.evaluate import Evaluation
from kavrel.core.index import Index
from kavrel.core.moves.shuffle import Shuffle, shuffle
from kavrel.core.plan import Plan, Pool
from kavrel.core.pools.buying import Baskets, buy
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.finder import Found, Wish, find
from kavrel.core.pools.growth import Growth, free_bays, growth, need_of, offer_facts, offers_for
from kavrel.core.pools.loss import risks
from kavrel.core.pools.outlook import Outlook, outlook
from kavrel.core.pools.pool import disk_facts, pool_conditions, pool_groups, pool_states
from kavrel.core.pools.purchase import PurchasePlan, purchase_plan, standing_of
from kavrel.core.pools.strategies import Strategy, strategies
from kavrel.core.pools.taken import Stored
from kavrel.core.progress import Tell, nobody, or_stop
from kavrel.core.proof.lab import LabLives, lab_lives
from kavrel.core.quantities import Id, whole
from kavrel.core.week.arrange import Arrangement, arrange
from kavrel.core.week.nights import Night, nights, worst_of_months

"""Hears the share done (0 to 1) and a word on it; answers whether to go on."""


class NotAskable(ValueError):
    """The question names something that the plan does not have; the text says what."""


class _Asked(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class FinderQuestion(_Asked):
    """Asks which layouts of these disks meet the wish and are beaten by none."""

    kind: Literal["finder"]
    disks: Annotated[tuple[Id, ...], Field(min_length=1, max_length=24)]
    wish: Wish = Wish()


class BasketQuestion(_Asked):
    """Asks for the least money on the price list that, with these disks, meets the wish."""

    kind: Literal["basket"]
    disks: Annotated[tuple[Id, ...], Field(max_length=24)] = ()
    wish: Wish = Wish()


class OddsQuestion(_Asked):
    """Asks how likely these pools (none named: all) lose something over the years."""

    kind: Literal["odds"]
    pools: Annotated[tuple[Id, ...], Field(max_length=500)] = ()
    years: Annotated[int, whole(1, 10)] = 5
    lifetimes: Annotated[int, whole(1000, 2_000_000)] = 200_000


class GrowthQuestion(_Asked):
    """Asks when this pool is full, what can be added then, and which way of buying is cheapest."""

    kind: Literal["growth"]
    pool: Id
    years: Annotated[int, whole(1, 10)] = 5
    bays: Annotated[int, whole(1, 60)] | None = None  # None: those of its host


class ShuffleQuestion(_Asked):
    """Asks in which order full disks become the wanted pools without losing anything."""

    kind: Literal["shuffle"]


class ArrangeQuestion(_Asked):
    """Asks which start times move so that nothing clashes, or what cannot fit."""

    kind: Literal["arrange"]


class NightsQuestion(_Asked):
    """Asks for every night of so many days: how long it is, and who is slowed."""

    kind: Literal["nights"]
    days: Annotated[int, whole(7, 366)] = 366


class LabQuestion(_Asked):
    """Asks what the whole lab loses over the years, by cause, and what to change first."""

    kind: Literal["lab"]
    years: Annotated[int, whole(1, 20)] = 5
    lifetimes: Annotated[int, whole(1000, 400_000)] = 20_000


Question = Annotated[
    FinderQuestion
    | BasketQuestion
    | OddsQuestion
    | GrowthQuestion
    | ShuffleQuestion
    | ArrangeQuestion
    | NightsQuestion
    | LabQuestion,
    Field(discriminator="kind"),
]


class _Answer(BaseModel):
    model_config = ConfigDict(frozen=True)


class FinderAnswer(_Answer):
    """The survivors."""

    kind: Literal["finder"] = "finder"
    found: Found


class BasketAnswer(_Answer):
    """The cheapest purchases."""

    kind: Literal["basket"] = "basket"
    baskets: Baskets


class OddsAnswer(_Answer):
    """Odds over the years."""

    kind: Literal["odds"] = "odds"
    outlook: Outlook


class GrowthAnswer(_Answer):
    """Years ahead, ways of buying the same room from the disks there are, and the cheapest purchases."""

    kind: Literal["growth"] = "growth"
    growth: Growth
    strategies: tuple[Strategy, ...]
    purchases: PurchasePlan
    bays: int


class ShuffleAnswer(_Answer):
    """The order of steps."""

    kind: Literal["shuffle"] = "shuffle"
    shuffle: Shuffle


class ArrangeAnswer(_Answer):
    """What would move, and what does not fit."""

    kind: Literal["arrange"] = "arrange"
    arrangement: Arrangement


class NightsAnswer(_Answer):
    """The nights in order; `worst` the longest of each month."""

    kind: Literal["nights"] = "nights"
    nights: tuple[Night, ...]
    worst: tuple[Night, ...]


class LabAnswer(_Answer):
    """Losses over the years."""

    kind: Literal["lab"] = "lab"
    lives: LabLives


Answer = Annotated[
    FinderAnswer
    | BasketAnswer
    | OddsAnswer
    | GrowthAnswer
    | ShuffleAnswer
    | ArrangeAnswer
    | NightsAnswer
    | LabAnswer,
    Field(discriminator="kind"),
]


def answer(
    plan: Plan,
    evaluation: Evaluation,
    question: Question,
    tell: Tell = nobody,
) -> Answer:
    """The answer to a question about a plan and its evaluation.

    Raises NotAskable where it names what is not there, Stopped when `tell` says no.
    """
    index, tell = Index(plan), or_stop(tell)
    match question:
        case FinderQuestion():
            return _finder(index, question, tell)
        case BasketQuestion():
            return _basket(index, question, tell)
        case OddsQuestion():
            return _odds(index, evaluation, question, tell)
        case GrowthQuestion():
            return _growth(index, evaluation, question, tell)
        case ShuffleQuestion():
            return ShuffleAnswer(shuffle=shuffle(index, tell))
        case ArrangeQuestion():
            return ArrangeAnswer(arrangement=arrange(plan, evaluation.today, tell))
        case NightsQuestion():
            return _nights(index, evaluation, question, tell)
        case LabQuestion():
            lives = lab_lives(plan, evaluation.today, question.years, question.lifetimes, tell)
            return LabAnswer(lives=lives)


def _nights(
    index: Index, evaluation: Evaluation, question: NightsQuestion, tell: Tell
) -> NightsAnswer:
    tell(0.1, "jobs run through the nights")
    book = CopyBook(index, pool_states(index), evaluation.today)
    ahead = nights(book, evaluation.today, question.days)
    return NightsAnswer(nights=tuple(ahead), worst=tuple(worst_of_months(ahead)))


def _disks(index: Index, ids: tuple[str, ...]) -> list[DiskFacts]:
    unknown = [d for d in ids if d not in index.disks]
    if unknown or len(set(ids)) != len(ids):
        raise NotAskable("name each disk of the plan once")
    return [disk_facts(index, index.disks[d]) for d in ids]


def _pool(index: Index, pool: str) -> Pool:
    if pool not in index.pools:
        raise NotAskable(f"there is no pool {pool}")
    return index.pools[pool]


def _finder(index: Index, question: FinderQuestion, tell: Tell) -> FinderAnswer:
    disks = _disks(index, question.disks)
    conditions = Conditions.of(index.assumptions)
    return FinderAnswer(found=find(disks, question.wish, conditions, tell))


def _basket(index: Index, question: BasketQuestion, tell: Tell) -> BasketAnswer:
    # Refurbished disks are fine on the shelf as a copy, not as the working set.
    offers = [o for o in index.plan.offers if o.condition != "refurbished"] or index.plan.offers
    return BasketAnswer(
        baskets=buy(
            [offer_facts(index, o) for o in offers],
            {o.id: o.at_most for o in index.plan.offers},
            _disks(index, question.disks),
            question.wish,
            Conditions.of(index.assumptions),
            tell,
        )
    )


def _odds(index: Index, evaluation: Evaluation, question: OddsQuestion, tell: Tell) -> OddsAnswer:
    pools = [_pool(index, p) for p in dict.fromkeys(question.pools)] or list(index.plan.pools)
    if not pools:
        raise NotAskable("there is no pool yet")
    fills = {p.id: min(p.fill, 1.0) for p in evaluation.pools}
    return OddsAnswer(
        outlook=outlook(
            index, pools, float(question.years), question.lifetimes, fills, evaluation.today, tell
        )
    )


def _growth(
    index: Index, evaluation: Evaluation, question: GrowthQuestion, tell: Tell
) -> GrowthAnswer:
    pool = _pool(index, question.pool)
    view = next(p for p in evaluation.pools if p.id == pool.id)
    known = index.assumptions
    bays = question.bays or len(pool.disks) + free_bays(index, pool)
    stored = Stored(view.stored_bytes, view.stored_a_year_bytes)
    need = need_of(index, pool, stored)
    offers = offers_for(index, pool)
    conditions = pool_conditions(index, pool)
    ahead = growth(index, pool, view.layout, stored, evaluation.today, question.years)
    tell(0.3, "years ahead reckoned")
    at_hand = [disk_facts(index, index.disks[d], evaluation.today) for d in pool.disks]
    ways = strategies(index, offers, need, question.years, bays, conditions, at_hand)
    tell(0.5, "purchases are being optimised, a few seconds")
    at_most = {o.id: o.at_most for o in index.plan.offers}
    plan = purchase_plan(
        offers,
        {o.id: at_most[o.id] for o in offers if o.id in at_most},
        need,
        question.years,
        bays,
        known["fill_warn_share"],
        known["price_drift"],
        known["accepted_loss_odds"],
        conditions,
        standing_of(
            pool.family,
            view.layout.usable_bytes,
            len(pool.disks),
            risks(
                FAMILIES[pool.family],
                pool_groups(index, pool, evaluation.today),
                pool.filesystem,
                pool_conditions(index, pool, min(view.fill, 1.0)),
            ),
        ),
    )
    return GrowthAnswer(growth=ahead, strategies=tuple(ways), purchases=plan, bays=bays)
