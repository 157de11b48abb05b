"""Looks of invented machines, in the words of the tools: written from their documented formats.

Sources: lsblk(8), zpool-status(8), zfs-list(8), smartctl(8) with -j, testparm(1), passwd(5). The ZFS
text is from memory of OpenZFS 2.1 to 2.3; other fixtures come from the tools of this machine, in the
tests that run them.
"""

import json
from typing import Any

from kavrel.core.bench.capacity import labelled_bytes

AT = "2026-03-10T12:00:00+00:00"
NOON = 1773144000.0  # the same moment


def look(host: str, *listings: tuple[str, str, str], at: str = AT, root: bool = True) -> bytes:
    rows = [{"listing": i, "asked": a, "code": 0, "said": s} for i, a, s in listings]
    document = {"lab-look": 1, "host": host, "at": at, "root": root, "listings": rows, "unseen": []}
    return json.dumps(document).encode()


def disk(name: str, serial: str, gb: int = 4000, **more: Any) -> dict[str, Any]:
    part = {
        "name": f"{name}1",
        "path": f"/dev/{name}1",
        "type": "part",
        "size": labelled_bytes(gb) - 2**20,
    }
    return {
        "name": name,
        "path": f"/dev/{name}",
        "type": "disk",
        "size": labelled_bytes(gb),
        "serial": serial,
        "model": "HERON 4000",
        "rota": True,
        "tran": "sata",
        "log-sec": 512,
        "phy-sec": 4096,
        "children": [part],
        **more,
    }


def system_disk() -> dict[str, Any]:
    parts = [
        {
            "name": "nvme0n1p1",
            "path": "/dev/nvme0n1p1",
            "type": "part",
            "size": 2**29,
            "mountpoint": "/boot/efi",
        },
        {
            "name": "nvme0n1p2",
            "path": "/dev/nvme0n1p2",
            "type": "part",
            "size": 2**37,
            "mountpoint": "/",
        },
    ]
    return {
        **disk("nvme0n1", "SYS-1", 250),
        "rota": False,
        "tran": "nvme",
        "children": parts,
    }


def lsblk(*disks: dict[str, Any]) -> tuple[str, str, str]:
    return ("lsblk", "lsblk -J -b -O", json.dumps({"blockdevices": list(disks)}))


STATUS = """  pool: tank
 state: ONLINE
  scan: scrub repaired 0B in 03:12:44 with 0 errors on Sun Mar  8 03:36:45 2026
config:

\tNAME                                      STATE     READ WRITE CKSUM
\ttank                                      ONLINE       0     0     0
\t  raidz1-0                                ONLINE       0     0     0
\t    /dev/disk/by-id/ata-HERON_4000_H1-part1  ONLINE       0     0     0
\t    /dev/disk/by-id/ata-HERON_4000_H2-part1  ONLINE       0     0     0
\t    /dev/disk/by-id/ata-HERON_4000_H3-part1  ONLINE       0     0     0
\t    /dev/disk/by-id/ata-HERON_4000_H4-part1  ONLINE       0     0     0
\tspares
\t  /dev/sde                                AVAIL

errors: No known data errors
"""

TB = 10**12


def zfs(
    name: str, used: int, own: int, quota: int = 0, record: int = 131072, packed: str = "lz4"
) -> str:
    """A row of `zfs list -Hp` with lab-look's columns."""
    cells = (
        name,
        "filesystem",
        used,
        own,
        848 * TB // 100,
        quota,
        0,
        record,
        packed,
        "off",
        "-",
        f"/{name}",
    )
    return "\t".join(map(str, (*cells, "yes")))


ZFS = "\n".join(
    (
        zfs("tank", 3 * TB, 200_000),
        zfs("tank/photos", 21 * TB // 10, 2 * TB, 3 * TB, 2**20),
        zfs("tank/home", 9 * TB // 10, TB // 10, packed="zstd"),
        zfs("tank/home/ana", 8 * TB // 10, 8 * TB // 10, packed="zstd"),
    )
)

SMB = """[global]
\tserver role = standalone server
\tserver min protocol = SMB2_10

[photos]
\tpath = /tank/photos
\tread only = No
\tvalid users = @family kiosk
\tread list = kiosk
"""
PASSWD = """root:x:0:0:root:/root:/bin/bash
ana:x:1000:1000:Ana:/home/ana:/bin/bash
bo:x:1001:1001:Bo:/home/bo:/bin/bash
kiosk:x:1002:1002:Kiosk:/home/kiosk:/usr/sbin/nologin
"""
GROUP = "root:x:0:\nfamily:x:1100:ana,bo\n"


def smart(device: str, serial: str, **more: Any) -> tuple[str, str, str]:
    table = [
        {"id": 5, "name": "Reallocated_Sector_Ct", "raw": {"value": more.get("reallocated", 0)}},
        {"id": 197, "name": "Current_Pending_Sector", "raw": {"value": more.get("pending", 0)}},
        {"id": 198, "name": "Offline_Uncorrectable", "raw": {"value": 0}},
        {"id": 199, "name": "UDMA_CRC_Error_Count", "raw": {"value": more.get("crc", 0)}},
    ]
    said = {
        "json_format_version": [1, 0],
        "smartctl": {"version": [7, 3], "exit_status": 0},
        "device": {"name": device, "type": "sat", "protocol": "ATA"},
        "model_name": "HERON 4000",
        "serial_number": serial,
        "user_capacity": {"bytes": labelled_bytes(4000)},
        "logical_block_size": 512,
        "physical_block_size": 4096,
        "rotation_rate": 5400,
        "form_factor": {"ata_value": 2, "name": "3.5 inches"},
        "smart_status": {"passed": True},
        "ata_smart_attributes": {"table": table},
        "power_on_time": {"hours": more.get("hours", 9000)},
        "temperature": {"current": 34},
    }
    return ("smartctl", f"smartctl -j -a {device}", json.dumps(said))


def snapshots(*points: tuple[str, str, float]) -> tuple[str, str, str]:
    rows = "\n".join(f"{place}@{name}\t0\t{int(moment)}" for place, name, moment in points)
    return ("zfs-snapshots", "zfs list -Hp -t snapshot", rows)


def nas(
    *more: tuple[str, str, str], host: str = "nas", at: str = AT, status: str = STATUS
) -> bytes:
    """A box with four disks as RAIDZ1, a spare, data in a tree, a share, people and hourly points."""
    letters = "abcde"
    disks = [disk(f"sd{x}", f"H{n}") for n, x in enumerate(letters, 1)]
    hourly = [("tank/photos", f"auto-{h}", NOON - h * 3600) for h in range(48)]
    return look(
        host,
        lsblk(system_disk(), *disks),
        *(smart(f"/dev/sd{x}", f"H{n}") for n, x in enumerate(letters, 1)),
        ("zpool-status", "zpool status -P", status),
        ("zpool-get", "zpool get -Hp ashift", "tank\tashift\t12\tlocal\n"),
        ("zfs-list", "zfs list -Hp", ZFS),
        snapshots(*hourly),
        ("meminfo", "/proc/meminfo", "MemTotal:       32768000 kB\n"),
        ("testparm", "testparm -s", SMB),
        ("passwd", "/etc/passwd", PASSWD),
        ("group", "/etc/group", GROUP),
        *more,
        at=at,
    )


MIRROR = """  pool: vault
 state: ONLINE
config:

\tNAME        STATE     READ WRITE CKSUM
\tvault       ONLINE       0     0     0
\t  /dev/sda1  ONLINE       0     0     0

errors: No known data errors
"""


def second_box(at: str = AT) -> bytes:
    """A box with one large disk, to which every night the points of the first one came."""
    nightly = [
        ("vault/from-nas/photos", f"auto-{d}", NOON - 6 * 3600 - d * 86_400) for d in range(20)
    ]
    rows = (
        zfs("vault", 2 * TB, 1),
        zfs("vault/from-nas", 2 * TB, 1),
        zfs("vault/from-nas/photos", 2 * TB, 2 * TB, record=2**20),
    )
    return look(
        "cellar",
        lsblk(system_disk() | {"serial": "SYS-2"}, disk("sda", "C1", 8000)),
        ("zpool-status", "zpool status -P", MIRROR),
        ("zfs-list", "zfs list -Hp", "\n".join(rows)),
        snapshots(*nightly),
        at=at,
    )
