"""Disks, their signatures and their partition tables.

Sources: blockdev(8), wipefs(8), lsblk(8), blkid(8), sfdisk(8).
"""

import re
from collections.abc import Iterator

from kavrel.core.quantities import MIB
from kavrel.rig.bare.machine import Device, Machine, Part
from kavrel.rig.bare.said import Reader, Refused, Words
from kavrel.rig.said import FINE, Said, failed, lines

SECTOR = 512
TABLE_END = 33 * SECTOR  # bytes of the second copy of a GPT at the end of a disk; UEFI, chapter 5
TABLES = ("gpt", "dos")


def blockdev(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Blockdev --getsize64 DEVICE, or --getss."""
    told = Words(words, plain="--getsize64 --getss")
    if "--getss" in told:
        return lines(*(str(SECTOR) for _ in told.rest))
    return lines(*(str(machine.device(path).size) for path in told.rest))


def wipefs(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Lists signatures, or takes all of them away from a device that nobody holds."""
    told = Words(words, valued="-O", plain="-q -a -n --noheadings")
    if "-a" not in told:
        columns = told.one("-O").split(",") or ["TYPE"]
        rows = []
        for path in told.rest:
            for kind, uuid in machine.device(path).signs.items():
                values = {"TYPE": kind, "UUID": uuid, "LABEL": ""}
                rows.append(" ".join(values[c] for c in columns))
        return lines(*rows)
    for one in machine.free(told.rest, "wipefs: error"):
        one.signs.clear()
        for part in machine.parts_of(one.path):
            machine.pull_out(part.path)
    return FINE


def lsblk(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Lsblk -n -o NAME,TYPE,MOUNTPOINT DEVICE."""
    told = Words(words, valued="-o", plain="-n")
    return lines(*(row for path in told.rest for row in _tree(machine, machine.device(path))))


def _tree(machine: Machine, device: Device) -> Iterator[str]:
    at = next((f for f, m in machine.mounts.items() if f"mount {f}" == device.user), "")
    yield " ".join((device.path.rpartition("/")[2], device.kind, at)).rstrip()
    for above in machine.parts_of(device.path):
        yield from _tree(machine, above)


def blkid(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Blkid -p -o value -s TAG DEVICE; 2 where there is none."""
    told = Words(words, valued="-o -s", plain="-p")
    signs = machine.device(told.rest[0]).signs
    table = told.one("-s") == "PTUUID"
    found = [uuid for kind, uuid in signs.items() if (kind in TABLES) == table]
    return lines(found[0]) if found else failed("", 2)


def sfdisk(machine: Machine, words: list[str], reader: Reader) -> Said:
    """A new partition table by what is piped into it, or one more part of an old one; -d: the table."""
    told = Words(words, valued="-w -W", plain="-q -d --append --no-reread --no-tell-kernel")
    if "-d" in told:
        return _table(machine, machine.device(told.rest[0]))
    if "--append" in told:
        return _appended(machine, told, reader.all().decode())
    (disk,) = machine.free(told.rest, "sfdisk: cannot open")
    text = reader.all().decode()
    label = re.search(r"^label: (\w+)$", text, re.M)
    key = re.search(r"^label-id: (\S+)$", text, re.M)
    if not label or not key:
        raise Refused("sfdisk: failed to add a label")
    ends = 0
    parts: list[tuple[int, int]] = []
    for start, size in re.findall(
        r"^start=(\d+)MiB, size=(\d+)MiB, type=[-0-9A-F]{36}$", text, re.M
    ):
        begin, room = int(start) * MIB, int(size) * MIB
        if begin < max(ends, MIB) or begin + room > disk.size - TABLE_END:
            raise Refused(
                f"sfdisk: failed to add #{len(parts) + 1} partition: Numerical result out of range"
            )
        ends = begin + room
        parts.append((begin, room))
    if len(parts) != text.count("start="):
        raise Refused("sfdisk: unsupported command")
    disk.signs = {label[1]: key[1]}
    for begin, room in parts:
        cut(machine, disk, Part(begin, begin + room))
    return FINE


def cut(machine: Machine, disk: Device, part: Part) -> Device:
    """A part comes up, under the first number that is free."""
    joint = "p" if disk.path[-1].isdigit() else ""
    path = next(p for n in range(1, 129) if (p := f"{disk.path}{joint}{n}") not in machine.devices)
    return machine.plug_in(Device(path, part.end - part.start, "part", (disk.path,), part=part))


def _table(machine: Machine, disk: Device) -> Said:
    if "gpt" not in disk.signs:
        raise Refused(f"sfdisk: {disk.path}: does not contain a recognized partition table")
    rows = [
        f"{d.path} : start={d.part.start // SECTOR:>12}, size={d.size // SECTOR:>12}, "
        f"type=0FC63DAF-8483-4772-8E79-3D69D8477DE4, uuid={d.part.key.upper()}"
        for d in machine.parts_of(disk.path)
        if d.part
    ]
    last = (disk.size - TABLE_END) // SECTOR - 1
    head = ("label: gpt", f"device: {disk.path}", "unit: sectors", f"last-lba: {last}", "")
    return lines(*head, *rows)


def _appended(machine: Machine, told: Words, text: str) -> Said:
    disk = machine.device(told.rest[0])
    if "--no-reread" not in told:
        machine.free(told.rest, "sfdisk: This disk is currently in use")
    asked = re.fullmatch(
        r"start=(\d+)MiB, size=(\d+)MiB, type=[-0-9A-F]{36}, uuid=([-0-9a-f]{36})\n", text
    )
    if "gpt" not in disk.signs or not asked:
        raise Refused("sfdisk: unsupported command")
    start, room = int(asked[1]) * MIB, int(asked[2]) * MIB
    parts = [d.part for d in machine.parts_of(disk.path) if d.part]
    over = [p for p in parts if p.start < start + room and start < p.end]
    if over or start + room > disk.size - TABLE_END:
        raise Refused("sfdisk: failed to add partition: Numerical result out of range")
    cut(machine, disk, Part(start, start + room, asked[3]))
    return FINE


def partx(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Partx -u DISK: what is cut is there at once."""
    Words(words, plain="-u")
    return FINE


def udevadm(machine: Machine, words: list[str], reader: Reader) -> Said:
    """There is nothing to wait for."""
    return FINE
