"""Versioned, deduplicating backup to a repository on another pool."""

from kavrel.core.copies.kinds.kind import Kind

BACKUP = Kind(
    id="backup",
    title="versioned backup",
    target="pool",
    compresses=True,
    source_filesystems=None,
    moves_changes=True,
    by_hand=False,
    protects="deletion noticed late, loss of the box, and of the site when it goes elsewhere",
    does_not="the loss of its key, or whoever holds the credentials",
)
