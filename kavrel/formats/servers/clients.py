"""Cards for the people and machines that connect: what to type on each system, and a QR code."""

from collections.abc import Iterator
from datetime import date

import segno
from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.plan import Host, Plan, Share
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.protocols.iscsi import target_name
from kavrel.formats.servers.site import Box

LETTERS = "ZYXWVUTSRQPONMLKJIHGF"


class Card(BaseModel):
    """What one system is told to reach one thing; `qr` is an SVG data URI, or nothing."""

    model_config = ConfigDict(frozen=True)

    who: str
    thing: str
    system: str
    text: str
    note: str
    qr: str = ""


def cards(plan: Plan, today: date) -> list[Card]:
    """All cards: people's shares first, then what machines mount."""
    index = Index(plan)
    found: list[Card] = []
    letters: dict[str, int] = {}
    shares = {s.id: s for s in plan.shares}
    for cell in sorted(access_matrix(index, today), key=lambda c: c.account):
        if cell.right == "none":
            continue
        account = index.accounts[cell.account]
        share = shares[cell.share]
        used = letters.get(account.login, 0)
        letters[account.login] = used + 1
        host = index.hosts[index.pools[index.datasets[share.dataset].pool].host]
        letter = LETTERS[used] if used < len(LETTERS) else "*"
        found += _share_cards(account.login, share, host, letter, cell.right)
    for host in plan.hosts:
        found += _export_cards(Box(plan, host.id))
    return found


def _at(host: Host) -> str:
    return host.address or host.name


def _share_cards(login: str, share: Share, host: Host, letter: str, right: str) -> Iterator[Card]:
    place = _at(host)
    # In addresses a blank is %20; on a command line the whole is quoted.
    address = f"smb://{place}/{share.name.replace(' ', '%20')}"
    note = "read and write" if right == "write" else "reading only"
    windows = f'net use {letter}: "\\\\{place}\\{share.name}" /user:{login} /persistent:yes'
    yield Card(who=login, thing=share.name, system="Windows", text=windows, note=note)
    yield Card(
        who=login,
        thing=share.name,
        system="macOS",
        text=address.replace("smb://", f"smb://{login}@"),
        note=f"Finder, Go, Connect to Server; {note}",
    )
    folder = f"/mnt/{share.id}"
    options = f"credentials=/etc/kavrel/{login}.cred,uid={login},_netdev,nofail"
    source = f"//{place}/{share.name}"
    yield Card(
        who=login,
        thing=share.name,
        system="Linux, once",
        text=f"mount -t cifs '{source}' {folder} -o {options}",
        note="the credentials file belongs to root, mode 600",
    )
    escaped = source.replace(" ", "\\040")
    yield Card(
        who=login,
        thing=share.name,
        system="Linux, fstab",
        text=f"{escaped} {folder} cifs {options} 0 0",
        note=note,
    )
    colon = source.replace(" ", "\\ ")
    yield Card(
        who=login,
        thing=share.name,
        system="Linux, autofs",
        text=f"{share.id} -fstype=cifs,{options} :{colon}",
        note="a line of the map; the folder appears when it is opened",
    )
    yield Card(
        who=login,
        thing=share.name,
        system="phone",
        text=address,
        note=f"sign in as {login}; {note}",
        qr=_qr(address),
    )


def _export_cards(box: Box) -> Iterator[Card]:
    place = _at(box.host)
    for export in box.exports("nfs"):
        folder = box.folders[export.dataset]
        for client in export.clients:
            yield Card(
                who=client,
                thing=export.name,
                system="NFS, fstab",
                text=f"{place}:{folder} /mnt/{export.name} nfs4 _netdev,nofail,noatime 0 0",
                note="the numbers of owners have to be the same on both ends",
            )
    for export in box.exports("iscsi"):
        for client in export.clients:
            yield Card(
                who=client,
                thing=export.name,
                system="iSCSI",
                text=f"iscsiadm -m node -T {target_name(export)} -p {place} --login",
                note="InitiatorName in /etc/iscsi/initiatorname.iscsi is the name on this card",
            )
    for protocol, system in (("rsync", "rsync"), ("sftp", "SFTP"), ("s3", "S3"), ("ftp", "FTP")):
        for export in box.exports(protocol):
            for account in export.accounts:
                login = box.login(account)
                text = {
                    "rsync": f"rsync -a --password-file=/etc/kavrel/{login}.pass "
                    f"{login}@{place}::{export.name}/ ./",
                    "sftp": f"sftp -i ~/.ssh/{login} {login}@{place}",
                    "s3": f"{'https' if export.secured else 'http'}://{place}:{export.port}/"
                    f"{export.buckets[0] if export.buckets else ''}",
                    "ftp": f"ftp://{login}@{place}:{export.port or 21}/",
                }[protocol]
                yield Card(
                    who=login,
                    thing=export.name,
                    system=system,
                    text=text,
                    note="reading only" if export.may == "read" else "read and write",
                    qr=_qr(text) if protocol in ("sftp", "s3") else "",
                )


def _qr(text: str) -> str:
    return str(segno.make(text, error="m").svg_data_uri(scale=3, border=2))
