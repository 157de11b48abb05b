"""The jobs and what is due as iCalendar (RFC 5545), in the lab's time zone."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from kavrel.core.evaluate import Evaluation, JobView
from kavrel.core.plan import Job, Plan, Schedule
from kavrel.core.schedule import dtstart, odd_starts, rrule, starts
from kavrel.formats.timers import ODD_YEARS


def _timed(plan: Plan, views: dict[str, JobView], job: Job) -> tuple[Schedule, timedelta]:
    """The schedule that a job follows in the end, and how long after it starts."""
    jobs = {j.id: j for j in plan.jobs}
    offset = timedelta()
    while job.after:
        job = jobs[job.after]
        hours = views[job.id].usual_run.value
        offset += timedelta(hours=hours if isinstance(hours, float) else 0.0)
    return job.schedule, timedelta(seconds=round(offset.total_seconds()))


def _following(schedule: Schedule, zone: str, offset: timedelta, today: date) -> list[datetime]:
    """Starts of a follower in the coming year, in the plan's time."""
    place = ZoneInfo(zone)
    coming = starts(schedule, zone, today, today + timedelta(days=366))
    return [datetime.fromtimestamp(t + offset.total_seconds(), place) for t in coming]


def week_ics(plan: Plan, evaluation: Evaluation, stamp: datetime) -> bytes:
    """Each job as a recurring event of its usual length; each due thing as a day's event.

    RFC 5545 skips a start in the spring gap: those of the coming years are named one by one, as
    RDATEs in UTC. A job that follows another stands where that one usually ends, for the coming
    year, start by start: past midnight no rule over wall times would say so. `stamp` is the aware
    moment of writing.
    """
    from icalendar import Calendar, Event, vRecur  # loads slowly, and most servers are never asked

    calendar = Calendar()
    calendar.add("prodid", "-//Kavrel//plan//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", plan.name)
    calendar.add("x-wr-timezone", plan.zone)
    views = {j.id: j for j in evaluation.jobs}
    for job in plan.jobs:
        view = views[job.id]
        event = Event()
        event.add("uid", f"{job.id}@kavrel.invalid")
        event.add("dtstamp", stamp)
        timed, offset = _timed(plan, views, job)
        if job.after:
            moments = _following(timed, plan.zone, offset, evaluation.today)
            if not moments:
                continue
            event.add("dtstart", moments[0])
            event.add("rdate", [m.astimezone(UTC) for m in moments[1:]] or [moments[0]])
        else:
            event.add("dtstart", dtstart(timed, plan.zone))
            event.add("rrule", vRecur.from_ical(rrule(timed, plan.zone)))
        hours = view.usual_run.value
        if isinstance(hours, float):
            event.add("duration", timedelta(seconds=max(60, round(hours * 3600))))
        last = evaluation.today.replace(year=evaluation.today.year + ODD_YEARS, day=1)
        odd = () if job.after else odd_starts(timed, plan.zone, evaluation.today, last)
        if odd:
            event.add("rdate", [t.astimezone(UTC) for t in odd])
        event.add("summary", f"{job.name} ({view.title})")
        event.add(
            "description",
            f"{view.source_name} to {view.target_name}, keeps {view.retention_words}",
        )
        event.add("transp", "TRANSPARENT")
        calendar.add_component(event)
    for due in evaluation.due:
        event = Event()
        event.add("uid", f"due-{due.kind}-{due.about_kind}-{due.about}@kavrel.invalid")
        event.add("dtstamp", stamp)
        event.add("dtstart", max(due.due_on, evaluation.today))
        event.add("summary", f"due: {due.kind.replace('_', ' ')}, {due.name}")
        event.add("description", due.why)
        event.add("transp", "TRANSPARENT")
        calendar.add_component(event)
    calendar.add_missing_timezones()
    written: bytes = calendar.to_ical()
    return written
