"""NFS to every address."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        wide = [c for c in export.clients if c in ("0.0.0.0/0", "::/0")]
        if export.protocol in ("nfs", "rsync") and wide:
            yield export.id, export.name, f"{wide[0]} is everybody."


NFS_TO_THE_WORLD = Rule(
    "nfs_to_the_world",
    "serious",
    "shares",
    "export",
    "Name the hosts, or the one network of the servers.",
    _find,
    could="Whoever can reach the port has the files.",
)
