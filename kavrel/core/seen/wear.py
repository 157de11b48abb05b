"""Wear: what a disk's readings say over time, how dangerous it is, and what its failure rate becomes.

Counts of sectors matter from the first on: source in `assumptions`. The factors are of the sixty days
after; a yearly rate from them is that of a disk that goes on as it is.
"""

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.plan import Disk
from kavrel.core.pools.pool import disk_facts
from kavrel.core.quantities import DAY
from kavrel.core.seen.machine import Readings
from kavrel.core.seen.offer import Taken
from kavrel.core.working import Working, step

COUNTS = ("uncorrectable", "pending", "reallocated")
YEAR = 365.25 * DAY
MOST_RATE = 0.95
Level = Literal["replace", "watch", "well", "unknown"]


class Reading(Readings):
    """Readings of a disk at a moment (epoch seconds)."""

    seen_at: float


class Wear(BaseModel):
    """A disk by its readings, the oldest first. `slopes` are counts a year over all readings.

    `rate` is its yearly failure rate with what the readings make of it; `change` sets it in the plan.
    """

    model_config = ConfigDict(frozen=True)

    disk: str
    label: str
    serial: str
    level: Level
    why: str
    danger: float
    readings: tuple[Reading, ...]
    slopes: dict[str, float]
    rate: float | None
    planned_rate: float
    working: Working
    change: Taken | None = None


def wear_of(index: Index, readings: Mapping[str, Sequence[Reading]]) -> list[Wear]:
    """Every disk with a serial in a host or a pool, the most dangerous first."""
    rows = [_wear(index, d, readings.get(d.serial, ())) for d in index.plan.disks if d.serial]
    return sorted(rows, key=lambda w: (-w.danger, w.label))


def _wear(index: Index, disk: Disk, readings: Sequence[Reading]) -> Wear:
    known = index.assumptions
    planned = disk_facts(index, disk).yearly_failure_rate
    base = disk_facts(
        index, disk.model_copy(update={"yearly_failure_rate": None})
    ).yearly_failure_rate
    rows = tuple(readings)
    slopes = {
        k: s
        for k in (*COUNTS, "crc", "wear_percent", "written_bytes")
        if (s := _slope(rows, k)) is not None
    }
    if not rows:
        working = step("failure rate", base, "a year", "no reading yet: the plan's assumption")
        return Wear(
            disk=disk.id, label=disk.label, serial=disk.serial, level="unknown", danger=0.0,
            why="no reading yet: nobody knows how it is", readings=(), slopes={}, rate=None,
            planned_rate=planned, working=working,
        )  # fmt: skip
    last = rows[-1]
    bad = [(k, getattr(last, k)) for k in COUNTS if getattr(last, k)]
    factor, worst = max(((known[f"wear_{k}"], k) for k, _ in bad), default=(1.0, ""))
    rate = min(MOST_RATE, 1 - (1 - base) ** factor)
    level, why, danger = _verdict(index, disk, rows, slopes, bad, factor)
    steps = [known.step(f"{'hdd' if disk.kind == 'hdd' else 'ssd'}_failure_rate")]
    if worst:
        steps.append(known.step(f"wear_{worst}"))
    working = step("failure rate", rate, "a year", "1 - (1 - rate) ^ factor", *steps)
    return Wear(
        disk=disk.id, label=disk.label, serial=disk.serial, level=level, why=why, danger=danger,
        readings=rows, slopes=slopes, rate=rate, planned_rate=planned,
        working=working, change=_change(disk, rate, factor, planned),
    )  # fmt: skip


def _verdict(
    index: Index,
    disk: Disk,
    rows: Sequence[Reading],
    slopes: Mapping[str, float],
    bad: Sequence[tuple[str, int]],
    factor: float,
) -> tuple[Level, str, float]:
    known, last = index.assumptions, rows[-1]
    if last.healthy is False:
        return "replace", "the disk itself says that it fails", 1000.0
    if last.failed_tests:
        count = f"{last.failed_tests} of its" if last.failed_tests > 1 else "one of its"
        return "replace", f"{count} own tests failed: it met what it could not read", 500.0
    said = [f"{count} {kind} sector{'s' if count != 1 else ''}" for kind, count in bad]
    growing = [k for k in COUNTS if slopes.get(k, 0.0) > 0]
    if growing:
        said.append(f"growing: {', '.join(growing)}")
    if bad:
        level: Level = "replace" if growing or last.uncorrectable else "watch"
        return level, "; ".join(said), factor + (50.0 if growing else 0.0)
    if disk.kind != "hdd" and (last.wear_percent or 0) >= known["wear_worn"]:
        return "replace", f"{last.wear_percent} % of its rated writes are used", 30.0
    if slopes.get("crc", 0.0) > 0:
        return "watch", "errors on the cable grow: seat or change the cable, not the disk", 5.0
    if last.temperature is not None and last.temperature > known["wear_hot"]:
        return "watch", f"{last.temperature} degrees Celsius: let more air through", 3.0
    return "well", "nothing to say against it", 0.0


def _slope(rows: Sequence[Reading], name: str) -> float | None:
    """A year's growth, from the first to the last reading that has it."""
    told: list[tuple[float, Any]] = [
        (r.seen_at, getattr(r, name)) for r in rows if getattr(r, name) is not None
    ]
    if len(told) < 2 or told[-1][0] <= told[0][0]:
        return None
    return float(told[-1][1] - told[0][1]) / (told[-1][0] - told[0][0]) * YEAR


def _change(disk: Disk, rate: float, factor: float, planned: float) -> Taken | None:
    """Its own failure rate in the plan, where the readings say another one."""
    if factor <= 1 or abs(rate - planned) < 0.001:
        return None
    item = {**disk.model_dump(mode="json"), "yearly_failure_rate": round(rate, 4)}
    return Taken(
        key=f"disks/{disk.id}", collection="disks", what="changed", name=disk.label, item=item,
        why=f"fails in a year: {rate:.1%} by its readings, {planned:.1%} planned",
    )  # fmt: skip
