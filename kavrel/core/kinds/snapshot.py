"""Snapshots on the pool itself: back in minutes, gone with the pool."""

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.kinds.kind import RULES, Kind, Whereabouts


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    return FILESYSTEMS[at.filesystem].bring_back(at, sent=False)


SNAPSHOT = Kind(
    id="snapshot",
    title="snapshot",
    target="none",
    does="marks the state of the datasets on their own pool",
    needs="ZFS or Btrfs",
    locks="nothing",
    takes="seconds, whatever the size",
    protects="deleted or encrypted files",
    does_not="loss of the pool, the box or the site",
    reads="nothing",
    sends="nothing",
    consistent=True,
    thins=True,
    fetch=_fetch,
    snapshots=True,
    keeps=RULES,
    told=frozenset({"retention", "sets"}),
    start="snapshot_seconds",
)
