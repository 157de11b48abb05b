"""News of a lab: what failed, what is silent, due, worn, drifted, or no longer as it was signed.

Each piece has a key that stays while the matter stays: it is told once, not every day.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict

from kavrel.core.evaluate import Evaluation
from kavrel.core.index import Index
from kavrel.core.quantities import later, size_words, span_words
from kavrel.core.seen.drifted import Drift
from kavrel.core.seen.hollow import hollow
from kavrel.core.seen.machine import SeenRun
from kavrel.core.seen.points import FoundPoints
from kavrel.core.seen.wear import Wear

Topic = Literal["failure", "silence", "due", "wear", "drift", "risk", "backup", "heartbeat"]
TOPICS: tuple[Topic, ...] = get_args(Topic)
RUN_DAYS = 14  # runs of longer ago are no news
LONGEST = 300


class News(BaseModel):
    """One thing to tell. `urgent`: not left for the message of the day."""

    model_config = ConfigDict(frozen=True)

    key: str
    topic: Topic
    urgent: bool
    title: str
    text: str


@dataclass(frozen=True)
class Known:
    """What machines said of a lab lately: runs with their hosts, points, disks, differences.

    `carried`: the runs of which it is known what they carried. `last_sent`: when each box that sends by
    itself was heard last.
    """

    runs: Sequence[tuple[str, SeenRun]] = ()
    carried: Sequence[tuple[str, SeenRun]] = ()
    points: Sequence[FoundPoints] = ()
    wears: Sequence[Wear] = ()
    drifts: Sequence[Drift] = ()
    last_sent: Sequence[tuple[str, datetime]] = ()


def news(index: Index, evaluation: Evaluation, known: Known, now: datetime) -> list[News]:
    """All that is worth a message now, the urgent first."""
    told = [
        *_failures(index, known, now),
        *_silence(index, known, now),
        *_hollow(index, known),
        *_due(index, evaluation),
        *_wear(known),
        *_drift(index, known),
        *_risks(index, evaluation),
    ]
    return sorted(told, key=lambda n: (not n.urgent, TOPICS.index(n.topic), n.title))


def _told(key: str, topic: Topic, urgent: bool, title: str, text: str) -> News:
    return News(
        key=f"{topic} {key}"[:LONGEST], topic=topic, urgent=urgent, title=title[:LONGEST], text=text
    )


def _failures(index: Index, known: Known, now: datetime) -> Iterator[News]:
    since = (now - timedelta(days=RUN_DAYS)).timestamp()
    for host, run in known.runs:
        if run.result == "failed" and run.began >= since:
            name = index.hosts[host].name if host in index.hosts else host
            said = run.said.strip().splitlines()
            yield _told(
                f"{host} {run.job} {run.began:.0f}",
                "failure",
                True,
                f"{run.job} failed on {name}",
                said[-1] if said else "it left no word",
            )


def _silence(index: Index, known: Known, now: datetime) -> Iterator[News]:
    for points in known.points:
        if points.late_seconds <= 0 or points.how == "unknown":
            continue
        job, data = index.jobs[points.job].name, index.datasets[points.dataset].name
        if points.newest is None:
            yield _told(
                f"{points.job} {points.dataset} never",
                "silence",
                True,
                f"{job}: nothing of {data} has arrived",
                points.why,
            )
            continue
        yield _told(
            f"{points.job} {points.dataset} {points.newest:%Y-%m-%dT%H:%M}",
            "silence",
            True,
            f"{job}: nothing of {data} since {points.newest:%Y-%m-%d %H:%M} UTC",
            f"the newest is {span_words(points.late_seconds)} older than it ever should be",
        )
    longest = index.assumptions["silent_box_days"]
    for host, heard in known.last_sent:
        if host in index.hosts and now - heard > timedelta(days=longest):
            yield _told(
                f"box {host} {heard:%Y-%m-%dT%H:%M}",
                "silence",
                True,
                f"{index.hosts[host].name} has sent nothing since {heard:%Y-%m-%d %H:%M} UTC",
                f"it sends its looks by itself; {longest:g} days without one is too long",
            )


def _hollow(index: Index, known: Known) -> Iterator[News]:
    for one in hollow(index, known.carried):
        carried, expected = size_words(one.carried_bytes), size_words(one.expected_bytes)
        yield _told(
            f"hollow {one.job} {one.since:.0f}",
            "silence",
            False,
            f"{index.jobs[one.job].name} ends well and carries next to nothing",
            f"{one.runs} runs in {one.days:.0f} days carried {carried}, and by the plan {expected} changed: "
            "look whether its source still holds what it should",
        )


def _due(index: Index, evaluation: Evaluation) -> Iterator[News]:
    again = index.assumptions["overdue_again_days"]
    for due in evaluation.due:
        if due.overdue_days < 0:
            continue
        key = f"{due.kind} {due.about_kind} {due.about} {_began(due.last, due.due_on)}"
        what = f"{due.kind.replace('_', ' ')}: {due.name}"
        yield _told(key, "due", False, f"due: {what}", due.why)
        if due.last and due.overdue_days >= again:
            said = f"overdue by {due.overdue_days} days: {what}"
            yield _told(f"{key} again", "due", False, said, due.why)


def _began(last: date | None, due_on: date) -> str:
    """What never was done is due every day anew: it is told once."""
    return due_on.isoformat() if last else "never"


def _wear(known: Known) -> Iterator[News]:
    for disk in known.wears:
        if disk.level in ("replace", "watch"):
            urgent = disk.level == "replace"
            word = "replace it" if urgent else "keep an eye on it"
            yield _told(
                f"{disk.disk} {disk.level}",
                "wear",
                urgent,
                f"disk {disk.label} ({disk.serial}): {word}",
                disk.why,
            )


def _drift(index: Index, known: Known) -> Iterator[News]:
    for drift in known.drifts:
        for one in drift.differences:
            name = index.hosts[one.host].name if one.host in index.hosts else one.host
            yield _told(
                f"{one.host} {one.collection} {one.about} {one.field} {one.verdict} {one.seen}",
                "drift",
                one.urgent,
                f"{name}: {one.name}, {one.field or one.verdict} not as planned",
                f"planned: {one.planned or 'nothing'}; there: {one.seen or 'nothing'}",
            )


def _risks(index: Index, evaluation: Evaluation) -> Iterator[News]:
    titles = {h.id: h.title for h in evaluation.hazards}
    for cell in evaluation.proof:
        if cell.signed == "changed":
            data = index.datasets[cell.dataset].name
            yield _told(
                f"{cell.dataset} {cell.hazard} {cell.basis}",
                "risk",
                False,
                f"a signed risk came back: {data}, {titles.get(cell.hazard, cell.hazard)}",
                cell.why,
            )


def heartbeat(plan_name: str, today: date, lines: Sequence[str]) -> News:
    """The weekly word that all is well: its absence is news, too."""
    year, week, _ = today.isocalendar()
    following = later(today, 7)
    text = "\n".join(
        (
            *lines,
            f"The next of these comes about {following:%A, %Y-%m-%d}. If it does not, Kavrel itself is silent.",
        )
    )
    return _told(f"{year}-{week}", "heartbeat", False, f"{plan_name}: Kavrel is awake", text)
