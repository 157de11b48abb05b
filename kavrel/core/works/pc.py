"""What is entered on a PC that somebody works at: tasks of its own scheduler, and nothing else of ours.

Sources: robocopy, schtasks (Windows), rsync(1), launchd.plist(5), systemd.timer(5) and crontab(5); of
the first two and of launchd value from memory.
"""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from kavrel.core.bench.meeting import meeting
from kavrel.core.copies.carrier import runs_on
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Host, Job, Schedule, Share
from kavrel.core.schedule import calendar_says_all, hours_of, in_words
from kavrel.core.shares.names import copy_folders


@dataclass(frozen=True)
class PcTask:
    """One copy that a PC's own scheduler starts. `before`: what its person does once; `name`: of its files."""

    job: Job
    dataset: str
    name: str
    program: str
    before: str
    checked: str


Part = tuple[str, tuple[tuple[str, str], ...], list[tuple[str, str]]]


def pc_parts(index: Index, box: Host) -> Iterator[Part]:
    """Parts with their values: how it is looked after, then a task for each of its copies."""
    here = (("hosts", box.id),)
    yield (
        "Looked after",
        here,
        [
            ("people work", "as an account that administers nothing"),
            ("updates", "by itself, its programs too"),
            ("encryption of its disk", _locked(index, box)),
            (
                "share of copies",
                "opened by the task alone: a drive letter that stays is a way for malware",
            ),
        ],
    )
    for task in pc_tasks(index, box):
        name = index.datasets[task.dataset].name
        yield f"Task {task.job.name}: {name}", (("jobs", task.job.id),), _values(index, box, task)


def pc_tasks(index: Index, box: Host) -> Iterator[PcTask]:
    """The copies of a PC that somebody works at, one for each folder."""
    for job in index.plan.jobs:
        if runs_on(index, job) == box.id and KINDS[job.kind].by_pc and job.lands_share:
            for dataset in job.datasets:
                yield _task(index, box, job, dataset)


def _locked(index: Index, box: Host) -> str:
    pools = [p for p in index.plan.pools if p.host == box.id and p.encrypted]
    places = ", ".join(p.passphrase_at for p in pools if p.passphrase_at)
    return (
        f"on; its recovery key is kept at {places or '____________'}"
        if pools
        else "off by the plan"
    )


def _far(index: Index, job: Job) -> tuple[Share, Host]:
    share = next(s for s in index.plan.shares if s.id == job.lands_share)
    return share, index.hosts[index.pools[index.datasets[share.dataset].pool].host]


def _in_share(index: Index, job: Job, dataset: str) -> tuple[str, str]:
    """The folder of a copy within the share, and the mark beside it."""
    whole = copy_folders(index.plan)[job.id, dataset]
    folder, came = ("/".join(p.rsplit("/", 2)[-2:]) for p in (whole, came_mark(whole)))
    return folder, came


def _source(index: Index, dataset: str) -> str:
    return index.datasets[dataset].folder or index.datasets[dataset].name


def _task(index: Index, box: Host, job: Job, dataset: str) -> PcTask:
    share, server = _far(index, job)
    folder, came = _in_share(index, job, dataset)
    source = _source(index, dataset)
    told = PROGRAM[box.system](source, meeting(box, server).at, share.name, folder, came)
    return PcTask(job, dataset, f"copy-{folder.replace('/', '-')}", *told)


def _values(index: Index, box: Host, task: PcTask) -> list[tuple[str, str]]:
    job, dataset = task.job, task.dataset
    (share, server), source = _far(index, job), _source(index, dataset)
    folder, _ = _in_share(index, job, dataset)
    login = index.accounts[job.lands_as].login if job.lands_as else ""
    return [
        (
            "what",
            f"{index.datasets[dataset].name} (put the folder where it really lies for {source})",
        ),
        ("to", f"share {share.name} of {server.name}, folder {folder}, signed in as {login}"),
        ("program", task.program + (f"; before it: {task.before}" if task.before else "")),
        ("when", in_words(job.schedule)),
        ("scheduler", _entered(box.system, task)),
        (
            "when it was off",
            "run it as soon as it is on again" if job.catch_up else "wait for the next",
        ),
        ("went well", task.checked),
        (
            "when it falls silent",
            f"{server.name} mails root: its mark in the share is older than {job.alarm_days:g} days"
            if job.alarm_days is not None
            else "nobody is told: give the job an alarm",
        ),
        ("at first", "run it once by hand, look into the share, and bring one file back"),
    ]


# What is run, what is done before it once, and how to see that it went well.
Told = tuple[str, str, str]


def came_mark(folder: str) -> str:
    """A file beside a PC's copy, written by each good run: the box that has the share looks at its age.

    Files that did not change stay as old as they are, so they cannot tell that a run came.
    """
    above, _, name = folder.rpartition("/")
    return f"{above}/.came-{name}"


def _windows(source: str, place: str, share: str, folder: str, came: str) -> Told:
    root = f"\\\\{place}\\{share}\\"
    target, mark = (root + x.replace("/", "\\") for x in (folder, came))
    # No name there has a quotation mark in it.
    source, share = source.replace('"', "'"), share.replace('"', "'")
    told = (
        f'robocopy "C:\\{source}" "{target}" /MIR /XJ /FFT /Z /R:2 /W:5 /NP /LOG:%TEMP%\\copy.log'
        f' & if not errorlevel 8 echo came>"{mark}"'
    )
    return told, "", "its exit code is below 8; from 8 on something was not copied"


def _in_quotes(text: str) -> str:
    """Between double quotes of the shell, letter for letter."""
    return re.sub(r'(["$`\\])', r"\\\1", text)


def _unix(source: str, place: str, share: str, folder: str, came: str) -> tuple[str, str]:
    source = _in_quotes(source)
    target = f'"{{mounted}}/{folder}/"'
    told = (
        f'mkdir -p {target} && (rsync -a --delete "$HOME/{source}/" {target}'
        " || { code=$?; test $code = 24 || exit $code; })"
        f' && echo came >"{{mounted}}/{came}"'
    )
    return told, "its exit code is 0; files that went meanwhile (24 of rsync) are none of it"


def _macos(source: str, place: str, share: str, folder: str, came: str) -> Told:
    told, checked = _unix(source, place, share, folder, came)
    at = f"/Volumes/{_in_quotes(share)}"
    told = f'test -d "{at}" && {told.replace("{mounted}", at)}'
    return told, f"open smb://{place}/{share}", checked


def _linux(source: str, place: str, share: str, folder: str, came: str) -> Told:
    told, checked = _unix(source, place, share, folder, came)
    at = f"/mnt/{_in_quotes(share)}"
    told = f'mountpoint -q "{at}" && {told.replace("{mounted}", at)}'
    return told, f"mount {at}, see its card", checked


PROGRAM: dict[str, Callable[[str, str, str, str, str], Told]] = {
    "windows": _windows,
    "macos": _macos,
    "linux": _linux,
}


def can_be_entered(system: str, schedule: Schedule) -> bool:
    """Whether a PC's scheduler can be told it by a file: each of its starts, and no other."""
    if schedule.kind == "after" or not calendar_says_all(schedule):
        return False
    if system == "linux":
        return True
    if schedule.zone:
        return False
    last_or_nth = schedule.kind == "monthly" and (schedule.nth or schedule.day == -1)
    if system == "macos":
        return not last_or_nth
    # Counted from one start on, around the clock.
    return schedule.kind != "hourly" or len(hours_of(schedule)) * schedule.every == 24


def _entered(system: str, task: PcTask) -> str:
    """How the files of a task are put to use, or what is left to its person's own hand."""
    if not can_be_entered(system, task.job.schedule):
        return f"{SCHEDULER[system][0]}, as said under when"
    return SCHEDULER[system][1].format(name=task.name)


SCHEDULER = {
    "windows": (
        "Task Scheduler, by its window",
        "Task Scheduler: put {name}.cmd into %USERPROFILE%\\copies and run {name}-once.cmd beside it",
    ),
    "macos": (
        "launchd, a plist in ~/Library/LaunchAgents",
        "launchd: put {name}.sh and {name}.plist into ~/Library/LaunchAgents, then launchctl bootstrap "
        "gui/$(id -u) ~/Library/LaunchAgents/{name}.plist",
    ),
    "linux": (
        "systemd, a timer of the user (systemctl --user)",
        "systemd: put {name}.sh, {name}.service and {name}.timer into ~/.config/systemd/user, then systemctl "
        "--user daemon-reload and systemctl --user enable --now {name}.timer; loginctl enable-linger has it "
        "run while nobody is signed in",
    ),
}
