"""Cards for the people and machines that connect: what to type on each system, and a QR code."""

import shlex
from collections.abc import Callable, Iterator
from datetime import date
from functools import lru_cache
from urllib.parse import quote

import segno
from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.plan import Export, Host, Plan, Share
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.brought import place_of
from kavrel.core.shares.protocols.iscsi import target_name
from kavrel.core.shares.protocols.nfs import root_is_let_in
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.tables import in_address, in_table

LETTERS = "ZYXWVUTSRQPONMLKJIHGF"

# What a client has to allow, so that it speaks with an old server, or with one that speaks the newest alone.
# Sources: mount.cifs(8), vers; the rest value from memory.
DIALECT = {"modern": "", "strict": ",vers=3.1.1", "old": ",vers=1.0"}
ALLOWED: dict[str, dict[str, str]] = {
    "modern": {},
    "strict": {"Windows": "; Windows 10 or newer"},
    "old": {
        "all": "; the server speaks SMB 1 alone, which this client has to allow: nothing on it stays secret",
        "Windows": "; switch on its SMB 1 client for as long as the server lives, its SMB 1 server never",
        "macOS": "; a macOS that no longer has SMB 1 does not reach it",
        "phone": "; few programs on a phone still reach it",
    },
}
ISCSI = 3260
# What a hypervisor keeps in a store, by what the dataset is used for.
CONTENTS = {"vm_disks": "disk images", "isos": "installation images", "files": "backups, templates"}


class Card(BaseModel):
    """What one system is told to reach one thing; `scanned`: its text is worth a QR code."""

    model_config = ConfigDict(frozen=True)

    who: str
    thing: str
    system: str
    text: str
    note: str
    scanned: bool = False


def cards(plan: Plan, today: date, who: str | None = None) -> list[Card]:
    """All cards, or those of one login or machine: people's shares first, then what machines mount."""
    index = Index(plan)
    handed: list[Card] = []
    letters: dict[str, int] = {}
    shares = {s.id: s for s in plan.shares}
    for cell in sorted(access_matrix(index, today), key=lambda c: c.account):
        if cell.right == "none":
            continue
        account = index.accounts[cell.account]
        if who not in (None, account.login):
            continue
        share = shares[cell.share]
        used = letters.get(account.login, 0)
        letters[account.login] = used + 1
        host = index.hosts[index.pools[index.datasets[share.dataset].pool].host]
        letter = f"{LETTERS[used]}:" if used < len(LETTERS) else "*"
        handed += _share_cards(account.login, share, host, letter, cell.right)
    for host in plan.hosts:
        mounted = _export_cards(Box(plan, host.id), today)
        handed += [card for card in mounted if who in (None, card.who)]
    return handed


def _at(host: Host) -> str:
    return host.address or host.name


def _for_windows(place: str) -> str:
    """A host as a UNC path names it: colons end a drive there (Microsoft, IPv6 literal names)."""
    if ":" not in place:
        return place
    return f"{place.replace(':', '-').replace('%', 's')}.ipv6-literal.net"


def _share_cards(login: str, share: Share, host: Host, letter: str, right: str) -> Iterator[Card]:
    place = in_address(_at(host))
    address = f"smb://{place}/{quote(share.name, safe='')}"
    note = "read and write" if right == "write" else "reading only"
    if share.pc_backups:
        note += "; choose it as the target of this PC's own backup program"
    note += ALLOWED[host.smb].get("all", "")
    unc = f"\\\\{_for_windows(_at(host))}\\{share.name}"
    windows = f'net use {letter} "{unc}" /user:{login} /persistent:yes'
    yield Card(
        who=login,
        thing=share.name,
        system="Windows",
        text=windows,
        note=note + ALLOWED[host.smb].get("Windows", ""),
    )
    yield Card(
        who=login,
        thing=share.name,
        system="macOS",
        text=address.replace("smb://", f"smb://{login}@"),
        note=f"Finder, Go, Connect to Server; {note}{ALLOWED[host.smb].get('macOS', '')}",
    )
    folder = f"/mnt/{share.id}"
    # Without the character set, names beyond ASCII do not come through.
    options = f"credentials=/etc/kavrel/{login}.cred,uid={login},iocharset=utf8,_netdev,nofail"
    options += DIALECT[host.smb]
    source = f"//{place.strip('[]')}/{share.name}"
    yield Card(
        who=login,
        thing=share.name,
        system="Linux, once",
        text=f"mount -t cifs {shlex.quote(source)} {folder} -o {options}",
        note=f"first `mkdir -p {folder}`; the credentials file is root's, mode 600, two lines: "
        f"username={login} and password=...",
    )
    yield Card(
        who=login,
        thing=share.name,
        system="Linux, fstab",
        text=f"{in_table(source)} {folder} cifs {options} 0 0",
        note=note,
    )
    mapped = "".join(f"\\{c}" if c in " \\\"'#&" else c for c in source)
    yield Card(
        who=login,
        thing=share.name,
        system="Linux, autofs",
        text=f"{share.id} -fstype=cifs,{options} :{mapped}",
        note="a line of the map; the folder appears when it is opened",
    )
    yield Card(
        who=login,
        thing=share.name,
        system="phone",
        text=address,
        note=f"sign in as {login}; {note}{ALLOWED[host.smb].get('phone', '')}",
        scanned=True,
    )


def _export_cards(box: Box, today: date) -> Iterator[Card]:
    yield from _nfs_cards(box)
    yield from _iscsi_cards(box)
    yield from _signed_in_cards(box, today)


def _nfs_cards(box: Box) -> Iterator[Card]:
    place = in_address(_at(box.host))
    guests = {
        str(h.address): h.name for h in box.plan.hosts if h.kind == "hypervisor" and h.address
    }
    for export in box.exports("nfs"):
        folder = box.folders[export.dataset]
        for client in export.clients:
            yield Card(
                who=client,
                thing=export.name,
                system="NFS, fstab",
                text=f"{in_table(f'{place}:{folder}')} {place_of(export)} nfs4 _netdev,nofail,noatime 0 0",
                note=_numbers(box, export),
            )
            if client in guests:
                use = box.index.datasets[export.dataset].use
                yield Card(
                    who=guests[client],
                    thing=export.name,
                    system="hypervisor, NFS",
                    text=f"server {place.strip('[]')}, export {folder}, content: {CONTENTS.get(use, 'any')}",
                    note="its root writes there"
                    if root_is_let_in(export)
                    else "its root is nobody there: a hypervisor that writes as root is refused",
                )


def _numbers(box: Box, export: Export) -> str:
    """Whom files are of at the client: a number says it, never a name."""
    if export.squash == "all":
        return "everybody is nobody there, whoever he is on the client"
    known = [f"{a.login} {a.number}" for a in box.plan.accounts if a.number and a.enabled]
    said = "the numbers of owners have to be the same on both ends"
    return f"{said} (usermod -u): {', '.join(known)}" if known else said


def _iscsi_cards(box: Box) -> Iterator[Card]:
    place = in_address(_at(box.host))
    for export in box.exports("iscsi"):
        for client in export.clients:
            yield Card(
                who=client,
                thing=export.name,
                system="iSCSI",
                text=" && ".join(_iscsi(export, place)),
                note="InitiatorName in /etc/iscsi/initiatorname.iscsi is the name on this card"
                + ("; SECRET is the one of the target" if export.secured else ""),
            )
            path = f"/dev/disk/by-path/ip-{place}:{ISCSI}-iscsi-{target_name(export)}-lun-0"
            yield Card(
                who=client,
                thing=export.name,
                system="iSCSI, format once",
                text=f'[ -b {path} ] && [ -z "$(wipefs -n {path})" ] && mkfs.ext4 -m 0 {path}',
                note="it does nothing where anything is on it already",
            )
            yield Card(
                who=client,
                thing=export.name,
                system="iSCSI, fstab",
                text=f"{path} /mnt/{export.name} ext4 _netdev,nofail,noatime 0 2",
                note="one client at a time; node.startup is automatic in its record",
            )


def _signed_in_cards(box: Box, today: date) -> Iterator[Card]:
    place = in_address(_at(box.host))
    for protocol, system, text, scanned in SIGNED_IN:
        for export in box.exports(protocol):
            for key in export.accounts:
                if box.index.accounts[key].works_on(today):
                    login = box.login(key)
                    said = text(export, place, login)
                    yield Card(
                        who=login,
                        thing=export.name,
                        system=system,
                        text=said,
                        note="reading only" if export.may == "read" else "read and write",
                        scanned=scanned,
                    )


def _rsync(export: Export, place: str, login: str) -> str:
    port = f":{export.port}" if export.port else ""
    secret = f"--password-file=/etc/kavrel/{login}.pass"
    return f"rsync -a {secret} rsync://{login}@{place}{port}/{export.name}/ ./"


def _sftp(export: Export, place: str, login: str) -> str:
    return f"sftp -i ~/.ssh/{login} {login}@{place}"


def _s3(export: Export, place: str, login: str) -> str:
    scheme = "https" if export.secured else "http"
    return f"{scheme}://{place}:{export.port}/{export.buckets[0] if export.buckets else ''}"


def _ftp(export: Export, place: str, login: str) -> str:
    # A client that speaks TLS asks for it in the address; the other way all goes in the clear.
    return f"{'ftpes' if export.secured else 'ftp'}://{login}@{place}:{export.port or 21}/"


# Protocol, its name, what is typed, and whether it fits into a QR code.
SIGNED_IN: tuple[tuple[str, str, Callable[[Export, str, str], str], bool], ...] = (
    ("rsync", "rsync", _rsync, False),
    ("sftp", "SFTP", _sftp, True),
    ("s3", "S3", _s3, True),
    ("ftp", "FTP", _ftp, False),
)


def _iscsi(export: Export, place: str) -> Iterator[str]:
    """Commands of open-iscsi in order: a target is found before it is signed in at."""
    target = target_name(export)
    yield f"iscsiadm -m discovery -t sendtargets -p {place}"
    if export.secured:
        update = f"iscsiadm -m node -T {target} -p {place} -o update -n node.session.auth."
        yield f"{update}authmethod -v CHAP"
        yield f"{update}username -v {export.name}"
        yield f"{update}password -v SECRET"
    yield f"iscsiadm -m node -T {target} -p {place} --login"


def codes(of: list[Card]) -> dict[str, str]:
    """QR codes as SVG data URIs by their text: a share has one, however many people reach it."""
    return {text: _qr(text) for text in dict.fromkeys(c.text for c in of if c.scanned)}


@lru_cache(maxsize=512)
def _qr(text: str) -> str:
    return str(segno.make(text, error="m").svg_data_uri(scale=3, border=2))
