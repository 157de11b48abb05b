"""What offers a parent dataset lets in whom its child keeps out.

A child that something offers by itself is its own. What offers the folder above it still goes down
into it, as far as the child's folder lets it: as the account that signed in, as root (an rsync
module, an application without an account, clients with root let in), as nobody, or with whichever
number a client says. Tried with the NFS server of Linux 6.1 and with smbd.
"""

import ipaddress
from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Dataset, Right
from kavrel.core.shares.access import WIDTH
from kavrel.core.shares.parts import offered
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.shares.reach import Reach, reach
from kavrel.core.works.folders import FolderAccess, anybody_may, folder_works, may_in

GUESTS = "guests"


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    # What nothing offers by itself is a part of what it lies in.
    alone = offered(index)
    children = [d for d in index.plan.datasets if d.parent and d.id in alone]
    if not children:
        return
    lines = {c: list(_above(view, c)) for c in children}
    related = {d for c, above in lines.items() for d in (c.id, *above)}
    rows = list(_rows(view, related))
    folders = {key: w for w in folder_works(index, None, view.today) for _, key in w.makes}
    for child, above in lines.items():
        own = [r for r in rows if r.dataset == child.id]
        through: dict[str, list[str]] = {}
        for row in (r for r in rows if r.dataset in above):
            got = _gets(view, row, child, folders[child.id])
            held = max((WIDTH[r.right] for r in own if _is_in(row, r)), default=0)
            if WIDTH[got] > held:
                who = row.name if held == 0 else f"{row.name} (to {got})"
                through.setdefault(row.thing_name, []).append(who)
        for name, kept_out in through.items():
            who = ", ".join(dict.fromkeys(kept_out))
            yield child.id, child.name, f"{who}: not let in here, and gets in through {name}."


def _above(view: View, dataset: Dataset) -> Iterator[str]:
    above = dataset.parent
    while above:
        yield above
        above = view.index.datasets[above].parent


def _rows(view: View, datasets: set[str]) -> Iterator[Reach]:
    """Who reaches one of these over anything, guests too."""
    shares = {s.id for s in view.index.plan.shares if s.dataset in datasets and not s.home}
    cells = [c for c in view.matrix if c.share in shares]
    yield from (r for r in reach(view.index, cells, view.today) if r.dataset in datasets)
    for share in view.index.plan.shares:
        if share.id in shares and share.guest != "none":
            yield Reach(
                subject_kind="machine",
                subject=GUESTS,
                name=GUESTS,
                thing=share.id,
                thing_name=share.name,
                protocol="smb",
                dataset=share.dataset,
                right=share.guest,
                because=(),
            )


def _gets(view: View, row: Reach, child: Dataset, folder: FolderAccess) -> Right:
    """What this way in gives in the child's folder."""
    index = view.index
    account = index.accounts.get(row.subject)
    if row.protocol == "path":
        app = next(a for a in index.plan.apps if a.id == row.subject)
        account = index.accounts.get(app.account or "")
        bits = may_in(index, folder, account) if account else 7
    elif row.subject == GUESTS:
        bits = may_in(index, folder, None)
    else:
        export = next((e for e in index.plan.exports if e.id == row.thing), None)
        protocol = PROTOCOLS[row.protocol]
        if not protocol.crosses and FILESYSTEMS[index.pools[child.pool].filesystem].by_name:
            return "none"
        actor = protocol.acts_as(export) if export else "account"
        bits = 7 if actor == "root" else 0
        if actor == "anybody":
            bits = anybody_may(folder)
        elif actor in ("nobody", "account"):
            bits = may_in(index, folder, account if actor == "account" else None)
    able: Right = "write" if bits & 6 == 6 else "read" if bits & 4 else "none"
    return min(able, row.right, key=WIDTH.__getitem__)


def _is_in(row: Reach, own: Reach) -> bool:
    """Whether who comes this way is among those whom the child lets in."""
    if row.subject == own.subject:
        return True
    try:
        one, others = ipaddress.ip_network(row.subject), ipaddress.ip_network(own.subject)
    except ValueError:
        return False
    return one.version == others.version and one.subnet_of(others)  # type: ignore[arg-type]


CHILD_THROUGH_PARENT = Rule(
    "child_through_parent",
    "serious",
    "shares",
    "dataset",
    "Offer the child alone, give the parent the narrower rights, or move the child out of it.",
    _find,
    could="Whoever is kept out of the child reads it through its parent.",
)
