"""What a tool of a person's own does in the rig, and what people carry by hand to a shelf.

The plan says what such a script reads and writes; a stand-in does just that: a repository, dumps,
images or a bucket keep points by the job's own retention, each file once where the store keeps chunks
once, and whole archives where it does not.
"""

import json
from collections.abc import Callable, Sequence
from itertools import pairwise

from kavrel.core.copies.carrier import runs_on
from kavrel.core.copies.path import Place
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.shares.names import copy_folders, folders, job_names
from kavrel.rig.box import Box
from kavrel.rig.data import Data, Room
from kavrel.rig.files import CLOCK, File
from kavrel.rig.lab import Lab, own_script
from kavrel.rig.said import FINE, Said, failed, lines

BOTTOMLESS = 10**18  # bytes of a bucket
Stays = Callable[[Sequence[float]], Sequence[float]]


def install(lab: Lab) -> None:
    """Puts the stand-in of each such script where its job looks for it."""
    names = job_names(lab.plan)
    for job in lab.plan.jobs:
        kind, host = KINDS[job.kind], runs_on(lab.index, job)
        closed = host is not None and lab.index.hosts[host].closed
        if not kind.copies or not (kind.by_tool or kind.by_hand or closed) or kind.in_place:
            continue
        place = lab.book.place(job)
        room = Room(BOTTOMLESS)
        if place.pool:
            target = lab.boxes[lab.index.pools[place.pool].host]
            room = next(s.room for s in target.stores.values() if s.pool.id == place.pool)
        elif place.disk:
            room = Room(lab.index.data_bytes(place.disk))
        lab.kept[job.id] = {d: Data("", "", room) for d in job.datasets}
        if host and kind.by_tool and not closed:
            box = lab.boxes[host]
            own = Own(job)
            box.own[own_script(box.folder, names[job.id])] = own.run
            box.own[own_script(box.folder, f"{names[job.id]}.newest")] = own.newest
            box.own[own_script(box.folder, f"{names[job.id]}.points")] = own.points


class Own:
    """The script of one job."""

    def __init__(self, job: Job) -> None:
        self.job = job

    def run(self, box: Box, words: list[str], stdin: bytes) -> Said:
        """A run of it: everything it reads becomes a point, and what no rule keeps goes."""
        lab = box.lab
        target = target_box(lab, self.job)
        if target is not None and not (target is box or lab.reaches(box, target)):
            return failed(f"{target.name} cannot be reached")
        site = lab.book.place(self.job).site(lab.index)
        if self.job.target_bucket and not lab.linked(box.host.site, site or ""):
            return failed("the bucket cannot be reached")
        if not usable(lab, lab.book.place(self.job)):
            return failed(f"{lab.book.place(self.job).name(lab.index)} is not there")
        states = {}
        for dataset in self.job.datasets:
            files = read(lab, box, self.job, dataset)
            if isinstance(files, str):
                return failed(files)
            states[dataset] = files
        keep(lab, self.job, states)
        return FINE

    def newest(self, box: Box, words: list[str], stdin: bytes) -> Said:
        """When its newest point is from."""
        points = [m for d in box.lab.kept[self.job.id].values() for m in d.points]
        return lines(max(points, key=float)) if points else failed("no point yet")

    def points(self, box: Box, words: list[str], stdin: bytes) -> Said:
        """When each of its points is from, as JSON."""
        moments = {m for d in box.lab.kept[self.job.id].values() for m in d.points}
        return lines(json.dumps(sorted(float(m) for m in moments)))


def target_box(lab: Lab, job: Job) -> Box | None:
    """The box that a job's copy lies in; None for a bucket and a shelf."""
    return lab.boxes[lab.index.pools[job.target_pool].host] if job.target_pool else None


def usable(lab: Lab, place: Place) -> bool:
    """Whether a store can be written to, or read, now."""
    if place.pool:
        box = lab.boxes[lab.index.pools[place.pool].host]
        store = next((s for s in box.stores.values() if s.pool.id == place.pool), None)
        return (
            store is not None and box.up and not store.locked and lab.health(store.pool) != "LOST"
        )
    if place.disk:
        return lab.drives[place.disk].alive and not lab.drives[place.disk].stolen
    return place.bucket not in lab.closed


def read(lab: Lab, box: Box | None, job: Job, dataset: str) -> dict[str, File] | str:
    """What a job reads of a dataset: itself, or the newest state of another job's copy; else why not."""
    if job.reads_from:
        before = lab.index.jobs[job.reads_from]
        if not usable(lab, lab.book.place(before)):
            return f"the copy of {before.name} is not there"
        if before.id in lab.kept:
            points = lab.kept[before.id][dataset].points
            return next(reversed(points.values())).files if points else "it has no point yet"
        holder = target_box(lab, before)
        folder = copy_folders(lab.plan)[before.id, dataset]
        if holder is None:
            return f"nothing is known of the copy of {before.name}"
        data, name = holder.find(folder)
        return data.below(name)
    pool = lab.index.pools[lab.index.datasets[dataset].pool]
    home = lab.boxes[pool.host]
    if box is not None and home is not box and not lab.reaches(box, home):
        return f"{home.name} cannot be reached"
    data, name = home.find(folders(lab.plan)[dataset])
    if name or not home.here(data):
        return {}  # an empty folder is a state like any other to such a tool
    return home.current(data).files


def packed(
    files: dict[str, File], before: dict[str, File], whole: bool, share: float
) -> dict[str, File]:
    """Files as a tool keeps them: compressed to a share; a chunk store has the same content once."""
    contents = {}
    for name, file in files.items():
        old = before.get(name)
        if not whole and old is not None and (old.mark, old.sound) == (file.mark, file.sound):
            contents[name] = old
        else:
            size = file.size if name == CLOCK else int(file.size * share)
            contents[name] = File(size, file.mark, file.mtime, file.sound)
    return contents


def in_trash(job: Job, times: Sequence[float], moment: float) -> set[float]:
    """States before the newest that its trash can still holds: of what was replaced no longer ago."""
    since = moment - job.retention.trash_days * 86_400
    return {old for old, new in pairwise(times) if KINDS[job.kind].trash and new > since}


def keep(lab: Lab, job: Job, states: dict[str, dict[str, File]]) -> None:
    """A new point of each dataset; those that no rule keeps any more go. Raises NoRoom."""
    kind = KINDS[job.kind]
    whole = kind.whole_points(job)
    where, source = lab.book.place(job), lab.book.source(job)
    total, moment = 0, lab.moment
    for dataset, files in states.items():
        data = lab.kept[job.id][dataset]
        lab.arriving(data)
        share = lab.book.stored_share(job, lab.index.datasets[dataset])
        if job.reads_from in lab.kept:
            share = 1.0  # what it reads is packed already
        kept_as = packed(files, data.files, whole, share)
        new = data.become(kept_as)
        total += sum(f.size for f in kept_as.values()) if kind.sends_all(job) else new
        data.mark(f"{moment:.0f}", moment)
        times = [float(m) for m in data.points]
        kept = set(lab.stays(job, times)) | in_trash(job, times, moment)
        for name in list(data.points):
            if float(name) not in kept:
                data.forget(name)
    if source != where:
        lab.moved(total, source, where, job.limit_mbit)
