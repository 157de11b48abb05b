"""A disk's own readings, as smartctl gets them: attributes, tests of itself, and what it ends with."""

import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property
from typing import NamedTuple

from kavrel.core.plan import Disk

DATA_UNIT = 512_000  # bytes. Source: NVM Express base specification
# Codes of smartctl, which are added up. Source: smartctl(8), EXIT STATUS.
FAILING, PREFAIL, TEST_FAILED = 8, 16, 128
POLLING = {"short": 2, "long": 600}  # minutes
# Sectors kept to stand in for bad ones; value from memory, they differ by maker.
SPARE_SECTORS = 4000
FIRMWARE = "1.0"
DATABASE = "7.3/5319"
LATEST_TESTS = 21  # that a disk keeps. Source: ATA ACS-3, self-test log
# Number and name of a form factor. Source: ATA ACS-3, IDENTIFY DEVICE word 168.
FORMS = {"3.5": (2, "3.5 inches"), "2.5": (3, "2.5 inches"), "m.2": (7, "M.2")}
# Number of a test, and what it is called.
TESTS = {"short": (1, "Short offline"), "long": (2, "Extended offline")}
UNITS = ("B", "KB", "MB", "GB", "TB", "PB")


class SelfTest(NamedTuple):
    """A test that a disk ran on itself, short or long: when in its life (h), and whether a sector failed it."""

    kind: str
    hours: int
    failed: bool = False


class Attribute(NamedTuple):
    """A row of the table; `flags` and `thresh` are the maker's, `value` sinks from 100 as it wears."""

    id: int
    name: str
    flags: int
    value: int
    thresh: int
    raw: int

    @property
    def failing(self) -> bool:
        """Whether it says that the disk dies."""
        return self.value <= self.thresh


@dataclass(frozen=True)
class Smart:
    """A disk at a device path at a moment (epoch s).

    `readings` by name: hours, temperature (C), reallocated, pending, uncorrectable (sectors), crc (errors),
    written (of NVMe data units of 512,000 bytes, else sectors), wear_percent. `tests` are the latest last.
    """

    disk: Disk
    device: str
    moment: float
    readings: Mapping[str, int]
    tests: Sequence[SelfTest] = ()

    @property
    def flash(self) -> bool:
        """Whether it has no platters."""
        return self.disk.kind != "hdd"

    @property
    def sectors(self) -> tuple[int, int]:
        """Bytes of a sector, as it is addressed and as it is written."""
        return {"512n": (512, 512), "512e": (512, 4096), "4kn": (4096, 4096)}[self.disk.sector]

    @property
    def warm(self) -> int:
        """Its temperature, C."""
        return self.reading("temperature", 33)

    @property
    def model(self) -> str:
        """The plan knows no makers."""
        return f"{self.disk.kind.upper()} {sized(self.disk.capacity_bytes)}"

    def reading(self, name: str, usual: int = 0) -> int:
        """One that is told, or what a disk that is well says."""
        return self.readings.get(name, usual)

    @cached_property
    def attributes(self) -> tuple[Attribute, ...]:
        """Of a disk with ATA's commands."""
        hours, warm = self.reading("hours"), self.warm
        gone = self.reading("reallocated")
        rows = [
            Attribute(
                5,
                "Reallocated_Sector_Ct",
                0x33,
                max(1, 100 - 100 * gone // SPARE_SECTORS),
                10,
                gone,
            ),
            Attribute(9, "Power_On_Hours", 0x32, max(1, 100 - hours // 1000), 0, hours),
            Attribute(194, "Temperature_Celsius", 0x22, max(1, 100 - warm), 0, warm),
            Attribute(197, "Current_Pending_Sector", 0x12, 100, 0, self.reading("pending")),
            Attribute(198, "Offline_Uncorrectable", 0x10, 100, 0, self.reading("uncorrectable")),
            Attribute(199, "UDMA_CRC_Error_Count", 0x3E, 200, 0, self.reading("crc")),
        ]
        if self.flash:
            rows.append(Attribute(241, "Total_LBAs_Written", 0x32, 100, 0, self.reading("written")))
        return tuple(rows)

    @property
    def health_log(self) -> dict[str, int]:
        """Of an NVMe disk. Source: NVM Express base specification, SMART / health information."""
        return {
            "critical_warning": 0,
            "temperature": self.warm,
            "available_spare": 100,
            "available_spare_threshold": 10,
            "percentage_used": self.reading("wear_percent"),
            "data_units_written": self.reading("written"),
            "power_on_hours": self.reading("hours"),
            "media_errors": self.reading("uncorrectable"),
        }

    @property
    def passes(self) -> bool:
        """What it says of its own health: many a disk dies that passes."""
        return not any(a.failing for a in self.attributes) or self.disk.kind == "nvme"

    @property
    def code(self) -> int:
        """What smartctl ends with once it has asked all of it."""
        if self.disk.kind == "nvme":
            return 0
        dies = any(a.failing and a.flags & 1 for a in self.attributes)
        return (FAILING + PREFAIL if dies else 0) + (TEST_FAILED if self.failed_tests[1] else 0)

    @property
    def failed_tests(self) -> tuple[int, int]:
        """Tests in its log that failed, and those of them after which no long one went well."""
        failed = [n for n, t in enumerate(self.logged) if t.failed]
        return len(failed), sum(not self.well or n < self.well - 1 for n in failed)

    @property
    def logged(self) -> Sequence[SelfTest]:
        """Its tests as far as it remembers them, the latest first."""
        return tuple(reversed(self.tests[-LATEST_TESTS:]))

    @property
    def well(self) -> int:
        """Which of these, from 1 on, is the latest long one that went well; 0 for none."""
        long = (n for n, t in enumerate(self.logged, 1) if t.kind == "long" and not t.failed)
        return next(long, 0)

    @property
    def test_status(self) -> int:
        """What it says of its latest test: how it ended, and the tenths of it that were left."""
        return 0x79 if self.tests and self.tests[-1].failed else 0

    @property
    def bad_sector(self) -> int:
        """The first that cannot be read, somewhere on it: the same each time it is asked."""
        return zlib.crc32(self.disk.serial.encode()) % (self.disk.capacity_bytes // self.sectors[0])


def clock(moment: float) -> str:
    """An instant (epoch s) as the tool writes it."""
    return datetime.fromtimestamp(moment, UTC).strftime("%a %b %e %H:%M:%S %Y UTC")


def sized(size: int) -> str:
    """Three digits of a size in bytes, cut off, not rounded: 4.00 TB, 120 GB."""
    unit, one = 0, 1
    while size >= one * 1000 and unit < len(UNITS) - 1:
        unit, one = unit + 1, one * 1000
    digits = 0 if not unit or size >= 100 * one else 1 if size >= 10 * one else 2
    whole, rest = divmod(size, one)
    part = f".{rest * 10**digits // one:0{digits}}" if digits else ""
    return f"{whole}{part} {UNITS[unit]}"
