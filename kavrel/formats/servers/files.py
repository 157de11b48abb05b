"""The files of one host, each made from its template. See the manual pages named in each.

Sources: exports(5), rsyncd.conf(5), sshd_config(5), vsftpd.conf(5), fstab(5), nft(8),
systemd.mount(5), systemd.timer(5), targetcli(8) for the saved configuration of LIO.
"""

import ipaddress
import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Export, Plan
from kavrel.core.shares.brought import Brought, brought
from kavrel.core.shares.parts import parts_of
from kavrel.core.shares.protocols.ftp import CERTIFICATE, PASSIVE
from kavrel.core.shares.protocols.iscsi import target_name
from kavrel.core.works.doors import DoorOpen, door_works, forwards
from kavrel.core.works.secured import ftp_outside
from kavrel.core.works.shut_in import shut_in
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.tables import in_address, in_table
from kavrel.formats.servers.template import render


@dataclass(frozen=True)
class Offered:
    """An export with its folder, its logins and its options.

    `parts`: folders in it that are file systems of their own, and offered by nothing else. Without a
    line of their own a client of NFS would see an empty folder there, and write below what is mounted.
    `mounts`: what has to be mounted by itself before anybody has it, empty where its folder is the pool's.
    """

    export: Export
    folder: str
    logins: list[str]
    options: str
    comment: str
    parts: list[str]
    mounts: list[str]


def _offered(box: Box, protocol: str, today: date = date.min) -> list[Offered]:
    """Exports with who may sign in today: those switched off or run out are in no file."""
    offered = []
    for export in box.exports(protocol):
        logins = [box.login(a) for a in export.accounts if box.index.accounts[a].works_on(today)]
        name = box.index.datasets[export.dataset].name
        folder = box.folders[export.dataset]
        parts = _mounted_in(box, export)
        mounts = [folder, *parts] if _by_name(box, export) else []
        options = _nfs_options(export, mounts)
        offered.append(Offered(export, folder, logins, options, name, parts, mounts))
    return offered


def _mounted_in(box: Box, export: Export) -> list[str]:
    if not _by_name(box, export):
        return []
    return [box.folders[d] for d in parts_of(box.index).get(export.dataset, ())]


def _by_name(box: Box, export: Export) -> bool:
    """Whether each dataset is a file system of its own."""
    pool = box.index.pools[box.index.datasets[export.dataset].pool]
    return FILESYSTEMS[pool.filesystem].by_name


def _nfs_options(export: Export, mounts: list[str]) -> str:
    """Source: exports(5); with `mountpoint` a locked dataset is not given as the empty folder that it lies in.

    Elsewhere the folder itself is on the pool, and without it there is nothing to give.
    """
    squash = {"root": "root_squash", "all": "all_squash", "none": "no_root_squash"}[export.squash]
    parts = ["rw" if export.may == "write" else "ro", "sync", "no_subtree_check", squash]
    if export.secured:
        parts.append("sec=krb5p")
    if mounts:
        parts.append("mountpoint")
    return ",".join(parts)


def nfs_exports(plan: Plan, host: str, origin: str) -> str:
    """/etc/exports: no blank between a client and its options, which would let in everybody."""
    box = Box(plan, host)
    return render(
        "exports.j2", host=box.host, plan=plan, origin=origin, exports=_offered(box, "nfs")
    )


def rsyncd_conf(plan: Plan, host: str, origin: str, today: date = date.min) -> str:
    """/etc/rsyncd.conf with a module for each export that somebody may sign in at.

    An empty `auth users` would open a module to everybody, as root: it is left out, and said so.
    """
    box = Box(plan, host)
    offered = _offered(box, "rsync", today)
    return render(
        "rsyncd.conf.j2",
        host=box.host,
        plan=plan,
        origin=origin,
        exports=[e for e in offered if e.logins],
        shut=[e for e in offered if not e.logins],
    )


def rsyncd_secrets(plan: Plan, host: str, origin: str, today: date = date.min) -> str:
    """A stub: a line for each login, without a password."""
    box = Box(plan, host)
    logins = sorted({login for e in _offered(box, "rsync", today) for login in e.logins})
    return render("rsyncd.secrets.j2", host=box.host, origin=origin, logins=logins)


def sshd_sftp(plan: Plan, host: str, origin: str, today: date = date.min) -> str:
    """Match blocks that shut SFTP accounts in."""
    box = Box(plan, host)
    exports = [e for e in _offered(box, "sftp", today) if e.logins]
    return render("sshd_sftp.conf.j2", host=box.host, origin=origin, exports=exports)


def vsftpd_conf(plan: Plan, host: str, origin: str) -> str:
    """vsftpd.conf for the host's one FTP folder."""
    box = Box(plan, host)
    return render(
        "vsftpd.conf.j2",
        host=box.host,
        origin=origin,
        e=_offered(box, "ftp")[0],
        passive=PASSIVE,
        certificate=CERTIFICATE,
        outside=any(o.host == host and ftp_outside(box.index, o) for o in plan.openings),
    )


def ftp_pam(plan: Plan, host: str, origin: str) -> str:
    """The PAM service that vsftpd asks: the account's own password, whatever its shell."""
    return render("kavrel-ftp.pam.j2", host=Box(plan, host).host, origin=origin)


def vsftpd_userlist(plan: Plan, host: str, origin: str, today: date = date.min) -> str:
    """Who may sign in over FTP; the file knows no comments."""
    return render("vsftpd.userlist.j2", logins=_offered(Box(plan, host), "ftp", today)[0].logins)


def target_json(plan: Plan, host: str, origin: str) -> str:
    """The saved configuration of LIO: `targetctl restore FILE`. CHAP secrets are placeholders."""
    box = Box(plan, host)
    objects, targets = [], []
    for export in box.exports("iscsi"):
        pool = box.index.pools[box.index.datasets[export.dataset].pool]
        zvol = FILESYSTEMS[pool.filesystem].by_name
        dev = f"{box.folders[export.dataset]}/{export.name}.img"
        if zvol:
            dev = f"/dev/zvol/{box.zfs_name(box.folders[export.dataset])}/{export.name}"
        plugin = "block" if zvol else "fileio"
        storage: dict[str, object] = {"name": export.name, "plugin": plugin, "dev": dev}
        # What a kind of object does not know would be an error, and the disk left out.
        storage |= {"readonly": False} if zvol else {"size": export.size_bytes, "write_back": False}
        objects.append(storage)
        acls = []
        for client in export.clients:
            acl = {
                "node_wwn": client,
                "mapped_luns": [
                    {"index": 0, "tpg_lun": 0, "write_protect": export.may == "read"},
                ],
            }
            if export.secured:
                # Empty, so that nobody signs in before somebody has filled it in.
                acl |= {"chap_userid": export.name, "chap_password": ""}
            acls.append(acl)
        attributes = {
            "authentication": int(export.secured),
            "generate_node_acls": 0,
            "demo_mode_write_protect": 1,
        }
        targets.append(
            {
                "fabric": "iscsi",
                "wwn": target_name(export),
                "tpgs": [
                    {
                        "tag": 1,
                        "enable": True,
                        "attributes": attributes,
                        "luns": [
                            {"index": 0, "storage_object": f"/backstores/{plugin}/{export.name}"}
                        ],
                        "node_acls": acls,
                        "portals": [
                            {"ip_address": box.host.address or "0.0.0.0", "port": 3260},  # noqa: S104
                        ],
                    }
                ],
            }
        )
    saved = {
        "written_by": f"Kavrel from {origin}",
        "fabric_modules": [],
        "storage_objects": objects,
        "targets": targets,
    }
    return json.dumps(saved, indent=2) + "\n"


def fstab(plan: Plan, host: str, origin: str) -> str:
    """The lines for /etc/fstab."""
    box = Box(plan, host)
    return render(
        "fstab.j2",
        host=box.host,
        origin=origin,
        volumes=box.volumes,
        trees=box.trees,
        checked=lambda v: 2 if FILESYSTEMS[v.pool.filesystem].checked_at_start else 0,
        shut_in=list(shut_in(box.index, host)),
        far=[(nfs_line(one), one) for one in brought(box.index, host)],
    )


def nfs_line(one: Brought) -> str:
    """What a box brings over, as its fstab has it. Source: nfs(5), fstab(5)."""
    source = in_table(f"{in_address(one.at)}:{one.path}")
    return f"{source} {one.folder} nfs4 {one.options} 0 0"


def nftables_conf(plan: Plan, host: str, origin: str) -> str:
    """The firewall: the doors of the host, to those whom they are for."""
    box = Box(plan, host)
    doors = list(door_works(box.index, host))
    return render(
        "nftables.conf.j2",
        host=box.host,
        origin=origin,
        rules=list(dict.fromkeys(rule for d in doors if not d.by_hand for rule in _accept(d))),
        left=[f"{d.what}: {d.by_hand}" for d in doors if d.by_hand],
        forwards=forwards(box.index, host),
    )


def _accept(door: DoorOpen) -> Iterator[str]:
    """Rules that let a door in: one a family of addresses."""
    ports = f"{door.first}" if door.first == door.last else f"{door.first}-{door.last}"
    note = "".join(c for c in door.who if c.isascii() and c.isprintable() and c not in '"\\')[:100]
    end = f'{door.transport} dport {ports} accept comment "{note}"'
    if not door.sources and not door.to:
        yield end
        return
    for version, word in ((4, "ip"), (6, "ip6")):
        if door.to and ipaddress.ip_address(door.to).version != version:
            continue
        # An address answers on every wire of a box: only where it came in at the wire that has it.
        to = f"{word} daddr {door.to} fib daddr . iif type local " if door.to else ""
        if door.past and ipaddress.ip_address(door.past).version == version:
            to = f"{word} daddr != {door.past} "
        mine = [n for n in map(ipaddress.ip_network, door.sources) if n.version == version]
        # What lies inside another range would be refused as an overlap.
        merged = sorted(str(n) for n in ipaddress.collapse_addresses(mine))  # type: ignore[type-var]
        if merged:
            yield f"{word} saddr {{ {', '.join(merged)} }} {to}{end}"
        elif to and not door.sources:
            yield f"{to}{end}"
