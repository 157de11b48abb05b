"""Versioned, deduplicating backup to a repository on another pool."""

from kavrel.core.copies.kinds.kind import Kind

BACKUP = Kind(
    id="backup",
    title="versioned backup",
    target="pool",
    does="looks at every file, stores the chunks that the repository does not have",
    needs="a repository and its key; every file read once at first",
    locks="the repository, against pruning and checks",
    takes="a look at every file, then the changed bytes",
    protects="deletion noticed late, loss of the box, and of the site when it goes elsewhere",
    does_not="the loss of its key, or whoever holds the credentials",
    compresses=True,
    reads="files",
)
