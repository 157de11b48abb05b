"""Bringing data back by the book: the very sentences of the restore sheet, with their commands run.

Where the sheet has a command it is run as it stands, with the point that the sheet says to choose: the
newest from before the damage. What a tool of a person's own holds is restored by that tool's stand-in.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.copies.fetch import how_to_fetch
from kavrel.core.copies.keys import key_of
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.shares.names import copy_folders, folders
from kavrel.core.typed import commands
from kavrel.rig.box import Box
from kavrel.rig.data import Data
from kavrel.rig.files import File, sound, worked_until
from kavrel.rig.lab import Lab
from kavrel.rig.own import usable
from kavrel.rig.report import moments
from kavrel.rig.said import FINE, Said, failed

START = re.compile(r"on (\S+?)[, ]")
BRINGS = re.compile(r"(?:ssh \S+ )?(?:zfs (?:send|clone)|btrfs send|rsync) ")


@dataclass(frozen=True)
class Back:
    """A state that a copy gave back: up to when it has people's work, and how long the bytes took."""

    job: str
    until: float
    seconds: float
    said: str


def brought_back(
    lab: Lab, job: Job, dataset: str, before: float, victims: dict[str, File]
) -> Back | str:
    """Brings a dataset back from one copy; else why not.

    `before`: when the damage was done. `victims`: the versions that were lost or spoiled then.
    """
    key = key_of(lab.index, job, dataset)
    if key is not None:
        home = lab.boxes[lab.index.pools[lab.index.datasets[dataset].pool].host]
        in_box = key.in_box_alone and home.lost
        if in_box or (key.sites and set(key.sites) <= lab.keys_gone):
            return "its key is gone"
    if not usable(lab, lab.book.place(job)):
        return f"{lab.book.place(job).name(lab.index)} is gone"
    _make_room(lab, dataset)
    lab.carried = True  # what no line reaches is fetched, as the sheet says
    try:
        if job.id in lab.kept:
            return _from_tool(lab, job, dataset, before, victims)
        if KINDS[job.kind].snapshots:
            return _from_points(lab, job, dataset, before, victims)
        return _from_mirror(lab, job, dataset, before, victims)
    finally:
        lab.carried = False


def _make_room(lab: Lab, dataset: str) -> None:
    """Removes rubbish from a pool that would not hold a second state beside what its points hold."""
    box = lab.boxes[lab.index.pools[lab.index.datasets[dataset].pool].host]
    for data in box.datas.values():
        if data.name.partition("/")[0] in box.stores and 2 * data.room.used > data.room.capacity:
            for name in [n for n, f in data.files.items() if not f.sound]:
                data.remove(name)


def _good(files: dict[str, File], before: float, victims: dict[str, File]) -> float | None:
    """Up to when a state has people's work, if nothing in it is spoiled or missing; else None."""
    until = worked_until(files)
    if until is None or not sound(files):
        return None
    if until > before:
        # It was made after the damage: what was lost then must be in it all the same, if anything was.
        return before if all(files.get(n) is f for n, f in victims.items()) else None
    return until


def _sentences(lab: Lab, job: Job, dataset: str) -> tuple[str, ...]:
    """What the sheet says of this copy, with this dataset as its example."""
    one = job.model_copy(update={"datasets": (dataset,)})
    return how_to_fetch(lab.book, one, folders(lab.plan), copy_folders(lab.plan))


def _holder(lab: Lab, job: Job) -> Box:
    place = lab.book.place(job)
    return lab.boxes[lab.index.pools[place.pool or ""].host]


def _from_points(
    lab: Lab, job: Job, dataset: str, before: float, victims: dict[str, File]
) -> Back | str:
    holder = _holder(lab, job)
    data = _copy_data(lab, job, dataset)
    if data is None:
        return "it is not there"
    mine = set(moments(lab, job, data))
    there = [(n, p) for n, p in data.points.items() if p.created in mine]
    for name, point in reversed(there):
        if _good(point.files, before, victims) is None:
            continue
        start, command = next(_commands(lab, holder, _sentences(lab, job, dataset)), (holder, ""))
        if not command:
            return _taken_out(job, point.files, before, victims)
        lab.seconds = 0.0
        done = piped(start, command.replace("POINT", name))
        if done.code:
            return f"{command}: {done.err.strip()}"
        landed = _landed(lab, command)
        if landed is None:
            return f"{command}: nothing arrived"
        until = _good(landed.files, before, victims)
        for box in lab.boxes.values():  # looked at; the next one may need its name
            if box.datas.get(landed.name) is landed:
                del box.datas[landed.name]
        if until is None:
            return f"{command}: something else arrived"
        return Back(job.id, until, lab.seconds, command)
    return "it keeps no point from before the damage" if there else "it has no point"


def _taken_out(
    job: Job, files: dict[str, File], before: float, victims: dict[str, File]
) -> Back | str:
    until = _good(files, before, victims)
    return (
        "nothing sound in it"
        if until is None
        else Back(job.id, until, 0.0, "files taken out of the point")
    )


def _copy_data(lab: Lab, job: Job, dataset: str) -> Data | None:
    at = folders(lab.plan)[dataset]
    if not KINDS[job.kind].in_place:
        at = copy_folders(lab.plan)[job.id, dataset]
    box = _holder(lab, job)
    return next((d for d in box.datas.values() if d.at == at and box.alive_pool(d)), None)


def _from_tool(
    lab: Lab, job: Job, dataset: str, before: float, victims: dict[str, File]
) -> Back | str:
    data = lab.kept[job.id][dataset]
    for point in reversed(list(data.points.values())):
        until = _good_of_tool(point.files, before, victims)
        if until is not None:
            lab.seconds = 0.0
            home = lab.index.datasets[dataset].pool
            size = sum(f.size for f in point.files.values())
            lab.moved(size, lab.book.place(job), lab.place(home))
            return Back(job.id, until, lab.seconds, "restored by its tool")
    return "it keeps no point from before the damage" if data.points else "it has no point"


def _good_of_tool(files: dict[str, File], before: float, victims: dict[str, File]) -> float | None:
    until = worked_until(files)
    if until is None or not sound(files):
        return None
    if until > before:
        here = {f.mark for f in files.values()}
        return before if victims and all(v.mark in here for v in victims.values()) else None
    return until


def _from_mirror(
    lab: Lab, job: Job, dataset: str, before: float, victims: dict[str, File]
) -> Back | str:
    holder = _holder(lab, job)
    folder = copy_folders(lab.plan)[job.id, dataset]
    data, name = holder.find(folder)
    files = data.below(name)
    if not files:
        return "it is not there"
    start, command = next(_commands(lab, holder, _sentences(lab, job, dataset)), (holder, ""))
    left_out = job.left_out_share > 0
    if _good(files, before, victims) is None:
        return _from_trash(holder, job, folder, files, before, victims)
    lab.seconds = 0.0
    done = piped(start, command)
    if done.code:
        return f"{command}: {done.err.strip()}"
    until = _good(files, before, victims)
    assert until is not None
    return Back(
        job.id, until, lab.seconds, command + (" (without what is left out)" if left_out else "")
    )


def _from_trash(
    holder: Box,
    job: Job,
    folder: str,
    files: dict[str, File],
    before: float,
    victims: dict[str, File],
) -> Back | str:
    """What was replaced or deleted since lies in the trash can: put together it is the state before."""
    above, _, leaf = folder.rpartition("/")
    data, name = holder.find(f"{above}/.trash-{leaf}")
    state = dict(files)
    for path, file in sorted(data.below(name).items(), reverse=True):
        _, _, inner = path.partition("/")
        # From the newest day back: the oldest version thrown away after the damage is the one before it.
        thrown = path.partition("/")[0]
        if thrown and inner and _day_of(thrown) > before:
            state[inner] = file
    # What came between its last good run and the damage was never in it whole.
    state = {n: f for n, f in state.items() if f.sound}
    until = _good(state, before, victims)
    if until is None:
        return "its trash can keeps nothing from before the damage"
    return Back(job.id, until, 0.0, "put together from its trash can")


def _day_of(name: str) -> float:
    from kavrel.formats.hostside.lab_job import thrown_at

    return thrown_at(name, "UTC") or 0.0


def _commands(lab: Lab, holder: Box, sentences: tuple[str, ...]) -> Iterator[tuple[Box, str]]:
    """What is typed, and on which box: the one that the sentence begins with, else where the copy is."""
    for sentence in sentences:
        told = START.match(sentence)
        box = lab.box_at(told.group(1)) if told else None
        for command in commands(sentence):
            if BRINGS.match(command):
                yield box or holder, command


def piped(box: Box, command: str) -> Said:
    """Runs a line of the sheet on a box: commands of which each reads what the one before wrote.

    A box of the same lab that the line cannot reach by wire has been carried there.
    """
    said = FINE
    for part in command.split(" | "):
        words = part.split()
        there = box
        if words[0] == "ssh":
            other = box.lab.box_at(words[1])
            if other is None:
                return failed(f"ssh: Could not resolve hostname {words[1]}", 255)
            if other.host.closed:
                return failed(f"ssh: connect to host {words[1]} port 22: Connection refused", 255)
            there, words = other, words[2:]
        try:
            said = there.command(words, said.out)
        except FileNotFoundError:
            return failed(f"sh: 1: {words[0]}: not found", 127)
        if said.code:
            return said
    return said


def _landed(lab: Lab, command: str) -> Data | None:
    """What is at the place that a command of the sheet names last: the newest made there."""
    name = command.rsplit(maxsplit=1)[-1]
    for box in lab.boxes.values():
        if name in box.datas:
            return box.datas[name]
        if "btrfs send" in command:
            below = [d for d in box.datas.values() if d.at.startswith(f"{name}/")]
            if below:
                return below[-1]
    return None
