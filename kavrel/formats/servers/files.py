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
from kavrel.core.shares.addresses import Listener, listeners
from kavrel.core.shares.protocols.ftp import PASSIVE
from kavrel.core.shares.protocols.iscsi import target_name
from kavrel.formats.servers.site import Box, Volume
from kavrel.formats.servers.template import render

PRIVATE = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fd00::/8")


@dataclass(frozen=True)
class Offered:
    """An export with its folder, its logins and its options."""

    export: Export
    folder: str
    logins: list[str]
    options: str
    comment: str


def _offered(box: Box, protocol: str, today: date = date.min) -> list[Offered]:
    """Exports with who may sign in today: those switched off or run out are in no file."""
    found = []
    for export in box.exports(protocol):
        logins = [box.login(a) for a in export.accounts if box.index.accounts[a].works_on(today)]
        name = box.index.datasets[export.dataset].name
        folder = box.folders[export.dataset]
        found.append(Offered(export, folder, logins, _nfs_options(export), name))
    return found


def _nfs_options(export: Export) -> str:
    squash = {"root": "root_squash", "all": "all_squash", "none": "no_root_squash"}[export.squash]
    parts = ["rw" if export.may == "write" else "ro", "sync", "no_subtree_check", squash]
    if export.secured:
        parts.append("sec=krb5p")
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
    found = _offered(box, "rsync", today)
    return render(
        "rsyncd.conf.j2",
        host=box.host,
        plan=plan,
        origin=origin,
        exports=[e for e in found if e.logins],
        shut=[e for e in found if not e.logins],
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
            dev = f"/dev/zvol/{box.folders[export.dataset].removeprefix('/srv/')}/{export.name}"
        plugin = "block" if zvol else "fileio"
        found = {"name": export.name, "plugin": plugin, "dev": dev, "readonly": False}
        if not zvol:
            found |= {"size": export.size_bytes, "write_back": False}
        objects.append(found)
        acls = []
        for client in export.clients:
            acl = {
                "node_wwn": client,
                "mapped_luns": [
                    {"index": 0, "tpg_lun": 0, "write_protect": export.may == "read"},
                ],
            }
            if export.secured:
                acl |= {"chap_userid": export.name, "chap_password": "SET-ME"}
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
                        "parameters": {"MaxConnections": "8" if export.many_sessions else "1"},
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


def mount_options(volume: Volume) -> str:
    """Options of fstab and of a mount unit."""
    system = FILESYSTEMS[volume.pool.filesystem]
    found = system.mounted
    if system.subvolumes and volume.pool.compression_ratio > 1:
        found += ",compress=zstd"
    # What is locked after a start waits for its passphrase: the box comes up without it.
    locked = volume.pool.encrypted
    return found + (",nofail" if volume.removable or locked else "") + (",noauto" if locked else "")


def fstab(plan: Plan, host: str, origin: str) -> str:
    """The lines for /etc/fstab."""
    box = Box(plan, host)
    return render(
        "fstab.j2",
        host=box.host,
        origin=origin,
        volumes=box.volumes,
        options=mount_options,
        checked=lambda v: 2 if FILESYSTEMS[v.pool.filesystem].checked_at_start else 0,
        shut_in=_offered(box, "sftp"),
    )


def nftables_conf(plan: Plan, host: str, origin: str) -> str:
    """The firewall: what is served, to the networks and hosts that it is served to."""
    box = Box(plan, host)
    return render(
        "nftables.conf.j2", host=box.host, origin=origin, rules=list(dict.fromkeys(_firewall(box)))
    )


def _firewall(box: Box) -> Iterator[str]:
    heard = [one for one in listeners(box.index) if one.host == box.host.id]
    lan = heard[0].from_networks if heard else _lan(box)
    yield from _accept(lan or PRIVATE, "tcp", "22", "SSH")
    for one in heard:
        ports = str(one.port)
        if one.port == PASSIVE[0]:
            ports = f"{PASSIVE[0]}-{PASSIVE[1]}"
        yield from _accept(_sources(one) or PRIVATE, one.transport, ports, one.what)
    vpn = [h.vpn_address for h in box.plan.hosts if h.vpn_address and h.id != box.host.id]
    for opening in box.plan.openings:
        if opening.host != box.host.id:
            continue
        if opening.source == "internet":
            yield f'{opening.transport} dport {opening.port} accept comment "from the internet"'
        elif vpn:
            yield from _accept(vpn, opening.transport, str(opening.port), "from the VPN")


def _lan(box: Box) -> tuple[str, ...]:
    return tuple(n.range for n in box.plan.networks if n.site == box.host.site)


def _sources(one: Listener) -> list[str]:
    """Addresses that a port is open to; a host name would have to be looked up: its LAN instead."""
    named = [c for c in one.from_clients if not _is_address(c)]
    found = [c for c in one.from_clients if _is_address(c)]
    if named or not one.from_clients:
        found += one.from_networks
    return list(dict.fromkeys(found))


def _is_address(text: str) -> bool:
    try:
        ipaddress.ip_network(text)
    except ValueError:
        return False
    return True


def _accept(
    sources: "tuple[str, ...] | list[str]", kind: str, ports: str, what: str
) -> Iterator[str]:
    for version, word in ((4, "ip"), (6, "ip6")):
        mine = sorted(s for s in sources if ipaddress.ip_network(s).version == version)
        # What lies inside another range would be refused as an overlap.
        mine = [str(n) for n in ipaddress.collapse_addresses(map(ipaddress.ip_network, mine))]  # type: ignore[type-var]
        if mine:
            note = "".join(c for c in what if c.isascii() and c.isprintable() and c != '"')[:100]
            yield (
                f'{word} saddr {{ {", ".join(mine)} }} {kind} dport {ports} accept comment "{note}"'
            )
