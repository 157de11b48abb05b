"""Who may touch what over SMB, and why.

The rules, as practised: an account's own grant overrides its groups'; among groups an explicit
none wins, then the widest; guest access holds for whoever has no grant at all. A grant or an
account that has run out counts as if it were not there.
Source: common practice, no source; the server configuration is written to give the same.
"""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

from kavrel.core.index import Index
from kavrel.core.kept import Kept
from kavrel.core.plan import Account, Grant, Group, Right, Share

WIDTH = {"none": 0, "read": 1, "write": 2}


Resolved = tuple[Right, tuple[str, ...]]


class Access(NamedTuple):
    """The right that results for one account on one share, and the chain of reasons."""

    account: str
    share: str
    right: Right
    because: tuple[str, ...]


def off(account: Account, today: date) -> str:
    """Why an account cannot sign in on a day, or nothing."""
    if not account.enabled:
        return "the account is switched off"
    if account.expires_on and account.expires_on <= today:
        return f"the account ran out on {account.expires_on}"
    return ""


def access_matrix(index: Index, today: date = date.min) -> list[Access]:
    """One cell for each account and share, accounts in plan order within each share.

    Grants and accounts that have run out by `today` do not count.
    """
    plan = index.plan
    own: dict[str, dict[str, Grant]] = defaultdict(dict)
    of_group: dict[str, dict[str, Grant]] = defaultdict(dict)
    for grant in plan.grants:
        if grant.expires_on and grant.expires_on <= today:
            continue
        if grant.account:
            own[grant.share].setdefault(grant.account, grant)
        elif grant.group:
            of_group[grant.share].setdefault(grant.group, grant)
    member_of: dict[str, list[str]] = defaultdict(list)
    for group in plan.groups:
        for member in group.members:
            member_of[member].append(group.id)
    names = {g.id: g.name for g in plan.groups}
    is_off = {a.id: why for a in index.plan.accounts if (why := off(a, today))}
    members = {g.id: g.members for g in plan.groups}
    people = _People(plan.accounts, plan.groups, today, member_of, members, names, is_off)
    cells: list[Access] = []
    for share in plan.shares:
        cells += _row(share, own[share.id], of_group[share.id], people)
    return cells


@dataclass(frozen=True)
class _People:
    """Accounts and groups of one plan on a day, and what follows from them for every share."""

    accounts: tuple[Account, ...]
    groups: tuple[Group, ...]
    today: date
    member_of: Mapping[str, list[str]]
    members: Mapping[str, tuple[str, ...]]
    names: Mapping[str, str]
    is_off: Mapping[str, str]


@dataclass(frozen=True)
class _Row:
    """A share's cells and what they came from: the same things by identity give the same cells."""

    share: Share
    grants: tuple[Grant, ...]
    people: _People
    cells: list[Access]

    def holds_for(self, share: Share, grants: tuple[Grant, ...], people: _People) -> bool:
        """Whether nothing was changed since."""
        return (
            self.share is share
            and self.people.accounts is people.accounts
            and self.people.groups is people.groups
            and self.people.today == people.today
            and len(self.grants) == len(grants)
            and all(a is b for a, b in zip(self.grants, grants, strict=True))
        )


# An edit changes one grant; the rows of all other shares stay as they were.
# What is kept by a share's id is looked at before it is used: see `holds_for`.
_rows: Kept[str, _Row] = Kept(1024)


def _row(
    share: Share, mine: Mapping[str, Grant], theirs: Mapping[str, Grant], people: _People
) -> list[Access]:
    grants = (*mine.values(), *theirs.values())
    known = _rows.get(share.id)
    if known is not None and known.holds_for(share, grants, people):
        return known.cells
    cells = list(_cells(share, mine, theirs, people))
    _rows.put(share.id, _Row(share, grants, people, cells))
    return cells


def _cells(
    share: Share, mine: Mapping[str, Grant], theirs: Mapping[str, Grant], people: _People
) -> Iterator[Access]:
    # Most accounts have neither a grant of their own nor a group's: they are what a guest is.
    nobody = _resolved(share, None, (), people.names)
    is_off = people.is_off
    touched = set(mine).union(*(people.members[g] for g in theirs), is_off)
    alike: dict[tuple[Right | None, tuple[str, ...]], Resolved] = {}
    for account in people.accounts:
        key = account.id
        if key not in touched:
            yield Access(key, share.id, *nobody)
        elif key in is_off:
            yield Access(key, share.id, "none", (is_off[key],))
        else:
            through = tuple([g for g in people.member_of[key] if g in theirs])
            direct = mine.get(key)
            # Whoever is in the same groups here has the same right for the same reason.
            same = (direct.right if direct else None, through)
            cell = alike.get(same)
            if cell is None:
                cell = _resolved(share, direct, [theirs[g] for g in through], people.names)
                alike[same] = cell
            yield Access(key, share.id, *cell)


def _resolved(
    share: Share, own: Grant | None, through: Sequence[Grant], names: Mapping[str, str]
) -> Resolved:
    """The right and its reasons from an own grant, those of groups, and what guests have."""
    over = tuple(f"over {names[g.group]}: {g.right}" for g in through if g.group)
    if own:
        return own.right, (f"own grant: {own.right}", *over)
    refused = [g for g in through if g.right == "none"]
    if refused:
        named = ", ".join(names[g.group] for g in refused if g.group)
        return "none", (f"group {named}: none, and none wins", *over)
    if through:
        widest = max(through, key=lambda g: WIDTH[g.right])
        return widest.right, (f"group {names[widest.group or '']}: {widest.right}",)
    if share.guest != "none":
        return share.guest, (f"guest: {share.guest}",)
    return "none", ("no grant",)
