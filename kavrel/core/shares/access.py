"""Who may touch what over SMB, and why.

The rules, as practised: an account's own grant overrides its groups'; among groups an explicit
none wins, then the widest; guest access holds for whoever has no grant at all. A grant or an
account that has run out counts as if it were not there.
Source: common practice, no source; the server configuration is written to give the same.
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date
from typing import NamedTuple

from kavrel.core.index import Index
from kavrel.core.plan import Account, Grant, Right, Share

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
    own: dict[str, dict[str, Grant]] = defaultdict(dict)
    of_group: dict[str, dict[str, Grant]] = defaultdict(dict)
    for grant in index.plan.grants:
        if grant.expires_on and grant.expires_on <= today:
            continue
        if grant.account:
            own[grant.share].setdefault(grant.account, grant)
        elif grant.group:
            of_group[grant.share].setdefault(grant.group, grant)
    member_of: dict[str, list[str]] = defaultdict(list)
    for group in index.plan.groups:
        for member in group.members:
            member_of[member].append(group.id)
    names = {g.id: g.name for g in index.plan.groups}
    is_off = {a.id: why for a in index.plan.accounts if (why := off(a, today))}
    members = {g.id: g.members for g in index.plan.groups}
    logins = [a.id for a in index.plan.accounts]
    cells: list[Access] = []
    for share in index.plan.shares:
        mine, theirs = own[share.id], of_group[share.id]
        # Most accounts have neither a grant of their own nor a group's: they are what a guest is.
        nobody = _resolved(share, None, (), names)
        touched = set(mine).union(*(members[g] for g in theirs), is_off)
        alike: dict[tuple[Right | None, tuple[str, ...]], Resolved] = {}
        for key in logins:
            if key not in touched:
                cells.append(Access(key, share.id, *nobody))
            elif key in is_off:
                cells.append(Access(key, share.id, "none", (is_off[key],)))
            else:
                through = tuple([g for g in member_of[key] if g in theirs])
                direct = mine.get(key)
                # Whoever is in the same groups here has the same right for the same reason.
                known = (direct.right if direct else None, through)
                cell = alike.get(known)
                if cell is None:
                    cell = _resolved(share, direct, [theirs[g] for g in through], names)
                    alike[known] = cell
                cells.append(Access(key, share.id, *cell))
    return cells


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


def writers(index: Index, dataset: str, matrix: Sequence[Access]) -> list[Account]:
    """Accounts that can write the dataset through any of its shares."""
    wanted = {s.id for s in index.shares_of.get(dataset, [])}
    width = len(index.plan.accounts)
    able: set[str] = set()
    for n, share in enumerate(index.plan.shares):
        if share.id in wanted:
            row = matrix[n * width : (n + 1) * width]
            able |= {cell.account for cell in row if cell.right == "write"}
    return [a for a in index.plan.accounts if a.id in able]
