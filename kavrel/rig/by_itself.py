"""What a box starts that takes no commands: by its own page, or by a PC's own scheduler, at the plan's hours.

No lab-job runs there. A copy that goes elsewhere is kept as a tool of one's own keeps it; a point in its
place is one of the dataset.
"""

from collections.abc import Iterator
from datetime import UTC, datetime

from kavrel.core.copies.carrier import never_starts, runs_on
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.schedule import starts
from kavrel.core.shares.names import copy_folders, job_names
from kavrel.core.works.pc import came_mark
from kavrel.rig.box import Box
from kavrel.rig.data import NoRoom
from kavrel.rig.files import text_file
from kavrel.rig.lab import Lab
from kavrel.rig.own import Own


def box_of(lab: Lab, job: Job) -> Box | None:
    """The box that starts a copy by itself; None where lab-job or somebody does, or where nothing can."""
    host = runs_on(lab.index, job)
    if host is None or not KINDS[job.kind].copies or not lab.index.hosts[host].closed:
        return None
    return None if never_starts(lab.index, job) else lab.boxes[host]


def started(lab: Lab, day: datetime) -> Iterator[tuple[float, str, tuple[str, ...]]]:
    """What such boxes start on a local day: when, which box, and the job with those in its line."""
    for job in lab.plan.jobs:
        box = box_of(lab, job)
        if box and not job.after:
            for moment in starts(job.schedule, lab.plan.zone, day.date(), day.date()):
                yield moment, box.host.id, (job.id,)


def behind(lab: Lab, job: Job) -> tuple[str, ...]:
    """Jobs that the same box starts once this one has ended."""
    mine = box_of(lab, job)
    return tuple(j.id for j in lab.plan.jobs if j.after == job.id and box_of(lab, j) is mine)


def run(lab: Lab, box: Box, job: Job) -> str:
    """One run; says what went wrong, and nothing else."""
    try:
        if KINDS[job.kind].in_place:
            _point(lab, job)
            return ""
        said = Own(job).run(box, [], b"")
    except NoRoom:
        return "the store is full"
    if said.code:
        return said.err.strip()
    if KINDS[job.kind].by_pc:
        _came(lab, job)
    return ""


def _point(lab: Lab, job: Job) -> None:
    name = job_names(lab.plan)[job.id]
    for dataset in job.datasets:
        data = lab.data_of(dataset)
        stamp = datetime.fromtimestamp(lab.moment, UTC).strftime("%Y%m%dT%H%M%SZ")
        data.mark(f"lab-{name}-{stamp}", lab.moment)
        mine = {n: p.created for n, p in data.points.items() if n.startswith(f"lab-{name}-")}
        stay = set(lab.stays(job, sorted(mine.values())))
        for one, created in mine.items():
            if created not in stay:
                data.forget(one)


def _came(lab: Lab, job: Job) -> None:
    """The mark that a good run of a PC's task leaves in the share."""
    target = lab.boxes[lab.index.pools[job.target_pool or ""].host]
    for dataset in job.datasets:
        data, name = target.find(came_mark(copy_folders(lab.plan)[job.id, dataset]))
        data.write(name, text_file("came\n", lab.moment))
