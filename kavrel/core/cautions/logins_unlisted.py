"""A box whose default accounts nobody has listed."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    listed = {d.host for d in plan.default_logins}
    serving = {p.host for p in plan.pools}
    for host in plan.hosts:
        if host.id in serving and host.id not in listed and plan.default_logins:
            yield host.id, host.name, "None of its default accounts is on the list."


LOGINS_UNLISTED = Rule(
    "logins_unlisted",
    "advice",
    "shares",
    "host",
    "List its web, root shell and file service: often three different passwords.",
    _find,
    could="One of the three is forgotten.",
)
