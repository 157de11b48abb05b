"""What a bare machine's SMB server finds there after its setup.sh: accounts, groups, folders, its file."""

import stat as modes

from kavrel.core.index import Index
from kavrel.core.shares.names import folders
from kavrel.formats.samba import smb_conf
from kavrel.rig.bare.machine import Machine, Rights
from kavrel.rig.bare.restart import named
from kavrel.rig.shared import Folder, Member, Shared


def shared(index: Index, host: str, machine: Machine) -> Shared | None:
    """For a host that serves shares from pools that stand on the machine; None where none does."""
    paths = folders(index.plan)
    mine = {
        share.id: share.name
        for share in index.plan.shares
        if index.pools[index.datasets[share.dataset].pool].host == host
        and paths[share.dataset] in machine.rights
    }
    if not mine:
        return None
    numbers = machine.groups
    return Shared(
        host,
        smb_conf(index.plan, host, "revision 1", machine.today),
        {n: Member(p.number, p.group, frozenset(p.groups)) for n, p in machine.people.items()},
        dict(numbers),
        {path: _folder(machine, path) for path in sorted(machine.rights)},
        mine,
    )


def _folder(machine: Machine, path: str) -> Folder:
    rights = named(machine, machine.rights.get(path, Rights()))
    there = machine.inside(path)
    mode = modes.S_IMODE(there.stat().st_mode) if there.exists() else 0
    return Folder(rights.owner, rights.group, mode, dict(rights.entries))
