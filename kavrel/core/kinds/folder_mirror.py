"""One-way folder mirror: the source only sends, the target only receives and keeps a trash can."""

from kavrel.core.kinds.kind import Kind, Whereabouts
from kavrel.core.typed import typed


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    trash = f", for {at.trash_days} days" if at.trash_days else ""
    return (
        at.stop_first,
        f"the newest state lies in {at.copy} on {at.box}; what was replaced or deleted lies by days in "
        f"{at.beside}/.trash-{at.leaf}{trash}",
        f"{at.start}copy it back: {typed(at.rsync_back(at.copy))}",
        *([_before(at)] if at.trash_days else []),
        at.into_place,
    )


def _before(at: Whereabouts) -> str:
    """How the state before a day is had from the trash can."""
    day = at.rsync_back(f"{at.beside}/.trash-{at.leaf}/DAY")
    return (
        "the state before a day is put together in that new folder: over the newest state each day’s folder, "
        f"the newest first, down to that day: {typed(day)}"
    )


FOLDER_MIRROR = Kind(
    id="folder_mirror",
    title="folder mirror with trash can",
    target="pool",
    does="makes the target folder equal; what is replaced or deleted goes to the trash can there",
    needs="the source set to send only, the target to receive only",
    locks="nothing; changes at the target are undone",
    takes="a look at every file at both ends, then the changed files whole",
    protects="deletion noticed while the trash can still has it, loss of the box",
    does_not="what is noticed later than the trash can keeps it; changes between two runs",
    reads="files",
    trash=True,
    lands=frozenset({"rsync"}),
    fetch=_fetch,
    looks_at_both=True,
    keeps=frozenset({"trash_days"}),
    packages=("rsync", "openssh-client"),
    told=frozenset({"retention", "pairs"}),
)
