"""Shares, accounts, grants, and everything that serves or is served beside SMB, in their tables."""

import sqlite3
from collections import defaultdict
from datetime import date
from typing import Any

from kavrel.core.plan import (
    Account,
    App,
    DefaultLogin,
    Export,
    Grant,
    Group,
    Mount,
    Network,
    Opening,
    Plan,
    Quota,
    Share,
)
from kavrel.store.rows import flags, read_items, read_rows, values, write_items, write_rows

SHARE = tuple(Share.model_fields)
ACCOUNT = tuple(Account.model_fields)
GROUP = ("id", "name", "number")
MEMBER = ("account_group", "place", "account")
GRANT = ("id", "share", "account", "account_group", "access_right", "expires_on")
BESIDE: tuple[tuple[str, str, type[Any]], ...] = (
    ("networks", "network", Network),
    ("quotas", "quota", Quota),
    ("exports", "export", Export),
    ("apps", "app", App),
    ("mounts", "mount", Mount),
    ("default_logins", "default_login", DefaultLogin),
    ("openings", "opening", Opening),
)
COLLECTIONS = (
    "shares",
    "accounts",
    "groups",
    "grants",
    "networks",
    "quotas",
    "exports",
    "apps",
    "mounts",
    "default_logins",
    "openings",
)


def read(db: sqlite3.Connection, plan_id: str) -> dict[str, Any]:
    """The shares part of a plan."""

    def rows(table: str, columns: tuple[str, ...], order: str = "position") -> list[dict[str, Any]]:
        return read_rows(db, table, columns, plan_id, order)

    members: dict[str, list[str]] = defaultdict(list)
    for row in rows("group_member", MEMBER, "account_group, place"):
        members[row["account_group"]].append(row["account"])
    return {
        "shares": tuple(
            Share(**flags(r, "smb1", "home", "hidden", "pc_backups")) for r in rows("share", SHARE)
        ),
        "accounts": tuple(
            Account(**flags(r, "enabled", "second_factor", "must_change"))
            for r in rows("account", ACCOUNT)
        ),
        "groups": tuple(
            Group(**r, members=tuple(members[r["id"]])) for r in rows("account_group", GROUP)
        ),
        "grants": tuple(
            Grant(
                id=r["id"],
                share=r["share"],
                account=r["account"],
                group=r["account_group"],
                right=r["access_right"],
                expires_on=r["expires_on"],
            )
            for r in rows("access_grant", GRANT)
        ),
        **{name: read_items(db, table, model, plan_id) for name, table, model in BESIDE},
    }


def write(db: sqlite3.Connection, plan_id: str, plan: Plan) -> None:
    """Writes the shares part of a plan."""
    shares = [values(s, SHARE, n) for n, s in enumerate(plan.shares)]
    write_rows(db, "share", (*SHARE, "position"), plan_id, shares)
    accounts = [values(a, ACCOUNT, n) for n, a in enumerate(plan.accounts)]
    write_rows(db, "account", (*ACCOUNT, "position"), plan_id, accounts)
    groups = [values(g, GROUP, n) for n, g in enumerate(plan.groups)]
    write_rows(db, "account_group", (*GROUP, "position"), plan_id, groups)
    members = [(g.id, n, m) for g in plan.groups for n, m in enumerate(g.members)]
    write_rows(db, "group_member", MEMBER, plan_id, members)
    grants = [
        (g.id, g.share, g.account, g.group, g.right, _day(g.expires_on), n)
        for n, g in enumerate(plan.grants)
    ]
    write_rows(db, "access_grant", (*GRANT, "position"), plan_id, grants)
    for name, table, model in BESIDE:
        write_items(db, table, model, plan_id, getattr(plan, name))


def _day(day: date | None) -> str | None:
    return day.isoformat() if day else None
