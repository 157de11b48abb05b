"""Cautions by their causes: one cause is one caution, with its members and one way out.

What follows from another finding about the same thing is told there and not apart. Causes stand in
order of severity, and then of what they could cost: the worth of the data that they touch.
"""

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence

from pydantic import BaseModel, ConfigDict

from kavrel.core.cautions.caution import Caution, Severity, Sheet, View
from kavrel.core.made import made

ORDER: dict[Severity, int] = {"serious": 0, "caution": 1, "advice": 2}


class Cause(BaseModel):
    """One cause: the things that it is about, what follows from it, and the way out.

    `touches_money`: worth of the datasets concerned, in whole units of the plan's currency.
    """

    model_config = ConfigDict(frozen=True)

    rule: str
    severity: Severity
    sheet: Sheet
    remedy: str
    could: str
    members: tuple[Caution, ...]
    follows: tuple[Caution, ...]
    touches_money: float


def _same(view: View, root: Caution, other: Caution) -> bool:
    return root.about == other.about


def _same_host(view: View, root: Caution, other: Caution) -> bool:
    hosts = {d.id: d.host for d in view.index.plan.default_logins}
    return hosts.get(root.about) == other.about


Related = Callable[[View, Caution, Caution], bool]
# What follows, from which rule, and when the two are about the same.
FOLLOWS: dict[str, tuple[tuple[str, Related], ...]] = {
    "lost_for_good": (("no_copy", _same),),
    "no_offsite": (("no_copy", _same),),
    "noticed_too_late": (("lost_for_good", _same),),
    "source_can_delete": (("lost_for_good", _same),),
    "key_in_one_place": (("key_burns", _same),),
    "trash_can_too_short": (("mirror_as_backup", _same),),
    "everybody_writes": (("guest_write", _same),),
    "points_fill_the_pool": (("pool_too_small", _same),),
    "pool_full": (("pool_too_small", _same), ("points_fill_the_pool", _same)),
    "full_within_a_year": (("pool_full", _same), ("pool_too_small", _same)),
    "default_passwords": (("default_login", _same_host),),
    "logins_unlisted": (("default_passwords", _same),),
    "no_redundancy": (("odds_not_accepted", _same),),
    "same_box": (("no_copy", _same),),
}


def causes(view: View, raised: Sequence[Caution]) -> tuple[Cause, ...]:
    """The findings by cause, what could cost most on top."""
    by_rule: dict[str, list[Caution]] = defaultdict(list)
    for each in raised:
        by_rule[each.rule].append(each)
    told: dict[int, str] = {}
    for each in raised:
        for root, related in FOLLOWS.get(each.rule, ()):
            if any(related(view, r, each) for r in by_rule.get(root, ())):
                told[id(each)] = root
                break
    # A root may follow from something else itself: then all is told there.
    for key in told:
        while all(id(m) in told for m in by_rule[told[key]]):
            told[key] = told[id(by_rule[told[key]][0])]
    following: dict[str, list[Caution]] = defaultdict(list)
    for each in raised:
        if id(each) in told:
            following[told[id(each)]].append(each)
    result = []
    for rule, members in by_rule.items():
        own = [m for m in members if id(m) not in told]
        if not own:
            continue
        follows = following.get(rule, [])
        first = own[0]
        result.append(
            made(
                Cause,
                rule=rule,
                severity=min((c.severity for c in (*own, *follows)), key=lambda s: ORDER[s]),
                sheet=first.sheet,
                remedy=first.remedy,
                could=first.could,
                members=tuple(own),
                follows=tuple(follows),
                touches_money=_worth(view, (*own, *follows)),
            )
        )
    return tuple(sorted(result, key=lambda c: (ORDER[c.severity], -c.touches_money)))


def _worth(view: View, raised: Iterable[Caution]) -> float:
    """Worth of all the datasets that these are about."""
    known = view.index.assumptions
    ids = {d for each in raised for d in touched(view, each)}
    return sum(
        known[f"{d.worth}_money"]
        for d in view.index.plan.datasets
        if d.id in ids and not d.throw_away
    )


def touched(view: View, each: Caution) -> set[str]:
    """The datasets that a finding is about: itself, or what lies on it or goes through it."""
    index, about = view.index, each.about
    datasets = index.plan.datasets
    match each.about_kind:
        case "dataset":
            return {about} & set(index.datasets)
        case "job":
            return set(index.jobs[about].datasets) if about in index.jobs else set()
        case "pool":
            return {d.id for d in datasets if d.pool == about}
        case "disk":
            pool = index.disks_in_pools.get(about)
            return {d.id for d in datasets if d.pool == pool} | set(index.held.get(about, ()))
        case "share":
            return {index.shares[about].dataset} if about in index.shares else set()
        case "host":
            pools = {p.id for p in index.plan.pools if p.host == about}
            return {d.id for d in datasets if d.pool in pools}
        case "export":
            return {e.dataset for e in index.plan.exports if e.id == about}
        case "default_login":
            hosts = {d.host for d in index.plan.default_logins if d.id == about}
            pools = {p.id for p in index.plan.pools if p.host in hosts}
            return {d.id for d in datasets if d.pool in pools}
    return set()
