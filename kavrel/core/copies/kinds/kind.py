"""What a kind of job declares: where it writes, what it needs, what it does to the bytes."""

from dataclasses import dataclass
from typing import Literal

from kavrel.core.plan import FilesystemId, JobKind


@dataclass(frozen=True)
class Kind:
    """`target` is what it writes to; `compresses` whether the copy shrinks what shrinks.

    `source_filesystems` are those it can read from, None for any; `moves_changes` whether runs
    after the first carry only what changed.
    """

    id: JobKind
    title: str
    target: Literal["none", "pool", "disk"]
    compresses: bool
    source_filesystems: frozenset[FilesystemId] | None
    moves_changes: bool
    by_hand: bool
    protects: str
    does_not: str
