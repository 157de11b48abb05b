"""Everything that anybody can reach, over every protocol and through every application, and why.

`access_changes` compares two plans: who gains and who loses, before anything is saved.
"""

from collections.abc import Sequence
from datetime import date
from typing import Literal

from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.made import made
from kavrel.core.plan import Plan, Right
from kavrel.core.shares.access import WIDTH, Access, access_matrix, off
from kavrel.core.shares.protocols import PROTOCOLS

Subject = Literal["account", "machine", "app"]


class Reach(BaseModel):
    """One subject at one thing: over which protocol, with which right, and because of what."""

    model_config = ConfigDict(frozen=True)

    subject_kind: Subject
    subject: str  # an id, or a machine's address or name
    name: str
    thing: str  # id of the share, export or mount
    thing_name: str
    protocol: str
    dataset: str
    right: Right
    because: tuple[str, ...]


class AccessChange(BaseModel):
    """What one subject gains or loses at one thing."""

    model_config = ConfigDict(frozen=True)

    subject_kind: Subject
    subject: str
    name: str
    protocol: str
    thing: str
    thing_name: str
    before: Right
    after: Right
    gains: bool
    because: tuple[str, ...]


def reach(index: Index, matrix: Sequence[Access], today: date) -> list[Reach]:
    """All reaches beyond none: SMB from the matrix, then exports, then applications."""
    plan = index.plan
    reached = []
    for cell in matrix:
        if cell.right != "none":
            share = index.shares[cell.share]
            reached.append(
                _reach(
                    "account",
                    cell.account,
                    index.accounts[cell.account].login,
                    share.id,
                    share.name,
                    "smb",
                    share.dataset,
                    cell.right,
                    cell.because,
                )
            )
    for export in plan.exports:
        for kind, subject, right, because in PROTOCOLS[export.protocol].seen(export, index):
            account = index.accounts.get(subject) if kind == "account" else None
            if account and off(account, today):
                continue
            reached.append(
                _reach(
                    "account" if account else "machine",
                    subject,
                    account.login if account else subject,
                    export.id,
                    export.name,
                    export.protocol,
                    export.dataset,
                    right,
                    (because,),
                )
            )
    apps = {a.id: a for a in plan.apps}
    for mount in plan.mounts:
        app = apps[mount.app]
        account = index.accounts.get(app.account or "")
        runs = f"runs as {account.login}" if account else "runs as root"
        reached.append(
            _reach(
                "app",
                app.id,
                app.name,
                mount.id,
                mount.inside,
                "path",
                mount.dataset,
                mount.may,
                (f"sees it at {mount.inside}", runs),
            )
        )
    return reached


def _reach(
    subject_kind: Subject,
    subject: str,
    name: str,
    thing: str,
    thing_name: str,
    protocol: str,
    dataset: str,
    right: Right,
    because: tuple[str, ...],
) -> Reach:
    return made(
        Reach,
        subject_kind=subject_kind,
        subject=subject,
        name=name,
        thing=thing,
        thing_name=thing_name,
        protocol=protocol,
        dataset=dataset,
        right=right,
        because=because,
    )


def access_changes(before: Plan, after: Plan, today: date) -> list[AccessChange]:
    """Who gains or loses what from one plan to another, losses of the widest rights first."""
    here, there = Index(before), Index(after)
    was_cells, now_cells = access_matrix(here, today), access_matrix(there, today)
    # Rows that did not change are the same cells by identity: only what differs is looked at.
    same = {id(c) for c in was_cells} & {id(c) for c in now_cells}

    def all_of(index: Index, cells: list[Access]) -> dict[tuple[str, str, str], Reach]:
        reached = reach(index, [c for c in cells if id(c) not in same], today)
        return {(r.subject_kind, r.name, f"{r.protocol}/{r.thing}"): r for r in reached}

    old, new = all_of(here, was_cells), all_of(there, now_cells)
    changes = []
    for key in (*old, *(k for k in new if k not in old)):
        was, now = old.get(key), new.get(key)
        a: Right = was.right if was else "none"
        b: Right = now.right if now else "none"
        if a == b:
            continue
        shown = now or was
        assert shown is not None
        changes.append(
            AccessChange(
                subject_kind=shown.subject_kind,
                subject=shown.subject,
                name=shown.name,
                protocol=shown.protocol,
                thing=shown.thing,
                thing_name=shown.thing_name,
                before=a,
                after=b,
                gains=WIDTH[b] > WIDTH[a],
                because=now.because if now else ("nothing lets it in any more",),
            )
        )
    return changes
