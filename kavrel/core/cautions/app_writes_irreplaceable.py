"""An application that can write what cannot be replaced."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed
from kavrel.core.kinds import snapped


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    apps = {a.id: a for a in plan.apps}
    kept_there = snapped(view.index)
    for mount in plan.mounts:
        dataset = view.index.datasets[mount.dataset]
        if (
            mount.may == "write"
            and dataset.worth == "irreplaceable"
            and dataset.id not in kept_there
        ):
            yield (
                mount.id,
                f"{apps[mount.app].name} {mount.inside}",
                f"It can write {dataset.name}, of which there are no snapshots.",
            )


APP_WRITES_IRREPLACEABLE = Rule(
    "app_writes_irreplaceable",
    "advice",
    "shares",
    "mount",
    "Read only, unless it must; snapshots before its updates.",
    _find,
    could="A bad update rewrites the library.",
    fix=changed("read only", "mounts", may="read"),
)
