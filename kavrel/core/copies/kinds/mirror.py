"""Plain mirror of files: the newest state and nothing else."""

from kavrel.core.copies.kinds.kind import Kind

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
)
