"""An ATA disk's answers, as smartctl's own record of them: it reads such a record instead of a disk.

Source: smartctl(8), `-r ioctl` and the device `-`; ATA ACS-3: IDENTIFY DEVICE, SMART READ DATA, SMART READ LOG.
"""

import struct
from collections.abc import Iterable, Sequence

from kavrel.rig.smart.disk import FORMS, Attribute, SelfTest, Smart

START = {"short": 1, "long": 2}


def record(disk: Smart, *, starts: str = "") -> str:
    """All that smartctl asks of it, in its order: of everything, or to start a test."""
    told = _said("IDENTIFY DEVICE", _identity(disk)) + _said(
        "SMART READ ATTRIBUTE VALUES", _values(disk.attributes, disk.tests)
    )
    if starts:
        return told + _said("SMART IMMEDIATE OFFLINE", asked=START[starts])
    told += _said("SMART READ ATTRIBUTE THRESHOLDS", _thresholds(disk.attributes))
    told += _said("SMART STATUS CHECK", code=0 if disk.passes else 1)
    told += _said("SMART READ LOG", _directory(), asked=0)
    told += _said("SMART READ LOG", _summed(bytearray([1] + [0] * 511)), asked=1)
    told += _said("SMART READ LOG", _tests(disk, disk.tests), asked=6)
    return told + _said("SMART READ LOG", _summed(bytearray([1] + [0] * 511)), asked=9)


def _said(command: str, sector: bytes = b"", code: int = 0, asked: int | None = None) -> str:
    head = f"REPORT-IOCTL: Device=/dev/sda Command={command}"
    lines = [
        head + ("" if asked is None else f" InputParameter={asked}"),
        f"{head} returned {code}",
    ]
    if sector:
        lines.append(f"===== [{command}] DATA START (BASE-16) =====")
        for at in range(0, 512, 16):
            row = " ".join(f"{byte:02x}" for byte in sector[at : at + 16])
            lines.append(f"{at:03}-{at + 15:03}: {row} |................|")
        lines.append(f"===== [{command}] DATA END (512 Bytes) =====")
    return "".join(f"{line}\n" for line in lines)


def _summed(sector: bytearray) -> bytes:
    """With the last byte that makes all of them come to nought."""
    sector[511] = -sum(sector[:511]) % 256
    return bytes(sector)


def _swapped(text: str, size: int) -> bytes:
    told = text.ljust(size).encode()
    return b"".join(bytes((told[n + 1], told[n])) for n in range(0, size, 2))


def _identity(disk: Smart) -> bytes:
    logical, physical = disk.sectors
    count = disk.disk.capacity_bytes // logical
    words = {
        0: 0x40, 49: 0x2F00, 60: min(count, 0xFFFFFFF) & 0xFFFF, 61: min(count, 0xFFFFFFF) >> 16,
        76: 0xE, 77: 0x6, 80: 0x7F0, 82: 0x41, 83: 0x6400, 84: 0x4023, 85: 0x41, 86: 0x2400, 87: 0x4023,
        106: 0x4000 | (0x2003 if physical > logical else 0) | (0x1000 if logical > 512 else 0),
        117: (logical // 2 & 0xFFFF) if logical > 512 else 0,
        168: FORMS[disk.disk.form][0], 169: int(disk.flash), 217: 1 if disk.flash else 7200, 222: 0x10FF,
    }  # fmt: skip
    words |= {100 + n: count >> 16 * n & 0xFFFF for n in range(4)}
    sector = bytearray(512)
    for word, value in words.items():
        struct.pack_into("<H", sector, 2 * word, value)
    for word, text, size in (
        (10, disk.disk.serial, 20),
        (23, "1.0", 8),
        (27, disk.model, 40),
    ):
        sector[2 * word : 2 * word + size] = _swapped(text, size)
    sector[510] = 0xA5
    return _summed(sector)


def _values(rows: Iterable[Attribute], tests: Sequence[SelfTest]) -> bytes:
    sector = bytearray(512)
    struct.pack_into("<H", sector, 0, 16)
    for at, row in enumerate(rows):
        raw = row.raw.to_bytes(6, "little")
        struct.pack_into(
            "<BHBB6s", sector, 2 + 12 * at, row.id, row.flags, row.value, row.value, raw
        )
    failed = bool(tests and tests[-1].failed)
    sector[362], sector[363], sector[367], sector[370] = 0x82, 0x79 if failed else 0, 0x7B, 1
    struct.pack_into("<H", sector, 368, 3)
    sector[372], sector[373] = 2, 255
    struct.pack_into("<H", sector, 375, 600)
    return _summed(sector)


def _thresholds(rows: Iterable[Attribute]) -> bytes:
    sector = bytearray(512)
    struct.pack_into("<H", sector, 0, 16)
    for at, row in enumerate(rows):
        struct.pack_into("<BB", sector, 2 + 12 * at, row.id, row.thresh)
    return _summed(sector)


def _directory() -> bytes:
    """Which logs there are, by their sectors: errors, tests, and tests of spans."""
    sector = bytearray(512)
    for number in (0, 1, 6, 9):
        struct.pack_into("<H", sector, 2 * number, 1)
    return bytes(sector)


def _tests(disk: Smart, tests: Sequence[SelfTest]) -> bytes:
    """A ring of 21 places."""
    sector = bytearray(512)
    struct.pack_into("<H", sector, 0, 1)
    for number, test in enumerate(tests):
        place = number % 21
        status, where = (0x79, disk.bad_sector) if test.failed else (0, 0)
        row = (START[test.kind], status, test.hours, 0, where)
        struct.pack_into("<BBHBI", sector, 2 + 24 * place, *row)
        sector[508] = place + 1
    return _summed(sector)
