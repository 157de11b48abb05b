"""What is entered in the web page of a box whose firmware is its own: values in general words, no commands.

Each page has words and an order of its own; these are what any of them asks for.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

from kavrel.core.bench.meeting import meeting
from kavrel.core.copies.carrier import runs_on
from kavrel.core.copies.rules import in_words as retention_words
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Export, Host, Job, Pool, Share
from kavrel.core.pools.families import FAMILIES
from kavrel.core.schedule import in_words
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.brought import brought
from kavrel.core.shares.names import folders
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.works.chores import chore_works
from kavrel.core.works.doors import door_works
from kavrel.core.works.pc import Part, pc_parts
from kavrel.core.works.ups import power_works
from kavrel.core.works.work import Work

Values = tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class PageFilled(Work):
    """A part of the page with what is entered there: label and value."""

    fields = ("hosts.kind", "hosts.name", "hosts.address")

    title: str
    values: Values


def page_works(index: Index, host: str, today: date) -> Iterator[PageFilled]:
    """The parts in the order of work; none where the box takes files."""
    box = index.hosts[host]
    if not box.closed:
        return
    for number, (title, makes, values) in enumerate(_parts(index, box, today)):
        filled = tuple((label, value) for label, value in values if value)
        if filled:
            where = "on it" if box.personal else "in its web page"
            yield PageFilled(
                f"page/{number}", f"{title} of {box.name}", makes, (),
                "look at the page again after a restart", "take the values out again",
                f"enter it {where}: " + "; ".join(f"{a}: {b}" for a, b in filled),
                title=title, values=filled,
            )  # fmt: skip


def _parts(index: Index, box: Host, today: date) -> Iterator[Part]:
    if box.personal:
        yield from pc_parts(index, box)
        return
    plan, here = index.plan, (("hosts", box.id),)
    pools = [p for p in plan.pools if p.host == box.id]
    mine = {d.id for d in plan.datasets if index.pools[d.pool].host == box.id}
    shares = [s for s in plan.shares if s.dataset in mine]
    exports = [e for e in plan.exports if e.dataset in mine]
    yield "Address and sign-in", here, _first(box)
    for account in plan.accounts:
        if (shares or exports) and account.works_on(today):
            groups = ", ".join(g.name for g in plan.groups if account.id in g.members)
            values = [("name", account.login), ("who", account.full_name), ("groups", groups)]
            values += [("number, if it can be chosen", str(account.number or ""))]
            ends = str(account.expires_on or "")
            yield f"User {account.login}", (("accounts", account.id),), [*values, ("ends on", ends)]
    for pool in pools:
        yield f"Storage {pool.name}", (("pools", pool.id),), _pool(index, pool)
    paths = folders(plan)
    for dataset in plan.datasets:
        if dataset.id in mine:
            limit = f"{dataset.quota_bytes / 1e9:g} GB" if dataset.quota_bytes else ""
            values = [("on", index.pools[dataset.pool].name), ("folder", paths[dataset.id])]
            locked = "on; its passphrase is typed after each start" if dataset.encrypted else ""
            values += [("limit", limit), ("encryption", locked)]
            yield f"Folder {dataset.name}", (("datasets", dataset.id),), values
    for share in shares:
        yield f"Share {share.name}", (("shares", share.id),), _share(index, share, box, today)
    for export in exports:
        title = f"{PROTOCOLS[export.protocol].title} {export.name}"
        yield title, (("exports", export.id),), _export(index, export)
    for far in brought(index, box.id):
        right = "read and write" if any(m.may == "write" for m in far.mounts) else "read"
        values = [("over", "NFS"), ("from", far.at), ("folder there", far.path), ("may", right)]
        made = tuple(("mounts", m.id) for m in far.mounts)
        yield f"Folder of another box, {far.export.name}", made, values
    for job in plan.jobs:
        if runs_on(index, job) == box.id:
            yield f"Job {job.name}", (("jobs", job.id),), _job(index, box, job)
    for chore in chore_works(index, box.id):
        yield f"Job {chore.title}", chore.makes, [("when", in_words(chore.schedule))]
    for power in power_works(index, box.id):
        where = "; ".join(f"{w.name} at {w.at}" for w in power.watched)
        yield "UPS", power.makes, [("network UPS", where), ("shut down", "when it is told to")]
    doors = [d.what for d in door_works(index, box.id) if not d.by_hand]
    yield "Firewall", here, [("let in", "; ".join(doors)), ("everything else", "not let in")]
    told = [("on failure, a disk in trouble, or a full store", "mail to somebody who reads it")]
    told += [("try it", "send one and see that it arrives"), ("access from the internet", "off")]
    yield "Messages", here, told


def _first(box: Host) -> list[tuple[str, str]]:
    how = {"static": "fixed, entered here", "reserved": "reserved in the router", "dhcp": ""}
    return [
        ("name", box.name),
        ("address", f"{box.address}, {how[box.addressing]}".rstrip(", ") if box.address else ""),
        ("VPN address", box.vpn_address or ""),
        ("default passwords", "" if box.default_passwords_changed else "changed first of all"),
        ("SMB", {"modern": "2.1 at the least", "strict": "3.1.1 alone", "old": ""}[box.smb]),
    ]


def _pool(index: Index, pool: Pool) -> list[tuple[str, str]]:
    disks = ", ".join(
        f"{index.disks[d].label} (serial {index.disks[d].serial or 'not in the plan'})"
        for d in pool.disks
    )
    wanted = (
        "it stands: nothing is made again" if pool.standing else "made new: its disks are wiped"
    )
    locked = "" if not pool.encrypted else "on, opened by itself" if pool.opens_alone else "on"
    return [
        ("layout", FAMILIES[pool.family].title),
        ("disks", disks),
        ("spares", ", ".join(index.disks[d].label for d in pool.spares)),
        ("file system", "" if FILESYSTEMS[pool.filesystem].bare else pool.filesystem),
        ("encryption", locked),
        ("state", wanted),
    ]


def _share(index: Index, share: Share, box: Host, today: date) -> list[tuple[str, str]]:
    cells = [c for c in access_matrix(index, today) if c.share == share.id]

    def names(right: str) -> str:
        return ", ".join(index.accounts[c.account].login for c in cells if c.right == right)

    guests = {"none": "not let in", "read": "read", "write": "read and write"}
    return [
        ("folder", folders(index.plan)[share.dataset]),
        ("read and write", names("write")),
        ("read", names("read")),
        ("everybody else", "no access"),
        ("guests", guests[share.guest]),
        ("home folders", "one for each user" if share.home else ""),
        ("shown in lists", "no" if share.hidden else ""),
        ("bin", f"on, emptied after {share.recycle_days} days" if share.recycle_days else ""),
        ("target of PCs' own backups", "on" if share.pc_backups else ""),
    ]


def _export(index: Index, export: Export) -> list[tuple[str, str]]:
    root = {
        "root": "taken for nobody",
        "all": "everybody is taken for nobody",
        "none": "stays root",
    }
    protocol = PROTOCOLS[export.protocol]
    return [
        ("folder", folders(index.plan)[export.dataset]),
        ("clients", ", ".join(export.clients)),
        ("users", ", ".join(index.accounts[a].login for a in export.accounts)),
        ("right", "read and write" if export.may == "write" else "read"),
        ("root of a client", root[export.squash] if protocol.uses("squash") else ""),
        ("port", str(export.port) if export.port else ""),
        ("encrypted on the way", "yes" if export.secured and protocol.uses("secured") else ""),
    ]


def _job(index: Index, box: Host, job: Job) -> list[tuple[str, str]]:
    kind = KINDS[job.kind]
    target = ""
    if job.target_pool:
        far = index.hosts[index.pools[job.target_pool].host]
        target = f"{index.pools[job.target_pool].name} on {far.name}, {meeting(box, far).at}"
    elif job.target_bucket:
        target = f"bucket {index.buckets[job.target_bucket].name}"
    keeps = kind.copies and kind.versions
    lands = next((e for e in index.plan.exports if e.id == job.lands_in), None)
    return [
        ("kind", kind.title),
        ("what", ", ".join(index.datasets[d].name for d in job.datasets)),
        ("on", index.pools[job.pool].name if job.pool else ""),
        ("to", target),
        ("into", f"{PROTOCOLS[lands.protocol].title} {lands.name}" if lands else ""),
        ("signed in as", index.accounts[job.lands_as].login if job.lands_as else ""),
        ("when", in_words(job.schedule)),
        ("keep", retention_words(job.retention) if keeps else ""),
        ("at most", f"{job.limit_mbit:g} Mbit/s" if job.limit_mbit else ""),
        ("encryption", "at the source; its key elsewhere too" if job.encrypted else ""),
    ]
