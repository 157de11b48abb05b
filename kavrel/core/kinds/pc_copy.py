"""A PC's own copy: its scheduler starts a program of the system that makes a folder of a share equal."""

from kavrel.core.kinds.kind import Kind, Whereabouts


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    return (
        f"it is the state of its last run and nothing older, in {at.copy} on {at.box}",
        "open the share on the PC that is to have it, and copy it back into a folder of its own",
    )


PC_COPY = Kind(
    id="pc_copy",
    title="copy of a PC",
    target="pool",
    does="makes a folder of a share equal to the PC's, deletions too",
    needs="a share for PCs' backups, an account that may write there, the PC switched on",
    locks="nothing; files that are open are left for the next run",
    takes="a look at every file at both ends, then the changed files whole",
    protects="loss of the PC or its disk",
    does_not="anything that travels with the next run, and whatever its user's own account can write",
    versions=False,
    reads="files",
    by_pc=True,
    fetch=_fetch,
    looks_at_both=True,
    told=frozenset({"retention"}),
)
