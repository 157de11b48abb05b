"""A path whose data is on another box."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    apps = {a.id: a for a in plan.apps}
    for mount in plan.mounts:
        app = apps[mount.app]
        dataset = view.index.datasets[mount.dataset]
        home = view.index.pools[dataset.pool].host
        served = any(e.dataset == dataset.id and e.protocol == "nfs" for e in plan.exports)
        if home != app.host and not served:
            there = view.index.hosts[home].name
            yield (
                mount.id,
                f"{app.name} {mount.inside}",
                f"{dataset.name} is on {there}, and nothing brings it over.",
            )


PATH_ON_ANOTHER_BOX = Rule(
    "path_on_another_box",
    "serious",
    "shares",
    "mount",
    "Run it where the data is, or export the data to it over NFS.",
    _find,
    could="The path is there and empty.",
)
