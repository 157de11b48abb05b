"""What a machine says of itself where it is as the plan has it, in the words of its tools.

Sources: ip-address(8), ss(8), getfacl(1), upsc(8), proc_meminfo(5).
"""

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime

from kavrel.core.index import Index
from kavrel.core.plan import Disk
from kavrel.core.shares.addresses import listeners
from kavrel.core.shares.brought import brought
from kavrel.core.shares.names import zfs_namer
from kavrel.core.works.folders import FolderAccess
from kavrel.core.works.limits import AccountLimited, limit_works
from kavrel.formats.servers.files import target_json
from kavrel.rig.smart.disk import SelfTest, Smart

GIB = 2**30
KEPT_BY_KERNEL = 0.03  # of the memory; common practice, no source
YEAR_BEGAN = 1_767_225_600.0  # of 2026


def smart(
    disk: Disk,
    device: str,
    number: int,
    moment: float,
    told: Mapping[str, int],
    tests: Sequence[SelfTest] = (),
) -> Smart:
    """What the disk at a device, the box's `number`th, says; `told` are readings by their names."""
    there = datetime.fromtimestamp(moment, UTC)
    bought = datetime.combine(disk.bought_on, datetime.min.time(), UTC) if disk.bought_on else there
    hours = disk.run_hours + max(0, int((moment - bought.timestamp()) // 3600))
    if not disk.bought_on and not disk.run_hours:  # nobody wrote down since when it runs
        hours = 9_000 + 137 * number + int((moment - YEAR_BEGAN) // 3600)
    usual = {
        "hours": hours,
        "temperature": 33 + len(disk.label) % 5,
        "wear_percent": disk.wear_percent,
        "written": disk.wear_percent * (1_200_000 if disk.kind == "nvme" else 1_200_000_000),
    }
    return Smart(disk, device, moment, usual | dict(told), tests)


def addresses(index: Index, host: str) -> str:
    """`ip -j addr`."""
    box = index.hosts[host]
    told = [a for a in (box.address, box.vpn_address) if a]
    info = [{"family": "inet", "local": a, "scope": "global"} for a in told]
    return json.dumps([{"ifname": "eth0", "addr_info": info}])


def over_nfs(index: Index, host: str) -> list[dict[str, str]]:
    """Rows of `findmnt -J` for what its applications see of other boxes."""
    return [
        {"target": one.folder, "source": f"{one.at}:{one.path}", "fstype": "nfs4", "options": "rw"}
        for one in brought(index, host)
    ]


def memory(index: Index, host: str) -> str:
    """/proc/meminfo, as far as it is read."""
    there = int(index.hosts[host].ram_gib * GIB * (1 - KEPT_BY_KERNEL))
    return f"MemTotal: {there // 1024} kB\n"


def ports(index: Index, host: str, more: Iterable[int] = ()) -> Iterator[str]:
    """`ss -Hlntu`: what the plan has listen there, SSH, and `more`."""
    wanted = [(n.port, n.transport) for n in listeners(index) if n.host == host]
    for port, transport in [*wanted, (22, "tcp"), *((p, "tcp") for p in more)]:
        yield f"{transport} LISTEN 0 4096 0.0.0.0:{port} 0.0.0.0:*"


def targets(index: Index, host: str) -> Iterator[str]:
    """What LIO's tree says of the disks given over iSCSI, in lab-look's lines. Source: seen on Linux 6.1."""
    saved = json.loads(target_json(index.plan, host, ""))
    for number, held in enumerate(saved["storage_objects"]):
        plugin = "iblock" if held["plugin"] == "block" else "fileio"
        yield f"core/{plugin}_{number}/{held['name']}/udev_path: {held['dev']}"
    numbers = {o["name"]: n for n, o in enumerate(saved["storage_objects"])}
    for one in saved["targets"]:
        for group in one["tpgs"]:
            here = f"iscsi/{one['wwn']}/tpgt_{group['tag']}"
            yield f"{here}/enable: {int(group['enable'])}"
            for name in ("authentication", "generate_node_acls"):
                yield f"{here}/attrib/{name}: {group['attributes'][name]}"
            for portal in group["portals"]:
                yield f"{here}/np/{portal['ip_address']}:{portal['port']}/iser: 0"
            for lun in group["luns"]:
                _, _, plugin, name = lun["storage_object"].split("/")
                core = f"{'iblock' if plugin == 'block' else 'fileio'}_{numbers[name]}"
                link = f"../../../../../../target/core/{core}/{name}"
                yield f"{here}/lun/lun_{lun['index']}/{numbers[name]:010x} -> {link}"
            for acl in group["node_acls"]:
                for mapped in acl["mapped_luns"]:
                    where = f"{here}/acls/{acl['node_wwn']}/lun_{mapped['index']}"
                    yield f"{where}/write_protect: {int(mapped['write_protect'])}"


def account_limits(index: Index, host: str) -> Iterator[tuple[str, str]]:
    """`zfs userspace` of each dataset on which an account is limited, with how it was asked."""
    name_of, by_name = zfs_namer(index.plan, host), dict[str, list[AccountLimited]]()
    for work in limit_works(index, host):
        if isinstance(work, AccountLimited) and not work.whole:
            by_name.setdefault(name_of(work.folder), []).append(work)
    for name, works in by_name.items():
        lines = (f"POSIX User\t{w.login}\t{w.bytes // 2}\t{w.bytes}\n" for w in works)
        yield f"zfs userspace -Hp -o type,name,used,quota {name}", "".join(lines)


def access(work: FolderAccess, more: Iterable[str] = ()) -> str:
    """`getfacl -p` of a folder, with entries that nobody planned."""
    lines = (f"# file: {work.folder}", f"# owner: {work.owner}", f"# group: {work.group}")
    return "\n".join((*lines, *work.entries(), *more)) + "\n"


def supply(index: Index, host: str, status: str = "") -> str:
    """`upsc` of the UPS that a host hears; empty where it hears none."""
    heard = next((s for s in index.plan.supplies if host in s.signals), None)
    if heard is None:
        return ""
    told = {
        "battery.charge": "100",
        "ups.status": status or "OL",
        "ups.realpower.nominal": f"{heard.watts:g}",
    }
    return "".join(f"{name}: {value}\n" for name, value in told.items())
