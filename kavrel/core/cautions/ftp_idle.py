"""FTP that hangs up too soon."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        if export.protocol == "ftp" and export.idle_minutes < 10:
            yield export.id, export.name, f"It hangs up after {export.idle_minutes} min."


FTP_IDLE = Rule(
    "ftp_idle",
    "advice",
    "shares",
    "export",
    "Idle time-out 10 minutes.",
    _find,
    could="Slow devices break off in the middle and begin again.",
    fix=changed("10 minutes", "exports", idle_minutes=10),
)
