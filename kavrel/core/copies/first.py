"""The first whole copy: side by side on the LAN, by a carried disk, or over the link.

Over the link the bandwidth caps by time of day and the data allowance of the month count, so the
end is found by walking through the days. Side by side the far box stands next to the source until
it is done; by a carried disk everything is copied twice, and the disk travels between.
Source: bytes over speed; 10 TB over 20 Mbit/s are 46 days, common practice.
"""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

from kavrel.core.copies.loads import Loads
from kavrel.core.copies.path import MB, Path, link_mb_per_s, path
from kavrel.core.copies.resource import Resource
from kavrel.core.index import Index
from kavrel.core.plan import FirstCopy, Job, Link
from kavrel.core.working import Working, step

# Longer than any hardware lives: there it is given up.
MOST_DAYS = 3660


@dataclass(frozen=True)
class FirstWay:
    """One way of making the first copy: `hours` and `ends_on` are None where it never ends."""

    way: FirstCopy
    hours: float | None
    ends_on: date | None
    why: str
    working: Working


def first_seconds(book: Loads, job: Job) -> float:
    """Seconds of the first copy the way the job says; infinite where it never ends."""
    ways = first_ways(book, job)
    # An older plan may have a way that its target does not know: then it is the link's.
    way = next((w for w in ways if w.way == job.first_copy), ways[0])
    return way.hours * 3600 if way.hours is not None else float("inf")


def first_loads(book: Loads, job: Job) -> tuple[tuple[Resource, float], ...]:
    """Seconds for which the first copy keeps each resource busy, the way the job says.

    Side by side the LAN at the source carries it; a carried disk keeps the source's disks busy.
    """
    size = book.first_bytes(job)
    source, target = book.source(job), book.place(job)
    if job.first_copy == "over_link" or target.bucket:
        return tuple((r, size / (s * MB)) for r, s in book.way(job).loads if s > 0)
    side = path(book.index, book.states, source, target, None, by_hand=True)
    if job.first_copy == "side_by_side":
        home = source.site(book.index)
        loads = ((Resource("lan", home or "") if r.kind == "lan" else r, s) for r, s in side.loads)
        return tuple((r, size / (s * MB)) for r, s in loads)
    dock = min(book.index.assumptions["dock_mb_per_s"], side.mb_per_s)
    return tuple((Resource("pool", p.pool), size / (dock * MB)) for p in (source,) if p.pool)


def first_ways(book: Loads, job: Job) -> list[FirstWay]:
    """The three ways for a job that copies to another store, from `first_on` or today."""
    index = book.index
    begin = max(job.first_on or book.as_of, book.as_of)
    size = book.first_bytes(job)
    source, target = book.source(job), book.place(job)
    known = index.assumptions
    ways = [_over_link(book, job, size, begin)]
    if target.bucket:
        return ways
    side = path(index, book.states, source, target, None, by_hand=True)
    travel = known.step("travel_hours")
    away = source.site(index) != target.site(index)
    hours = side.hours(size)
    carry = known["travel_hours"] if away else 0.0
    ways.append(
        _way(
            "side_by_side",
            hours + carry,
            begin,
            "the far box stands beside the source, then moves; its address stays as it is"
            if away
            else "both are at one place",
            step(
                "first copy side by side",
                hours + carry,
                "h",
                "bytes / slowest part + carrying the box",
                side.working("on the LAN", size),
                *((travel,) if away else ()),
            ),
        )
    )
    dock = known["dock_mb_per_s"]
    read = size / (min(dock, side.mb_per_s) * MB) / 3600
    ways.append(
        _way(
            "carried",
            2 * read + carry,
            begin,
            "a disk is filled at the source, carried over and read in there",
            step(
                "first copy on a carried disk",
                2 * read + carry,
                "h",
                "twice bytes / dock + the way",
                step("bytes", size, "bytes"),
                known.step("dock_mb_per_s"),
                *((travel,) if away else ()),
            ),
        )
    )
    return sorted(ways, key=lambda w: w.hours if w.hours is not None else float("inf"))


def _way(way: FirstCopy, hours: float, begin: date, why: str, working: Working) -> FirstWay:
    return FirstWay(way, hours, begin + timedelta(hours=hours), why, working)


def _over_link(book: Loads, job: Job, size: int, begin: date) -> FirstWay:
    index = book.index
    way = book.way(job)
    link = next((r.id for r in way.resources if r.kind == "link"), None)
    if way.missing_link:
        nothing = way.working("first copy over the link", size)
        return FirstWay("over_link", None, None, "no link joins the two sites", nothing)
    if link is None:
        hours = way.hours(size)
        return _way(
            "over_link", hours, begin, "no link is crossed", way.working("first copy", size)
        )
    line = next(x for x in index.plan.links if x.id == link)
    seconds = walk(index, line, way, job, size, begin)
    plain = way.working("without caps", size)
    caps = [
        step(f"cap from {c.from_at} to {c.to_at}", c.mbit, "Mbit/s")
        for c in index.plan.caps
        if c.link == link
    ]
    if line.allowance_bytes_per_month is not None:
        caps.append(step("allowance", line.allowance_bytes_per_month, "bytes"))
    hours_ = seconds / 3600 if seconds is not None else None
    working = step(
        "first copy over the link",
        hours_,
        "h",
        "hour by hour at what the caps and the month's allowance leave",
        plain,
        *caps,
    )
    if hours_ is None:
        why = f"not done after {MOST_DAYS // 365} years: the hardware is dead before"
        return FirstWay("over_link", None, None, why, working)
    return _way("over_link", hours_, begin, "while everything else goes on over it", working)


def capped_speed(index: Index, link: Link, way: Path, job: Job, clock: time) -> float:
    """Bytes a second at a time of day."""
    from kavrel.core.schedule import within

    speed = way.mb_per_s
    for cap in index.plan.caps:
        if cap.link != link.id:
            continue
        low, high = time.fromisoformat(cap.from_at), time.fromisoformat(cap.to_at)
        if within(clock, low, high):
            speed = min(speed, link_mb_per_s(index, link, cap.mbit, job.wire_encrypted))
    return speed * MB


def walk(index: Index, link: Link, way: Path, job: Job, size: float, begin: date) -> float | None:
    """Seconds from midnight of `begin` until so many bytes are over; None: not in ten years.

    Goes from one change of speed to the next: the edges of caps, midnights for new months.
    """
    zone = ZoneInfo(index.plan.zone)
    edges = sorted(
        {time(0, 0)}
        | {
            time.fromisoformat(at)
            for c in index.plan.caps
            if c.link == link.id
            for at in (c.from_at, c.to_at)
        }
    )
    allowance = link.allowance_bytes_per_month
    left = float(size)
    start = datetime.combine(begin, time(), zone).timestamp()
    month, used = (begin.year, begin.month), 0.0
    speeds = [capped_speed(index, link, way, job, e) for e in edges]
    whole_day = sum(speed * seconds for speed, seconds in zip(speeds, _lengths(edges), strict=True))
    day = begin
    for _ in range(MOST_DAYS):
        if (day.year, day.month) != month:
            month, used = (day.year, day.month), 0.0
        room = min(left, allowance - used) if allowance is not None else left
        if room > whole_day * 1.05:  # the day is used whole, whichever its length
            marks = [datetime.combine(day, e, zone).timestamp() for e in edges]
            marks.append(datetime.combine(day + timedelta(days=1), time(), zone).timestamp())
            sent = sum(v * (b - a) for v, a, b in zip(speeds, marks, marks[1:], strict=False))
            left, used = left - sent, used + sent
        else:
            for n, speed in enumerate(speeds):
                at = datetime.combine(day, edges[n], zone).timestamp()
                next_day = day + timedelta(days=1)
                end = (
                    datetime.combine(day, edges[n + 1], zone)
                    if n + 1 < len(edges)
                    else datetime.combine(next_day, time(), zone)
                ).timestamp()
                sent = speed * (end - at)
                if allowance is not None:
                    sent = min(sent, allowance - used)
                if sent >= left:
                    return at + left / speed - start
                left, used = left - sent, used + sent
        day += timedelta(days=1)
    return None


def _lengths(edges: list[time]) -> list[float]:
    marks = [e.hour * 3600.0 + e.minute * 60 for e in edges] + [86_400.0]
    return [b - a for a, b in pairwise(marks)]
