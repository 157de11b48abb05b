"""Snapshot replication to another pool: incremental, ready to run from."""

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.kinds.kind import RULES, Kind, Whereabouts


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    return FILESYSTEMS[at.filesystem].bring_back(at, sent=True)


REPLICATION = Kind(
    id="replication",
    title="replication",
    target="pool",
    does="sends the blocks that changed since the last common snapshot",
    needs="ZFS or Btrfs at both ends, a common snapshot kept there",
    locks="that snapshot, until the run has ended",
    takes="changed bytes over the slowest part of the way",
    protects="loss of the pool or the box, and of the site when it goes elsewhere",
    does_not="a deletion older than its retention",
    consistent=True,
    sends_raw=True,
    thins=True,
    fetch=_fetch,
    snapshots=True,
    keeps=RULES,
    packages=("openssh-client",),
    told=frozenset({"retention", "pairs"}),
)
