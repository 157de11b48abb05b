"""NFS that takes a client's root for its own."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed
from kavrel.core.shares.protocols.nfs import fixed_client, root_is_let_in


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        # One fixed machine that needs root, as a hypervisor does, has an export of its own.
        if root_is_let_in(export) and not fixed_client(export):
            yield export.id, export.name, "no_root_squash: the client's root may do everything."


NFS_ROOT = Rule(
    "nfs_root",
    "serious",
    "shares",
    "export",
    "Squash root; give one client its own export where root is needed.",
    _find,
    could="Root on that client is root on every file.",
    fix=changed("squash root", "exports", squash="root"),
)
