"""What a kind of job declares: what it reads and writes, needs, locks, takes and protects."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from kavrel.core.plan import FilesystemId, Job, JobKind, ProtocolId

Store = Literal["none", "pool", "disk", "bucket"]


@dataclass(frozen=True)
class Whereabouts:
    """Where a copy is and what it is of, in names that stand on the boxes.

    `box` with its address; `pool` may be a shelf disk or a bucket; `folder` is that of the first
    dataset at home and `copy` where its copy lies, as examples; `key` says where the key is, empty
    without encryption.
    """

    job: str
    box: str
    pool: str
    filesystem: str
    home_box: str
    home_pool: str
    folder: str
    copy: str
    disk: str
    account: str
    key: str
    trash_days: int

    @property
    def zfs_name(self) -> str:
        """The dataset as ZFS names it."""
        return self.folder.removeprefix("/srv/")

    @property
    def zfs_copy(self) -> str:
        """The copy as ZFS names it."""
        return self.copy.removeprefix("/srv/")

    @property
    def beside(self) -> str:
        """The folder that the copy lies in."""
        return self.copy.rpartition("/")[0]

    @property
    def leaf(self) -> str:
        """The copy's own name."""
        return self.copy.rpartition("/")[2]

    @property
    def stop_first(self) -> str:
        """A job that runs on would carry the loss into the copy."""
        return f"stop {self.job} before anything else: its next run carries the loss over"


def nothing_to_fetch(at: Whereabouts) -> tuple[str, ...]:
    """A chore keeps nothing."""
    return ()


@dataclass(frozen=True)
class Kind:
    """A kind of job: copies make points of datasets, chores work on a pool, a host or a copy.

    `target`: what it writes to. `on`: what it works on. `copies`: whether it makes points that a
    dataset comes back from. `versions`: whether it keeps more than the newest state. `compresses`:
    whether the copy shrinks what shrinks. `source_filesystems`: those it can read from, None for
    any. `reads`: what a run goes over at the source: changed blocks; all files' metadata, then the
    changed files; only files that the system says have changed (`told`); or everything. `sends`:
    what travels: changes or everything. `archives`: every point is whole in itself, unless the job's
    store keeps like chunks once. `consistent`: whether a live database in it is fit to start.
    `by_hand`: somebody has to be there. `by_tool`: a tool of one's own does it, not the system's.
    `trash`: what a run replaces or deletes goes to a trash can.
    `continuous`: it may run every few minutes. `sends_raw`: blocks as they lie, encrypted where the
    dataset is. `thins`: what prunes it can thin points out. `lands`: the protocols of the far box
    that it can write through. `fetch`: how something comes back from it, for somebody who has
    never seen the lab. The other lines are for people.
    """

    id: JobKind
    title: str
    target: Store
    does: str
    needs: str
    locks: str
    takes: str
    protects: str
    does_not: str
    article: str = "a"
    on: Literal["datasets", "pool", "host", "copy"] = "datasets"
    copies: bool = True
    versions: bool = True
    compresses: bool = False
    source_filesystems: frozenset[FilesystemId] | None = None
    reads: Literal["nothing", "blocks", "told", "files", "everything"] = "blocks"
    sends: Literal["nothing", "changes", "everything"] = "changes"
    archives: bool = False
    consistent: bool = False
    by_hand: bool = False
    by_tool: bool = False
    trash: bool = False
    continuous: bool = False
    sends_raw: bool = False
    thins: bool = False
    lands: frozenset[ProtocolId] = frozenset()
    fetch: Callable[[Whereabouts], tuple[str, ...]] = nothing_to_fetch

    def whole_points(self, job: Job) -> bool:
        """Whether each of the job's points takes the room, and the time, of all of it."""
        return self.archives and not job.chunk_store

    def sends_all(self, job: Job) -> bool:
        """Whether a run of the job sends everything, not only what changed."""
        return self.sends == "everything" or self.whole_points(job)

    @property
    def named(self) -> str:
        """Its title with the article that it takes."""
        return f"{self.article} {self.title}".lstrip()

    @property
    def moves_nothing(self) -> bool:
        """Whether no bytes travel to another store."""
        return self.sends == "nothing"
