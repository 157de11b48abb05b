"""Several sessions to a LUN from one client without a cluster."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        if export.protocol == "iscsi" and export.many_sessions and not export.cluster_filesystem:
            yield (
                export.id,
                export.name,
                "Many sessions are allowed, and nothing says that multipath is set up.",
            )


LUN_MANY_SESSIONS = Rule(
    "lun_many_sessions",
    "caution",
    "shares",
    "export",
    "One session, unless the client does multipath.",
    _find,
    could="Two paths without multipath write over one another.",
    fix=changed("one session", "exports", many_sessions=False),
)
