"""An application that runs as root."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for app in plan.apps:
        if app.account is None:
            yield app.id, app.name, "No account is named for it: it runs as root."


APP_AS_ROOT = Rule(
    "app_as_root",
    "caution",
    "shares",
    "app",
    "An account of its own with the rights that it needs.",
    _find,
    could="A hole in it is a hole in the box.",
)
