"""How long the longest run of a job in a week takes, and why: what it carries, and whom it meets."""

from collections.abc import Iterator
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.resource import Resource
from kavrel.core.plan import Job
from kavrel.core.quantities import DAY
from kavrel.core.schedule import within
from kavrel.core.week.fluid import TaskRun
from kavrel.core.week.nights import run_step
from kavrel.core.week.week import Week, moved_bytes, resource_name, week, week_flows
from kavrel.core.working import Working, local, step

SHARED = (
    "simulated: jobs that share disks, LAN or links get fair shares, max-min over what each needs most "
    "(Bertsekas and Gallager 1992; Ghodsi et al. 2011)"
)


def longest_explained(book: CopyBook, day: date, job: Job) -> Working:
    """The longest run of a job in the week that holds a day; no value where it has none then."""
    name = f"the longest run of {job.name} in the week of {day}"
    flows = [r for r in week_flows(book, day) if r.task == job.id]
    if not flows:
        return step(name, None, "s", "it does not run in that week")
    run = max(flows, key=lambda r: r.end - r.begin)
    told, flow = run_step(book.index, run), book.flow(job)
    parts = [
        *told.inputs,
        step("since the run before", run.gap_days, "days"),
        step("carries", moved_bytes(book, day, run), "bytes"),
        step("starting up", flow.fixed_seconds, "s"),
    ]
    if flow.scan_seconds:
        parts.append(step("looking at every file", flow.scan_seconds, "s"))
    if flow.parts and 0 < flow.seconds_per_byte < float("inf"):
        parts.append(step("the slowest part of its way", 1e-6 / flow.seconds_per_byte, "MB/s"))
    zone = book.index.plan.zone
    if run.begin > run.due + 1:
        parts.append(step("waited", run.begin - run.due, "s", f"due at {local(run.due, zone)}"))
    parts += _capped(book, run)
    parts += _met(book, week(book, day), run)
    return told.model_copy(update={"name": name, "inputs": tuple(parts), "source": SHARED})


def _capped(book: CopyBook, run: TaskRun) -> Iterator[Working]:
    """Limits by day of the links on its way that it meets."""
    index, zone = book.index, ZoneInfo(book.index.plan.zone)
    links = {r.id for r, _ in book.way(index.jobs[run.task]).loads if r.kind == "link"}
    begin, end = (datetime.fromtimestamp(t, zone) for t in (run.begin, run.end))
    for cap in index.plan.caps:
        low, high = time.fromisoformat(cap.from_at), time.fromisoformat(cap.to_at)
        met = within(begin.time(), low, high) or run.end - run.begin > DAY
        met = met or within(low, begin.time(), end.time())
        if cap.link in links and met:
            where = resource_name(book, Resource("link", cap.link))
            hours = f"{cap.from_at} to {cap.to_at}, every day"
            yield step(f"limit on {where}", cap.mbit, "Mbit/s", hours)


def _met(book: CopyBook, shown: Week, run: TaskRun) -> list[Working]:
    """Runs of others that it shares something with, each with how long."""
    monday = datetime.combine(shown.monday, time(), ZoneInfo(shown.zone))
    names, met = book.index.jobs, []
    for clash in shown.clashes:
        if run.task not in (clash.first, clash.second) or clash.first == clash.second:
            continue
        begin = (monday + timedelta(minutes=clash.from_minute)).timestamp()
        if not run.begin - 60 <= begin <= run.end:
            continue
        other = clash.second if clash.first == run.task else clash.first
        where = resource_name(book, clash.resource)
        span = (clash.to_minute - clash.from_minute) * 60
        met.append(step(f"meets {names[other].name} on {where}", span, "s"))
    return met
