"""A recycle bin that keeps too long."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    most = view.index.assumptions["bin_days_most"]
    for share in plan.shares:
        if share.recycle_days > most:
            why = f"It keeps {share.recycle_days} days; past {most:.0f} nobody looks after it."
            yield share.id, share.name, why


BIN_TOO_LONG = Rule(
    "bin_too_long",
    "advice",
    "shares",
    "share",
    "Empty it after 7 days; snapshots keep the rest.",
    _find,
    could="The room of deleted files never comes back, and quotas fill with what nobody sees.",
    fix=changed("keep 7 days", "shares", recycle_days=7),
)
