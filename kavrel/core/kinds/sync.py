"""Continuous sync to another box: what changes here is there within minutes, good or bad."""

from kavrel.core.kinds.kind import Kind, Whereabouts
from kavrel.core.typed import typed


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    trash = f", for {at.trash_days} days" if at.trash_days else ": there is none"
    return (
        at.stop_first,
        f"the newest state lies in {at.copy} on {at.box}; what was replaced or deleted is in the trash "
        f"can of the tool there{trash}",
        f"{at.start}copy it back: {typed(at.rsync_back(at.copy))}",
        at.into_place,
    )


SYNC = Kind(
    id="sync",
    title="continuous sync",
    target="pool",
    does="carries each change over within minutes, deletions too",
    needs="its service at both ends, both switched on; source set to send only",
    locks="nothing; files that are open wait",
    takes="the changed files, as they change",
    protects="loss of the disks or the box, with minutes of work lost",
    does_not="deletion, encryption or damage, which are there within minutes as well, beyond what its "
    "trash can keeps; files that are never closed",
    versions=False,
    reads="told",
    trash=True,
    continuous=True,
    by_tool=True,
    fetch=_fetch,
    keeps=frozenset({"trash_days"}),
    told=frozenset({"retention"}),
)
