"""Who gets in where: ports that listen beyond the machine itself, and the lists of shared folders.

A port that nobody planned is a way in that the proof knows nothing of; an entry that nobody planned
in a folder's list lets somebody read who, by the access matrix, may not.
"""

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Literal

from kavrel.core.index import Index
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.machine import Machine, SeenList
from kavrel.core.shares.addresses import listeners
from kavrel.core.works.folders import FolderAccess, folder_works

# What a system itself listens with, whatever it serves: SSH, DHCP, time, names of the LAN,
# discovery of shares, and the port mapper beside NFS. Source: IANA service names, value from memory.
USUAL = frozenset(
    {
        "22/tcp",
        "68/udp",
        "546/udp",
        "123/udp",
        "5353/udp",
        "5355/udp",
        "5355/tcp",
        "111/tcp",
        "111/udp",
    }
    | {"137/udp", "138/udp", "139/tcp", "3702/udp", "5357/tcp", "51820/udp"}
)
FLEETING = (
    32_768  # above it systems take ports by themselves (ip_local_port_range), as NFS's helpers do
)
AGAIN = "sh setup.sh"
WORDS = {0: "nothing", 1: "only through it", 5: "read", 7: "read and write"}


def ports_open(index: Index, host: str, machine: Machine) -> tuple[list[Drifted], int]:
    """Ports that listen and are nobody's, and those of the plan that do not; and how many agree."""
    if "ports" not in machine.looked_at:
        return [], 0
    wanted = {
        f"{one.port}/{one.transport}": one.what
        for one in listeners(index)
        if one.host == host and "passive" not in one.what  # those open while something is fetched
    }
    there = set(machine.ports)
    rows = []
    for port, what in wanted.items():
        if port not in there:
            rows.append(_port(index, host, "missing", port, f"{what} listens", "nothing listens"))
    for port in machine.ports:
        if port in wanted or port in USUAL or int(port.partition("/")[0]) >= FLEETING:
            continue
        seen = "something listens there, for others than this machine itself"
        rows.append(_port(index, host, "extra", port, "nothing of the plan", seen))
    return rows, len(wanted.keys() & there)


def _port(
    index: Index,
    host: str,
    verdict: Literal["missing", "extra"],
    port: str,
    planned: str,
    seen: str,
) -> Drifted:
    number, _, transport = port.partition("/")
    return Drifted(
        host=host,
        verdict=verdict,
        collection="hosts",
        about=host,
        name=index.hosts[host].name,
        field=f"port {port}",
        planned=planned,
        seen=seen,
        command=f"ss -Hlp{'u' if transport == 'udp' else 't'}n sport = :{number}",
    )


def folders_open(index: Index, host: str, machine: Machine) -> tuple[list[Drifted], int]:
    """Entries of access lists that are not as the works have them; folders that were not listed say nothing."""
    if not machine.access:
        return [], 0
    today = datetime.fromtimestamp(machine.at, UTC).date()
    rows, agreed = [], 0
    for work in folder_works(index, host, today):
        seen = machine.access.get(work.folder)
        if seen is None:
            continue
        differences = list(_list(index, host, work, seen))
        rows += differences
        agreed += not differences
    return rows, agreed


def _entries(lines: tuple[str, ...], owner: str, group: str) -> dict[str, int]:
    """Who may what, by name: the mask taken off, nobody's own entry left out. Source: acl(5)."""
    held: dict[str, int] = {}
    for line in lines:
        head, _, bits = line.rpartition(":")
        held[head] = sum(b for c, b in zip("rwx", (4, 2, 1), strict=True) if c in bits)
    mask = held.get("mask:", 7)
    who = {
        "user:": f"{owner}, the owner",
        "group:": f"group {group}, the folder's own",
        "other:": "everybody else",
    }
    entries = {}
    for head, may in held.items():
        if head.startswith("default:") or head == "mask:":
            continue
        kind, _, name = head.partition(":")
        masked = may if head in ("user:", "other:") else may & mask
        entries[who.get(head, f"group {name}" if kind == "group" else name)] = masked
    return entries


def _list(index: Index, host: str, work: FolderAccess, seen: SeenList) -> Iterator[Drifted]:
    planned = _entries(work.entries(), work.owner, work.group)
    there = _entries(seen.entries, seen.owner, seen.group)
    dataset = work.makes[0][1]

    def row(field: str, wanted: str, there: str, urgent: bool) -> Drifted:
        return Drifted(
            host=host,
            verdict="different",
            collection="datasets",
            about=dataset,
            name=index.datasets[dataset].name,
            field=field,
            planned=wanted,
            seen=there,
            urgent=urgent,
            command=AGAIN,
        )

    for who in sorted(planned.keys() | there.keys()):
        want, have = planned.get(who), there.get(who)
        # root passes by every list; what an entry says that is not there, group and others say.
        if who.startswith("root, ") or (want or 0) == (have or 0):
            continue
        shown = "no entry of their own" if have is None else WORDS.get(have, f"{have:o}")
        wanted = "no entry of their own" if want is None else WORDS.get(want, f"{want:o}")
        yield row(f"list: {who}", wanted, shown, urgent=bool((have or 0) & ~(want or 0)))
    handed_on = any(e.startswith("default:") for e in seen.entries)
    if not handed_on and any(e.startswith("default:user:") for e in work.entries()):
        yield row(
            "list: what is made in it", "takes the list over", "is whoever's who makes it", False
        )
