"""How something is fetched where nobody types commands: a box with firmware of its own, or somebody's PC.

In general words: each page has its own. What is typed on a box that takes commands is typed there.
"""

from collections.abc import Iterator

from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.kinds.kind import Whereabouts
from kavrel.core.plan import Host, Job
from kavrel.core.typed import typed


def typed_nowhere(at: Whereabouts, home: Host | None, far: Host | None) -> bool:
    """Whether what is typed to fetch from a copy means a box that takes none."""
    if home and home.closed:
        return True
    return bool(far and far.closed) and at.way not in ("here", "module")


def fetch_by_page(
    index: Index, job: Job, at: Whereabouts, home: Host, far: Host | None
) -> Iterator[str]:
    """Sentences in order; `far` None for a disk on a shelf."""
    kind = KINDS[job.kind]
    there = _page(far or home)
    if kind.in_place:
        yield f"{there}, under its snapshots, see the points of {_names(index, job)}"
        yield (
            "take files out of the newest from before the damage, into a new folder; set all of it back only "
            "where nothing newer is worth anything"
        )
        return
    if far is None:
        yield f"take down disk {at.disk}; read the label aloud; let it warm up if it comes from the cold"
        yield (
            f"plug it into {home.name}, or into a computer that opens a share of it"
            + (f"; it is locked: {at.key}" if at.key else "")
            + "; write nothing to it"
        )
        yield "copy what is wanted into a new folder; then back on the shelf"
        yield _looked_through(home)
        return
    if not kind.versions:
        yield at.stop_first
    yield _where(job, at, there if far.closed else "")
    yield _across(at, home, far)
    yield _looked_through(home)


def _page(box: Host) -> str:
    return f"on {box.name} itself" if box.personal else f"in the page of {box.name}"


def _names(index: Index, job: Job) -> str:
    return ", ".join(index.datasets[d].name for d in job.datasets)


def _where(job: Job, at: Whereabouts, page: str) -> str:
    kind = KINDS[job.kind]
    seen = f", see {page.removeprefix('in ')}" if page else ""
    if kind.versions:
        return f"it lies in {at.copy} on {at.box}{seen}: choose the newest point from before the damage"
    said = f"it is the state of its last run, in {at.copy} on {at.box}{seen}"
    if not at.trash_days:
        return f"{said}, and nothing older"
    return f"{said}; what was replaced or deleted lies in its trash can for {at.trash_days} days"


def _across(at: Whereabouts, home: Host, far: Host) -> str:
    """How it gets from the one to the other."""
    if far.closed and home.closed:
        return (
            f"have it brought back by the program that makes it, {_page(far)} or {_page(home)}, into a new "
            "folder"
        )
    if far.closed:
        return f"copy what is wanted into {at.back} on {home.name}, on a computer that opens shares of both"
    if home.personal:  # it serves nothing
        return f"copy what is wanted onto a disk that {home.name} reads, and from there into a new folder"
    lines = typed(
        f"mount -t cifs '//{home.address or home.name}/SHARE' /mnt -o username=LOGIN",
        f"rsync -rt --partial {at.copy}/ /mnt/back/",
        "umount /mnt",
    )
    return (
        f"on {far.name}, with a share of {home.name} mounted as somebody who may write in it: {lines}; it "
        "needs Debian’s package cifs-utils"
    )


def _looked_through(home: Host) -> str:
    return (
        f"on {home.name} look at it in the new folder, then move it into its place; what is there and not in "
        "the copy stays beside it: look it through"
    )
