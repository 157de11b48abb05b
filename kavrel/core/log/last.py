"""The newest entry of the log that says that something went well."""

from datetime import date

from kavrel.core.plan import AboutKind, LogKind, Plan


def last_good(plan: Plan, kind: LogKind, about_kind: AboutKind, about: str) -> date | None:
    """Day of the newest entry of this kind about this thing that went well."""
    days = [
        e.on
        for e in plan.log
        if (e.kind, e.about_kind, e.about) == (kind, about_kind, about) and e.result != "failed"
    ]
    return max(days) if days else None
