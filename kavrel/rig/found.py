"""What lab-look finds in the rig, read as every look is: against the plan, and against what is really there.

A difference is a fault of ours: of the script, of a reader, or of what the works say a box should be.
"""

from collections.abc import Iterator

from kavrel.core.copies.book import CopyBook
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.seen.drift import drift
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.machine import Machine
from kavrel.core.seen.points import MOST_TIMES, Finder, FoundPoints
from kavrel.formats.looks.read import read_look
from kavrel.rig import line_working as how
from kavrel.rig.days import Days
from kavrel.rig.lab import Lab
from kavrel.rig.looking import look
from kavrel.rig.report import Line, copies_of, moments, points_words

SHOWN = 3
APART_SECONDS = 1.5  # names of points say whole seconds
AS_PLANNED = "as planned"


def found(days: Days, book: CopyBook) -> Iterator[Line]:
    """Box after box, then job after job, by one look at each box."""
    lab, machines = days.lab, {}
    for host, box in lab.boxes.items():
        if not box.up or box.lost or box.host.closed:
            continue  # no lab-look runs on one that takes no commands
        reading = read_look(look(days, host), lab.now)
        machines[host] = reading.machine
        puzzled = [line for one in reading.heard for line in one.not_understood]
        off = [*_differences(lab, host, reading.machine), *(f"not read: {p}" for p in puzzled)]
        said = "; ".join(off[:SHOWN]) + (f"; and {len(off) - SHOWN} more" if off[SHOWN:] else "")
        yield Line(
            f"{box.name}: what a look finds",
            AS_PLANNED,
            said or AS_PLANNED,
            not off,
            how.said("what is otherwise by the plan", (), "a box that was set up as its works say"),
            how.said(
                "what is otherwise",
                off,
                "lab-look's listings, read as a real box's are, against the works; of what was not read, too",
            ),
        )
    finder = Finder(book, machines)
    for job in lab.plan.jobs:
        if KINDS[job.kind].copies and not KINDS[job.kind].by_hand:
            for dataset in job.datasets:
                yield from _points(lab, job, dataset, finder.found(job, dataset))


def _differences(lab: Lab, host: str, machine: Machine) -> Iterator[str]:
    nameless = any(d.host == host and not d.serial for d in lab.plan.disks)
    for one in drift(lab.index, host, machine).differences:
        # Data grow as planned; a disk whose serial the plan does not know cannot be told from another.
        if one.field == "size" or (nameless and one.collection == "disks"):
            continue
        yield _words(one)


def _words(one: Drifted) -> str:
    return f"{one.name}, {one.field}: {one.planned}, {one.seen}"


def _points(lab: Lab, job: Job, dataset: str, row: FoundPoints) -> Iterator[Line]:
    data = copies_of(lab, job).get(dataset)
    if data is None or row.how == "unknown":
        return
    there = sorted(moments(lab, job, data))[-MOST_TIMES:]
    told = [m.timestamp() for m in row.times]
    if job.id in lab.kept:  # its own tool says when it made each
        there = sorted(float(name) for name in data.points)[-MOST_TIMES:]
    if row.how == "told":
        there, told = there[-1:], told[-1:]
    same = len(there) == len(told) and all(
        abs(a - b) <= APART_SECONDS for a, b in zip(there, told, strict=True)
    )
    if row.how == "told":  # a run is good when it has ended, its point is from when it began
        same = bool(there) == bool(told)
    last = f", the newest of {lab.local(there[-1])}" if there and not same else ""
    seen = f", the newest of {lab.local(told[-1])}" if told and not same else ""
    yield Line(
        f"{job.name}: points of {lab.index.datasets[dataset].name} as a look finds them",
        f"{points_words(len(there))}{last}",
        f"{points_words(len(told))}{seen}",
        same,
        how.points_there(lab, there),
        how.points_there(lab, told, "read from what lab-look's listings say of the box"),
    )
