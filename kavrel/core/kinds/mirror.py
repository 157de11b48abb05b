"""Plain mirror of files: the newest state and nothing else."""

from kavrel.core.kinds.kind import Kind, Whereabouts
from kavrel.core.typed import typed


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    return (
        at.stop_first,
        f"it is the state of its last run and nothing older, in {at.copy} on {at.box}",
        f"{at.start}copy it back: {typed(at.rsync_back(at.copy))}",
        at.into_place,
    )


MIRROR = Kind(
    id="mirror",
    title="plain mirror",
    target="pool",
    does="makes the target folder equal, deletions too",
    needs="a folder on another pool",
    locks="nothing",
    takes="a look at every file at both ends, then the changed files whole",
    protects="loss of the disks or the box",
    does_not="anything that travels with the next run: deletion, encryption, corruption",
    versions=False,
    reads="files",
    lands=frozenset({"rsync"}),
    fetch=_fetch,
    looks_at_both=True,
    packages=("rsync", "openssh-client"),
    told=frozenset({"retention", "pairs"}),
)
