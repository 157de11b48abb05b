"""A path whose data is on another box."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.shares.brought import lacks


def _find(view: View) -> Iterator[Finding]:
    apps = {a.id: a for a in view.index.plan.apps}
    for mount in view.index.plan.mounts:
        if why := lacks(view.index, mount):
            yield mount.id, f"{apps[mount.app].name} {mount.inside}", f"{why}."


PATH_ON_ANOTHER_BOX = Rule(
    "path_on_another_box",
    "serious",
    "shares",
    "mount",
    "Run it where the data is, or export the data over NFS to the box it runs on, for what it does there.",
    _find,
    could="The path is there and empty.",
)
