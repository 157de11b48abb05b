"""Who may touch what, and why.

The rules, as practised: an account's own grant overrides its groups'; among groups an explicit
none wins, then the widest; guest access holds for whoever has no grant at all.
Source: common practice, no source; the server configuration is written to give the same.
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence

from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.plan import Account, Grant, Right, Share

WIDTH = {"none": 0, "read": 1, "write": 2}


class Access(BaseModel):
    """The right that results for one account on one share, and the chain of reasons."""

    model_config = ConfigDict(frozen=True)

    account: str
    share: str
    right: Right
    because: tuple[str, ...]


def access_matrix(index: Index) -> list[Access]:
    """One cell for each account and share, accounts in plan order within each share."""
    by_share: dict[str, list[Grant]] = defaultdict(list)
    for grant in index.plan.grants:
        by_share[grant.share].append(grant)
    groups_of: dict[str, list[str]] = defaultdict(list)
    for group in index.plan.groups:
        for member in group.members:
            groups_of[member].append(group.id)
    names = {g.id: g.name for g in index.plan.groups}
    return [
        _access(account, share, by_share[share.id], groups_of[account.id], names)
        for share in index.plan.shares
        for account in index.plan.accounts
    ]


def _access(
    account: Account,
    share: Share,
    grants: Sequence[Grant],
    member_of: Sequence[str],
    names: Mapping[str, str],
) -> Access:
    def cell(right: Right, *because: str) -> Access:
        return Access(account=account.id, share=share.id, right=right, because=because)

    if not account.enabled:
        return cell("none", "the account is switched off")
    own = [g for g in grants if g.account == account.id]
    through = [g for g in grants if g.group in member_of]
    over = [f"over {names[g.group]}: {g.right}" for g in through if g.group]
    if own:
        # Two own grants cannot both stand in a consistent plan.
        return cell(own[0].right, f"own grant: {own[0].right}", *over)
    refused = [g for g in through if g.right == "none"]
    if refused:
        named = ", ".join(names[g.group] for g in refused if g.group)
        return cell("none", f"group {named}: none, and none wins", *over)
    if through:
        widest = max(through, key=lambda g: WIDTH[g.right])
        return cell(widest.right, f"group {names[widest.group or '']}: {widest.right}")
    if share.guest != "none":
        return cell(share.guest, f"guest: {share.guest}")
    return cell("none", "no grant")


def writers(index: Index, dataset: str, matrix: Sequence[Access]) -> list[Account]:
    """Enabled accounts that can write the dataset through any of its shares."""
    shares = {s.id for s in index.shares_of.get(dataset, [])}
    able = {a.account for a in matrix if a.share in shares and a.right == "write"}
    return [a for a in index.plan.accounts if a.id in able]
