"""A disk copied to by hand and put on the shelf."""

from kavrel.core.copies.kinds.kind import Kind

SHELF = Kind(
    id="shelf",
    title="shelf copy by hand",
    target="disk",
    does="somebody docks the disk, copies what changed, puts it back on the shelf",
    needs="the disk, a dock, an afternoon",
    locks="the dock",
    takes="a look at every file, then the changed bytes at the dock's speed",
    protects="everything that travels over a wire, while it stands on the shelf",
    does_not="the months since it was last taken down",
    versions=False,
    reads="files",
    by_hand=True,
)
