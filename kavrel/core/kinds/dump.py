"""Database dump, then backup: the only file copy of a live database that is fit to start."""

from kavrel.core.kinds.kind import RULES, Kind, Whereabouts, reads_all_seconds


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    return (
        f"the dumps lie on {at.pool} in {at.box}" + (f"; {at.key}" if at.key else ""),
        "stop what uses the database; read the dump into a new, empty one, not over the old one",
        "start the application against it and look at the newest entries",
    )


DUMP = Kind(
    id="dump",
    title="database dump and its backup",
    target="pool",
    does="has the database write itself out, then stores the dump",
    needs="an account of the database that may read all of it",
    locks="nothing for long; heavy queries wait",
    takes="reading and writing the whole database",
    protects="loss or corruption of the database, a bad update",
    does_not="what was written since the dump",
    compresses=True,
    reads="everything",
    sends="everything",
    archives=True,
    consistent=True,
    lands=frozenset({"nfs", "rsync", "sftp", "s3"}),
    by_tool=True,
    fetch=_fetch,
    keeps=RULES,
    told=frozenset({"retention"}),
    floor=reads_all_seconds,
)
