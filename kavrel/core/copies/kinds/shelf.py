"""A disk copied to by hand and put on the shelf."""

from kavrel.core.copies.kinds.kind import Kind

SHELF = Kind(
    id="shelf",
    title="shelf copy by hand",
    target="disk",
    compresses=False,
    source_filesystems=None,
    moves_changes=True,
    by_hand=True,
    protects="everything that travels over a wire, while it stands on the shelf",
    does_not="the months since it was last taken down",
)
