"""Data of another box that an application sees: brought over by NFS to a folder of the box that it runs on.

Sources: nfs(5); mount(8), X-mount.mkdir; exports(5) on squashing: who somebody is, a number alone says.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.bench.meeting import meeting
from kavrel.core.index import Index
from kavrel.core.plan import App, Export, Host, Mount
from kavrel.core.shares.addresses import is_among
from kavrel.core.shares.names import folders


@dataclass(frozen=True)
class Brought:
    """An export as a box mounts it for the paths of its applications: `path` of the box at address `at`."""

    export: Export
    mounts: tuple[Mount, ...]
    at: str
    path: str

    @property
    def folder(self) -> str:
        """Where the box has it."""
        return place_of(self.export)

    @property
    def options(self) -> str:
        """Options of fstab: a start goes on without the other box, and it is tried again until that is there.

        Without `bg` a box that is up first after a power cut would do without for good. Source: nfs(5), bg;
        systemd.mount(5) on what becomes of it.
        """
        only = "" if any(m.may == "write" for m in self.mounts) else ",ro"
        locked = ",sec=krb5p" if self.export.secured else ""
        return f"_netdev,nofail,bg,noatime{only}{locked}"


def place_of(export: Export) -> str:
    """The folder at which a client of an export finds it."""
    return f"/mnt/{export.id}"


def is_far(index: Index, mount: Mount) -> bool:
    """Whether its data is on another box than its application."""
    return _home(index, mount).id != _app(index, mount).host


def brought(index: Index, host: str) -> Iterator[Brought]:
    """What a box mounts for its applications; a virtual machine mounts for itself."""
    by_export: dict[str, list[Mount]] = {}
    for mount in index.plan.mounts:
        app = _app(index, mount)
        if app.host == host and app.kind != "vm" and is_far(index, mount):
            export = gives(index, mount)
            if export is not None:
                by_export.setdefault(export.id, []).append(mount)
    for some in by_export.values():
        yield _brought(index, some)


def for_machine(index: Index, mount: Mount) -> Brought | None:
    """What a virtual machine mounts for itself, where an export lets it; of its own box by its own address."""
    known = is_far(index, mount) or _app(index, mount).address
    return _brought(index, [mount]) if known and gives(index, mount) else None


def _brought(index: Index, some: list[Mount]) -> Brought:
    export = gives(index, some[0])
    assert export is not None
    here, there = index.hosts[_app(index, some[0]).host], _home(index, some[0])
    path = folders(index.plan)[export.dataset]
    return Brought(export, tuple(some), meeting(here, there).at, path)


def gives(index: Index, mount: Mount) -> Export | None:
    """The export that brings a path's data over; None where none does."""
    return next((e for e in _exports(index, mount) if not _refuses(index, mount, e)), None)


def lacks(index: Index, mount: Mount) -> str:
    """Why nothing brings a path's data to its application; empty where something does."""
    if not is_far(index, mount) or gives(index, mount):
        return ""
    dataset, there = index.datasets[mount.dataset], _home(index, mount)
    first = next(iter(_exports(index, mount)), None)
    if first is None:
        return f"{dataset.name} is on {there.name}, and nothing brings it over"
    return f"{dataset.name} is on {there.name}; {_refuses(index, mount, first)}"


def _exports(index: Index, mount: Mount) -> Iterator[Export]:
    return (e for e in index.plan.exports if e.protocol == "nfs" and e.dataset == mount.dataset)


def _refuses(index: Index, mount: Mount, export: Export) -> str:
    """Why an export is of no use to an application; empty where it is."""
    app, there = _app(index, mount), _home(index, mount)
    here = index.hosts[app.host]
    seen = app.address if app.kind == "vm" and app.address else meeting(here, there).seen
    named = any(c.lower().partition(".")[0] == here.name.lower() for c in export.clients)
    if not named and not seen:
        return f"nothing says from which address {here.name} comes, so {export.name} lets nobody in for it"
    if not named and not is_among(seen or "", export.clients):
        return f"{export.name} does not let {seen} in"
    if mount.may == "write" and export.may == "read":
        return f"{export.name} gives it to read alone"
    account = index.accounts.get(app.account or "")
    if export.squash == "all":
        return ""
    if account is None and export.squash == "root":
        return f"{app.name} runs as root, which is nobody on {there.name}: give it an account with a number"
    if account is not None and account.number is None:
        return f"{account.login} has no number in the plan, and on {there.name} a number says who somebody is"
    return ""


def _app(index: Index, mount: Mount) -> App:
    return next(a for a in index.plan.apps if a.id == mount.app)


def _home(index: Index, mount: Mount) -> Host:
    return index.hosts[index.pools[index.datasets[mount.dataset].pool].host]
