"""Disks, their signatures and their partition tables.

Sources: blockdev(8), wipefs(8), lsblk(8), blkid(8), sfdisk(8).
"""

import re
from collections.abc import Iterator

from kavrel.rig.bare.machine import Device, Machine
from kavrel.rig.bare.said import Reader, Refused, Words
from kavrel.rig.said import FINE, Said, failed, lines

MIB = 2**20
TABLE_END = 33 * 512  # bytes of the second copy of a GPT at the end of a disk; UEFI, chapter 5
TABLES = ("gpt", "dos")


def blockdev(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Blockdev --getsize64 DEVICE."""
    told = Words(words, plain="--getsize64")
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
    """A new partition table by what is piped into it."""
    told = Words(words, valued="-w -W", plain="-q")
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
    joint = "p" if disk.path[-1].isdigit() else ""
    for n, (_, room) in enumerate(parts, 1):
        machine.plug_in(Device(f"{disk.path}{joint}{n}", room, "part", (disk.path,)))
    return FINE


def udevadm(machine: Machine, words: list[str], reader: Reader) -> Said:
    """There is nothing to wait for."""
    return FINE
