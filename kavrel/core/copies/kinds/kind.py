"""What a kind of job declares: what it reads and writes, needs, locks, takes and protects."""

from dataclasses import dataclass
from typing import Literal

from kavrel.core.plan import FilesystemId, JobKind

Store = Literal["none", "pool", "disk", "bucket"]


@dataclass(frozen=True)
class Kind:
    """A kind of job: copies make points of datasets, chores work on a pool, a host or a copy.

    `target`: what it writes to. `on`: what it works on. `copies`: whether it makes points that a
    dataset comes back from. `versions`: whether it keeps more than the newest state. `compresses`:
    whether the copy shrinks what shrinks. `source_filesystems`: those it can read from, None for
    any. `reads`: what a run goes over at the source: changed blocks; all files' metadata, then the
    changed files; or everything. `sends`: what travels: changes or everything. `consistent`:
    whether a live database in it is fit to start. `by_hand`: somebody has to be there. `holds`:
    whether it keeps its disks busy. The last lines are for people.
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
    on: Literal["datasets", "pool", "host", "copy"] = "datasets"
    copies: bool = True
    versions: bool = True
    compresses: bool = False
    source_filesystems: frozenset[FilesystemId] | None = None
    reads: Literal["nothing", "blocks", "files", "everything"] = "blocks"
    sends: Literal["nothing", "changes", "everything"] = "changes"
    consistent: bool = False
    by_hand: bool = False

    @property
    def moves_nothing(self) -> bool:
        """Whether no bytes travel to another store."""
        return self.sends == "nothing"
