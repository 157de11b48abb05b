"""What is entered on a PC that somebody works at: tasks of its own scheduler, and nothing else of ours.

Sources: robocopy, schtasks (Windows), rsync(1), launchd.plist(5), systemd.timer(5) and crontab(5); of
the first two and of launchd value from memory.
"""

from collections.abc import Callable, Iterator

from kavrel.core.bench.meeting import meeting
from kavrel.core.copies.carrier import runs_on
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Host, Job, Schedule
from kavrel.core.schedule import WEEKDAYS, in_words
from kavrel.core.shares.names import copy_folders

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
    for job in index.plan.jobs:
        if runs_on(index, job) == box.id and KINDS[job.kind].by_pc and job.lands_share:
            for dataset in job.datasets:
                name = index.datasets[dataset].name
                yield (
                    f"Task {job.name}: {name}",
                    (("jobs", job.id),),
                    _task(index, box, job, dataset),
                )


def _locked(index: Index, box: Host) -> str:
    pools = [p for p in index.plan.pools if p.host == box.id and p.encrypted]
    places = ", ".join(p.passphrase_at for p in pools if p.passphrase_at)
    return (
        f"on; its recovery key is kept at {places or '____________'}"
        if pools
        else "off by the plan"
    )


def _task(index: Index, box: Host, job: Job, dataset: str) -> list[tuple[str, str]]:
    share = next(s for s in index.plan.shares if s.id == job.lands_share)
    server = index.hosts[index.pools[index.datasets[share.dataset].pool].host]
    whole = copy_folders(index.plan)[job.id, dataset]
    folder, came = ("/".join(p.rsplit("/", 2)[-2:]) for p in (whole, came_mark(whole)))
    source = index.datasets[dataset].folder or index.datasets[dataset].name
    login = index.accounts[job.lands_as].login if job.lands_as else ""
    place = meeting(box, server).at
    program, checked = PROGRAM[box.system](source, place, share.name, folder, came)
    return [
        (
            "what",
            f"{index.datasets[dataset].name} (put the folder where it really lies for {source})",
        ),
        ("to", f"share {share.name} of {server.name}, folder {folder}, signed in as {login}"),
        ("program", program),
        ("when", in_words(job.schedule)),
        ("scheduler", SCHEDULER[box.system](job)),
        (
            "when it was off",
            "run it as soon as it is on again" if job.catch_up else "wait for the next",
        ),
        ("went well", checked),
        (
            "when it falls silent",
            f"{server.name} mails root: its mark in the share is older than {job.alarm_days:g} days"
            if job.alarm_days is not None
            else "nobody is told: give the job an alarm",
        ),
        ("at first", "run it once by hand, look into the share, and bring one file back"),
    ]


def came_mark(folder: str) -> str:
    """A file beside a PC's copy, written by each good run: the box that has the share looks at its age.

    Files that did not change stay as old as they are, so they cannot tell that a run came.
    """
    above, _, name = folder.rpartition("/")
    return f"{above}/.came-{name}"


def _windows(source: str, place: str, share: str, folder: str, came: str) -> tuple[str, str]:
    root = f"\\\\{place}\\{share}\\"
    target, mark = (root + x.replace("/", "\\") for x in (folder, came))
    told = (
        f'robocopy "C:\\{source}" "{target}" /MIR /XJ /FFT /Z /R:2 /W:5 /NP /LOG:%TEMP%\\copy.log'
        f' & if not errorlevel 8 echo came>"{mark}"'
    )
    return told, "its exit code is below 8; from 8 on something was not copied"


def _unix(source: str, place: str, share: str, folder: str, came: str) -> tuple[str, str]:
    target = f'"{{mounted}}/{folder}/"'
    told = (
        f'mkdir -p {target} && (rsync -a --delete "$HOME/{source}/" {target}'
        " || { code=$?; test $code = 24 || exit $code; })"
        f' && echo came >"{{mounted}}/{came}"'
    )
    return told, "its exit code is 0; files that went meanwhile (24 of rsync) are none of it"


def _macos(source: str, place: str, share: str, folder: str, came: str) -> tuple[str, str]:
    told, checked = _unix(source, place, share, folder, came)
    at = f"/Volumes/{share}"
    told = f'test -d "{at}" && {told.replace("{mounted}", at)}'
    return f"{told}; before it: open smb://{place}/{share}", checked


def _linux(source: str, place: str, share: str, folder: str, came: str) -> tuple[str, str]:
    told, checked = _unix(source, place, share, folder, came)
    at = f"/mnt/{share}"
    told = f'mountpoint -q "{at}" && {told.replace("{mounted}", at)}'
    return f"{told}; before it: mount {at}, see its card", checked


PROGRAM: dict[str, Callable[[str, str, str, str, str], tuple[str, str]]] = {
    "windows": _windows,
    "macos": _macos,
    "linux": _linux,
}


def _schtasks(job: Job) -> str:
    schedule, at = job.schedule, job.schedule.at
    days = ",".join(WEEKDAYS[d].upper() for d in sorted(schedule.weekdays))
    often = {
        "minutes": f"/SC MINUTE /MO {schedule.every}",
        "hourly": f"/SC HOURLY /MO {schedule.every}",
        "daily": f"/SC DAILY /MO {schedule.every} /ST {at}",
        "weekly": f"/SC WEEKLY /MO {schedule.every} /D {days} /ST {at}",
        "monthly": f"/SC MONTHLY /MO {schedule.every} /D {_day(schedule)} /ST {at}",
    }.get(schedule.kind)
    if often is None or schedule.nth or schedule.day == -1:
        return "Task Scheduler, by its window: as said under when"
    return f'schtasks /Create /TN "{job.name}" {often} /TR "the program above"'


def _day(schedule: Schedule) -> str:
    return str(schedule.day)


def _launchd(job: Job) -> str:
    hour, _, minute = job.schedule.at.partition(":")
    if job.schedule.kind not in ("daily", "weekly") or job.schedule.every > 1:
        return "launchd, a plist in ~/Library/LaunchAgents: as said under when"
    days = (
        sorted((d + 1) % 7 for d in job.schedule.weekdays) if job.schedule.kind == "weekly" else []
    )
    said = f"Hour {int(hour)}, Minute {int(minute)}"
    each = "; ".join(f"Weekday {d}, {said}" for d in days) or said
    return f"launchd, a plist in ~/Library/LaunchAgents, StartCalendarInterval: {each}"


def _timer(job: Job) -> str:
    kept = ", Persistent=true" if job.catch_up else ""
    return f"systemd, a timer of the user (systemctl --user): as said under when{kept}"


SCHEDULER: dict[str, Callable[[Job], str]] = {
    "windows": _schtasks,
    "macos": _launchd,
    "linux": _timer,
}
