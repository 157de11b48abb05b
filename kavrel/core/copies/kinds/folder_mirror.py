"""One-way folder mirror: the source only sends, the target only receives and keeps a trash can."""

from kavrel.core.copies.kinds.kind import Kind

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
)
