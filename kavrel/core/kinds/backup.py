"""Versioned, deduplicating backup to a repository on another pool."""

from kavrel.core.kinds.kind import RULES, Kind, Whereabouts


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    return (
        f"the repository lies on {at.pool} in {at.box}" + (f"; {at.key}" if at.key else ""),
        "list its points, choose the newest from before the damage",
        "restore into an empty folder, never over what is left; look at it, then move it into place",
    )


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
    lands=frozenset({"nfs", "rsync", "sftp", "s3"}),
    by_tool=True,
    fetch=_fetch,
    keeps=RULES,
    told=frozenset({"retention"}),
)
