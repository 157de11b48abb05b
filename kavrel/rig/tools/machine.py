"""What a box says of itself: smartctl, uname, ip, ss, getfacl, upsc, systemctl, hostname, pv."""

from collections.abc import Iterator
from datetime import UTC, datetime
from itertools import pairwise

from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.works.folders import folder_works
from kavrel.rig import as_planned
from kavrel.rig.box import Box
from kavrel.rig.disks import Drive
from kavrel.rig.layers import drives
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.smart.disk import LATEST_TESTS, TESTS, SelfTest, Smart
from kavrel.rig.smart.document import document, printed, said
from kavrel.rig.smart.text import BANNER, started, text
from kavrel.rig.tools.folders import split

# What each option of smartctl shows: all of it, who the disk is, its health, what it can, its attributes.
PARTS = {"a": "iHcAlS", "x": "iHcAlS", "i": "i", "H": "H", "c": "c", "A": "A"}
LOGS = {"error": "l", "selftest": "S"}
OPENED = (
    "ATA device successfully opened\n\n"
    "Use 'smartctl -a' (or '-x') to print SMART (and more) information\n\n"
)
VALID_TESTS = (
    "=======> VALID ARGUMENTS ARE: offline, short, long, conveyance, force, vendor,N, select,M-N, pending,N, "
    "afterselect,[on|off] <======="
)
USAGE = "\nUse smartctl -h to get a usage summary\n\n"


def smartctl(box: Box, words: list[str], stdin: bytes) -> Said:
    """Smartctl -a, -i, -t and others, of one disk; all that it says it says on its standard output.

    Of `-x` what `-a` tells, and what flash has worn.
    """
    flags, values, rest = split(words, "qtld")
    quiet = values.get("q") == "errorsonly"

    def ends(why: str, code: int) -> Said:
        return Said(code, b"" if quiet else f"{BANNER}{why}".encode())

    wrong = sorted(flags - {*PARTS, "j"})
    if wrong:
        return ends(f"=======> UNRECOGNIZED OPTION: {wrong[0]}\n{USAGE}", 1)
    if "t" in values and values["t"] not in TESTS:
        return ends(f"=======> INVALID ARGUMENT TO -t: {values['t']}\n{VALID_TESTS}\n{USAGE}", 1)
    if not rest:
        asked = "ERROR: smartctl requires a device name as the final command-line argument.\n\n"
        return ends(f"{asked}{USAGE}", 1)
    path, there = rest[-1], dict(drives(box))
    device = path
    if path.startswith("/dev/disk/by-id/"):
        meant = box.lab.drive_of(box, path)
        device = next((p for p, d in there.items() if d is meant), path)
    drive = there.get(device)
    if drive is None:
        why = f"Smartctl open device: {path} failed: No such device"
        if "j" in flags:
            return Said(2, printed(said(words, box.lab.now, 2, why)).encode())
        return ends(f"{why}\n", 2)
    disk = _smart(box, drive, device)
    if "t" in values:
        drive.tests = (*disk.tests[1 - LATEST_TESTS :], _tested(drive, disk, values["t"]))
        return Said(0, b"" if quiet else started(disk, values["t"]).encode())
    if "j" in flags:
        told = document(disk, words, wear=values.get("l") == "ssd" or "x" in flags)
        return Said(disk.code, printed(told).encode())
    parts = "".join(PARTS[f] for f in flags) + LOGS.get(values.get("l", ""), "")
    if not parts:
        return ends(OPENED, 0)
    code = disk.code if set(parts) - {"i"} else 0
    return Said(code, b"" if quiet else text(disk, parts).encode())


def _smart(box: Box, drive: Drive, path: str) -> Smart:
    number = [p for p, _ in drives(box)].index(path)
    told = {**drive.readings, "pending": drive.bad_sectors}
    return as_planned.smart(drive.disk, path, number, box.lab.now, told, drive.tests)


def _tested(drive: Drive, disk: Smart, kind: str) -> SelfTest:
    """How it ends, at once: a short one reads a small part, a long one all of it."""
    return SelfTest(kind, disk.reading("hours"), kind == "long" and drive.bad_sectors > 0)


def uname(box: Box, words: list[str], stdin: bytes) -> Said:
    """Uname -srm."""
    return lines("Linux 6.1.0 x86_64")


def ip(box: Box, words: list[str], stdin: bytes) -> Said:
    """Ip -j addr, ip -j route."""
    return lines(as_planned.addresses(box.lab.index, box.host.id) if "addr" in words else "[]")


def ss(box: Box, words: list[str], stdin: bytes) -> Said:
    """Ss -Hlntu."""
    return lines(*as_planned.ports(box.lab.index, box.host.id))


def getfacl(box: Box, words: list[str], stdin: bytes) -> Said:
    """Getfacl -p FOLDER: as the works of its folders left it."""
    _, _, folders = split(words)
    today = datetime.fromtimestamp(box.lab.now, UTC).date()
    for work in folder_works(box.lab.index, box.host.id, today):
        if [work.folder] == folders:
            return lines(as_planned.access(work))
    return failed(f"getfacl: {''.join(folders)}: No such file or directory")


def upsc(box: Box, words: list[str], stdin: bytes) -> Said:
    """Upsc -l, and the readings of one."""
    said = as_planned.supply(box.lab.index, box.host.id)
    if not said:
        return failed("Error: Connection failure: Connection refused")
    return lines("ups") if "-l" in words else lines(said.rstrip())


def pv(box: Box, words: list[str], stdin: bytes) -> Said:
    """Pv -q -L RATE: what it reads goes on, no faster than that (pv(1): k is 1024 bytes a second)."""
    rate = next((after for word, after in pairwise(words) if word == "-L"), "")
    if rate.endswith("k") and rate[:-1].isdigit():
        token = stdin.rpartition(b" ")[2]  # after what its tool begins a stream with
        box.lab.streams.slow(token, int(rate[:-1]) * 8192 / 1e6)
    return Said(0, stdin)


def mount(box: Box, words: list[str], stdin: bytes) -> Said:
    """Mount [-o degraded] FOLDER, as fstab has it: what is there is mounted already."""
    folder = words[-1] if words else ""
    store = next((s for s in box.stores.values() if s.at == folder.rstrip("/")), None)
    if store is None:
        return failed(f"mount: {folder}: can't find in /etc/fstab.")
    if store.locked or box.lab.health(store.pool) == "LOST":
        return failed(f"mount: {folder}: can't find UUID={store.pool.uuid or store.name}.", 32)
    return FINE


def dd(box: Box, words: list[str], stdin: bytes) -> Said:
    """A meter: what it reads goes on, and it says how much that was. Source: coreutils, tried."""
    try:
        size = box.lab.streams.get(stdin.rpartition(b" ")[2]).size
    except KeyError:
        size = len(stdin)
    said = (
        f"{size // 2**20}+1 records in\n{size // 2**20}+1 records out\n{size} bytes copied, 1 s\n"
    )
    return Said(0, stdin, said)


def timedatectl(box: Box, words: list[str], stdin: bytes) -> Said:
    """Timedatectl: the time, whether others keep it right, and set-time, set-ntp."""
    if words[:1] == ["show"]:
        return lines("no" if box.clock else "yes")
    if words[:1] == ["set-ntp"] and words[1:] in (["true"], ["1"], ["yes"]):
        box.clock = 0.0
        return FINE
    if words[:1] == ["set-time"] and len(words) == 2:
        try:
            told = datetime.fromisoformat(words[1]).replace(tzinfo=box.lab.zone)
        except ValueError:
            return failed(f"Failed to parse time specification '{words[1]}': Invalid argument")
        off = told.timestamp() - box.lab.now
        box.clock = off if abs(off) > 3600 else 0.0
        return FINE
    if words and words != ["status"]:
        return failed(f"Unknown command verb {words[0]}.")
    now = datetime.fromtimestamp(box.lab.now + box.clock, box.lab.zone)
    return lines(
        f"               Local time: {now:%a %Y-%m-%d %H:%M:%S %Z}",
        f"System clock synchronized: {'no' if box.clock else 'yes'}",
    )


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
    """Systemctl reboot, the state of timers, what failed, and starting what serves."""
    if words[:1] == ["show"]:
        return lines(*_shown(box, words[1]))
    if words[:1] == ["reboot"]:
        box.lab.restarted(box)
        return FINE
    if words[:2] == ["disable", "--now"]:
        box.disabled |= {w.removeprefix("lab-").removesuffix(".timer") for w in words[2:]}
        return FINE
    if words[:2] == ["enable", "--now"]:
        box.disabled -= {w.removeprefix("lab-").removesuffix(".timer") for w in words[2:]}
        return FINE
    if words[:1] == ["--failed"]:
        return lines("  UNIT LOAD ACTIVE SUB DESCRIPTION", "0 loaded units listed.")
    if words[:1] in (["start"], ["restart"]) and words[1:]:
        told = [p.service.start for p in PROTOCOLS.values()]
        told += [PROTOCOLS[e.protocol].service.again(e) for e in box.lab.index.plan.exports]
        known = {line.split()[-1] for line in told if line.startswith("systemctl ")}
        missing = [w for w in words[1:] if w.removesuffix(".service") not in known]
        return failed(f"Unit {missing[0]}.service not found.") if missing else FINE
    return failed(f"Unknown command verb {' '.join(words[:1])}.")


def _shown(box: Box, pattern: str) -> Iterator[str]:
    """Units of the box: it starts its jobs by its crontab, so it has none of ours."""
    if pattern == "*.timer":
        yield "Id=logrotate.timer\nUnit=logrotate.service"
        yield "TimersCalendar={ OnCalendar=*-*-* 00:00:00 ; next_elapse=0 }"
        yield "ActiveState=active\nUnitFileState=enabled\nLastTriggerUSec="
