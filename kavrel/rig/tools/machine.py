"""What a box says of itself: findmnt, lsblk, smartctl, upsc, uname, hostname, pv."""

import json
from itertools import pairwise
from typing import Any

from kavrel.rig.box import Box
from kavrel.rig.disks import Drive
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.tools.folders import split

TESTS = {"short": 2, "long": 600}


def findmnt(box: Box, words: list[str], stdin: bytes) -> Said:
    """Findmnt -n [-r] -o COLUMNS --mountpoint FOLDER."""
    _, values, rest = split(words, "o")
    at = rest[-1] if rest else ""
    for data in box.mounted():
        if data.at == at and data.name:
            store = box.stores[data.name.partition("/")[0]]
            columns = {
                "FSTYPE": store.pool.filesystem,
                "SOURCE": data.name if store.pool.filesystem == "zfs" else f"/dev/{store.name}",
                "UUID": store.pool.uuid or "",
                "TARGET": data.at,
            }
            wanted = values.get("o", "TARGET,SOURCE,FSTYPE").split(",")
            return lines(" ".join(columns.get(w, "") for w in wanted))
    return failed("")


def drives(box: Box) -> list[tuple[str, Drive]]:
    """The disks that answer in a box, with the names that the kernel gives them."""
    found = [d for d in box.lab.drives.values() if d.host == box.host.id and d.alive]
    return [(f"/dev/sd{chr(ord('a') + n)}" if n < 26 else f"/dev/sda{chr(ord('a') + n - 26)}", d)
            for n, d in enumerate(found)]  # fmt: skip


def lsblk(box: Box, words: list[str], stdin: bytes) -> Said:
    """lsblk, as a table or as JSON."""
    rows: list[dict[str, Any]] = [
        {
            "name": path.removeprefix("/dev/"),
            "path": path,
            "type": "disk",
            "size": drive.disk.capacity_bytes,
            "serial": drive.disk.serial or None,
            "rota": drive.disk.kind == "hdd",
        }
        for path, drive in drives(box)
    ]
    if "--json" in words or "-J" in words:
        return lines(json.dumps({"blockdevices": rows}))
    return lines(
        "NAME  SIZE  SERIAL",
        *(f"{r['name']}  {r['size'] / 1e12:.2f}T  {r['serial'] or ''}" for r in rows),
    )


def smartctl(box: Box, words: list[str], stdin: bytes) -> Said:
    """Smartctl -a, -t, of one disk."""
    _, values, rest = split(words, "qt")
    found = dict(drives(box)).get(rest[-1] if rest else "")
    if found is None:
        return failed(f"Smartctl open device: {rest[-1] if rest else ''} failed: No such device", 2)
    if "t" in values:
        return FINE if values["t"] in TESTS else failed(f"unknown test {values['t']}")
    readings = (
        (5, "Reallocated_Sector_Ct", found.readings.get("reallocated", 0)),
        (197, "Current_Pending_Sector", found.bad_sectors),
    )
    return lines(
        f"Serial Number:    {found.disk.serial}",
        f"User Capacity:    {found.disk.capacity_bytes:,} bytes",
        "SMART overall-health self-assessment test result: PASSED",
        *(
            f"{n:3} {name:23} 0x0033   100   100   010    Pre-fail  Always  -  {value}"
            for n, name, value in readings
        ),
    )


def pv(box: Box, words: list[str], stdin: bytes) -> Said:
    """Pv -q -L RATE: what it reads goes on, no faster than that (pv(1): k is 1024 bytes a second)."""
    rate = next((after for word, after in pairwise(words) if word == "-L"), "")
    if rate.endswith("k") and rate[:-1].isdigit():
        token = stdin.rpartition(b" ")[2]  # after what its tool begins a stream with
        box.lab.streams.slow(token, int(rate[:-1]) * 8192 / 1e6)
    return Said(0, stdin)


def hostname(box: Box, words: list[str], stdin: bytes) -> Said:
    """Hostname."""
    return lines(box.name)


def nothing(box: Box, words: list[str], stdin: bytes) -> Said:
    """Went well, and there is nothing to say."""
    return FINE


def mail(box: Box, words: list[str], stdin: bytes) -> Said:
    """Sendmail -t: the mail is in the lab's box of mails."""
    box.lab.tell(box, stdin.decode(errors="replace"))
    return FINE


def systemctl(box: Box, words: list[str], stdin: bytes) -> Said:
    """Systemctl reboot, and the state of timers."""
    if words[:1] == ["reboot"]:
        box.lab.restarted(box)
        return FINE
    if words[:2] == ["disable", "--now"]:
        box.disabled |= {w.removeprefix("lab-").removesuffix(".timer") for w in words[2:]}
        return FINE
    if words[:2] == ["enable", "--now"]:
        box.disabled -= {w.removeprefix("lab-").removesuffix(".timer") for w in words[2:]}
        return FINE
    return failed(f"Unknown command verb {' '.join(words[:1])}.")
