"""What to buy: the least money over a price list that, with the disks at hand, meets the wish.

Every purchase of up to two kinds of offers is tried in order of its price, so the first that
meets the wish is the cheapest; the next few follow as alternatives. A purchase is laid out with
the finder's families over the bought disks with none, some or all of those at hand.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import combinations

from pydantic import BaseModel, ConfigDict

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.pools import room
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.finder import MOST_DISKS, Wish, searched
from kavrel.core.pools.lay_out import lay_out
from kavrel.core.pools.layout import Layout
from kavrel.core.pools.options import grouped
from kavrel.core.pools.survival import outlives
from kavrel.core.progress import Tell, nobody
from kavrel.core.quantities import size_words

ALTERNATIVES = 4


class Piece(BaseModel):
    """So many of one offer, by its label."""

    model_config = ConfigDict(frozen=True)

    label: str
    count: int


class Basket(BaseModel):
    """A purchase: how many of which offers, the money, and the layout it makes."""

    model_config = ConfigDict(frozen=True)

    items: tuple[Piece, ...]
    cost_minor: int
    layout: Layout
    uses: tuple[str, ...]  # disks at hand that take part
    sentence: str


class Baskets(BaseModel):
    """The cheapest purchases, first the cheapest. `why_not` when there is none."""

    model_config = ConfigDict(frozen=True)

    baskets: tuple[Basket, ...]
    tried: int
    why_not: str


@dataclass(frozen=True)
class _Fit:
    family: str
    groups: tuple[tuple[DiskFacts, ...], ...]
    filesystem: str
    usable: int


def buy(
    offers: Sequence[DiskFacts],
    at_most: dict[str, int],
    at_hand: Sequence[DiskFacts],
    wish: Wish,
    conditions: Conditions,
    tell: Tell = nobody,
) -> Baskets:
    """The cheapest purchases that meet the wish; `tell` hears how many were tried."""
    if not offers:
        return Baskets(
            baskets=(), tried=0, why_not="there is no price list: add what can be bought"
        )
    most = min(wish.bays if wish.bays is not None else MOST_DISKS, MOST_DISKS)
    # Spinning and flash disks are never put into one group.
    spinning = any(o.kind == "hdd" for o in offers)
    offers = [o for o in offers if (o.kind == "hdd") == spinning]
    at_hand = [d for d in at_hand if (d.kind == "hdd") == spinning]
    baskets: list[Basket] = []
    tried = 0
    seen: set[tuple[str, ...]] = set()
    best_room = most_raw = 0
    small: list[tuple[int, list[DiskFacts]]] = []  # the nearest may be here
    for cost, basket in sorted(_purchases(offers, at_most, most), key=lambda b: b[0]):
        if wish.budget_minor is not None and cost > wish.budget_minor:
            break
        tried += 1
        if tried % 64 == 0 and not tell(0.0, f"{tried:,} purchases tried"):
            break
        bought = _each(basket)
        raw = sum(d.capacity_bytes for d in (*bought, *at_hand))
        most_raw = max(most_raw, raw)
        if raw < wish.usable_bytes:
            small.append((raw, bought))
            continue
        fit = _fit(bought, at_hand, wish, conditions, most, wish.usable_bytes)
        if fit is None:
            small.append((raw, bought))
            continue
        best_room = max(best_room, fit.usable)
        if fit.usable < wish.usable_bytes:
            small.append((raw, bought))
            continue
        kinds = tuple(sorted(o.id for o, _ in basket))
        if kinds in seen:
            continue  # more of the same for more money
        seen.add(kinds)
        baskets.append(_basket(cost, basket, fit, at_hand, conditions, baskets))
        if len(baskets) == ALTERNATIVES:
            break
    why = ""
    if not baskets:
        for raw, bought in sorted(small, key=lambda s: -s[0]):
            if raw <= best_room or not tell(1.0, "looking for the nearest"):
                break
            fit = _fit(bought, at_hand, wish, conditions, most, best_room)
            best_room = max(best_room, fit.usable if fit else 0)
        why = _why_not(wish, most, best_room, most_raw)
    return Baskets(baskets=tuple(baskets), tried=tried, why_not=why)


def _why_not(wish: Wish, bays: int, best_room: int, most_raw: int) -> str:
    """That nothing is enough, and what comes nearest."""
    money = " for that money" if wish.budget_minor is not None else ""
    nearest = (
        f"the most is {size_words(best_room)}"
        if best_room
        else f"even the largest has {size_words(most_raw)} in all"
    )
    return (
        f"no purchase{money} gives {size_words(wish.usable_bytes)} that outlives any "
        f"{wish.survive} in {bays} bays; {nearest}"
    )


Purchase = tuple[tuple[DiskFacts, int], ...]


def _each(basket: Purchase) -> list[DiskFacts]:
    """Every disk of a purchase, told apart by a number."""
    return [
        replace(o, id=f"{o.id}-{n}", label=f"{o.label} {n + 1}")
        for o, count in basket
        for n in range(count)
    ]


def _purchases(
    offers: Sequence[DiskFacts], at_most: dict[str, int], most: int
) -> Iterator[tuple[int, Purchase]]:
    """Baskets of one or two kinds with their prices."""
    for offer in offers:
        for count in range(1, min(most, at_most.get(offer.id, most)) + 1):
            yield offer.price_minor * count, ((offer, count),)
    for a, b in combinations(offers, 2):
        for i in range(1, min(most, at_most.get(a.id, most)) + 1):
            for j in range(1, min(most - i, at_most.get(b.id, most)) + 1):
                yield a.price_minor * i + b.price_minor * j, ((a, i), (b, j))


def _fit(
    bought: Sequence[DiskFacts],
    at_hand: Sequence[DiskFacts],
    wish: Wish,
    conditions: Conditions,
    most: int,
    above: int,
) -> _Fit | None:
    """The layout with the most room that takes all that is bought and the largest at hand.

    Disks that hold less than `above` bytes in all are not laid out: no layout has more room than they.
    """
    best: _Fit | None = None
    old = sorted(at_hand, key=lambda d: (d.worn, -d.capacity_bytes))
    for extra in range(min(len(old), most - len(bought)) + 1):
        disks = [*bought, *old[:extra]]
        if sum(d.capacity_bytes for d in disks) < above:
            continue
        made: dict[tuple[tuple[int, ...], bool], list[list[DiskFacts]]] = {}  # families share them
        for family in FAMILIES.values():
            if family.card or (wish.over_time and family.grows_by != "disk"):
                continue
            for widths in family.groupings(len(disks)):
                if outlives(family, widths) < wish.survive:
                    continue
                key = (tuple(widths), family.parity_last)
                if key not in made:
                    made[key] = grouped(disks, widths, family.parity_last)
                groups = made[key]
                sizes = tuple(tuple(d.capacity_bytes for d in g) for g in groups)
                if family.complaint(sizes):
                    continue
                for filesystem in searched():
                    if filesystem not in family.filesystems or not _allowed(filesystem, wish):
                        continue
                    usable = room.usable_bytes(
                        family.id, sizes, filesystem, conditions.ashift, conditions.record_bytes
                    )
                    if best is None or usable > best.usable:
                        best = _Fit(family.id, tuple(map(tuple, groups)), filesystem, usable)
        if best is not None and best.usable >= wish.usable_bytes:
            return best
    return best


def _allowed(filesystem: str, wish: Wish) -> bool:
    system = FILESYSTEMS[filesystem]
    if wish.filesystem and filesystem != wish.filesystem:
        return False
    if wish.replication and not system.guest_replication:
        return False
    return (system.snapshots or not wish.snapshots) and (system.checksums or not wish.checksums)


def _basket(
    cost: int,
    basket: Purchase,
    fit: _Fit,
    at_hand: Sequence[DiskFacts],
    conditions: Conditions,
    cheaper: Sequence[Basket],
) -> Basket:
    layout = lay_out(fit.family, fit.groups, fit.filesystem, conditions)
    have = {d.id for d in at_hand}
    uses = tuple(d.label for g in fit.groups for d in g if d.id in have)
    names = " and ".join(f"{count} x {offer.label}" for offer, count in basket)
    beside = f" with {', '.join(uses)}" if uses else ""
    what = f"{names}{beside} as {layout.title} on {layout.filesystem}"
    if not cheaper:
        sentence = f"The least money: {what}."
    else:
        gain = (layout.usable_bytes - cheaper[0].layout.usable_bytes) / 1e12
        sentence = f"{what}: {gain:+.2f} TB against the cheapest."
    return Basket(
        items=tuple(Piece(label=offer.label, count=count) for offer, count in basket),
        cost_minor=cost,
        layout=layout,
        uses=uses,
        sentence=sentence,
    )
