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
    off_why = {a.id: off(a, today) for a in index.plan.accounts}
    cells: list[Access] = []
    for share in index.plan.shares:
        mine, theirs = own[share.id], of_group[share.id]
        for account in index.plan.accounts:
            key = account.id
            if off_why[key]:
                cells.append(Access(key, share.id, "none", (off_why[key],)))
                continue
            through = [theirs[g] for g in member_of[key] if g in theirs] if theirs else []
            cells.append(_access(key, share, mine.get(key), through, names))
    return cells


def _access(
    account: str,
    share: Share,
    own: Grant | None,
    through: Sequence[Grant],
    names: Mapping[str, str],
) -> Access:
    over = tuple(f"over {names[g.group]}: {g.right}" for g in through if g.group)
    if own:
        return Access(account, share.id, own.right, (f"own grant: {own.right}", *over))
    refused = [g for g in through if g.right == "none"]
    if refused:
        named = ", ".join(names[g.group] for g in refused if g.group)
        return Access(account, share.id, "none", (f"group {named}: none, and none wins", *over))
    if through:
        widest = max(through, key=lambda g: WIDTH[g.right])
        because = f"group {names[widest.group or '']}: {widest.right}"
        return Access(account, share.id, widest.right, (because,))
    if share.guest != "none":
        return Access(account, share.id, share.guest, (f"guest: {share.guest}",))
    return Access(account, share.id, "none", ("no grant",))


def writers(index: Index, dataset: str, matrix: Sequence[Access]) -> list[Account]:
    """Enabled accounts that can write the dataset through any of its shares."""
    shares = {s.id for s in index.shares_of.get(dataset, [])}
    able = {a.account for a in matrix if a.right == "write" and a.share in shares}
    return [a for a in index.plan.accounts if a.id in able]
