"""An application without a path."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    mapped = {m.app for m in plan.mounts}
    for app in plan.apps:
        if app.id not in mapped:
            yield app.id, app.name, "It sees no dataset."


APP_WITHOUT_PATH = Rule(
    "app_without_path",
    "advice",
    "shares",
    "app",
    "Map the dataset that it works on.",
    _find,
    could="A missing mapping shows up as an empty library, and what it stores is gone with the next update.",
)
