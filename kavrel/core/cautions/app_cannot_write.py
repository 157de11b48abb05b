"""An application that may write a path its account does not own."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    apps = {a.id: a for a in plan.apps}
    writes = {
        (c.account, view.index.shares[c.share].dataset) for c in view.matrix if c.right == "write"
    }
    for mount in plan.mounts:
        app = apps[mount.app]
        dataset = view.index.datasets[mount.dataset]
        if mount.may != "write" or app.account is None or dataset.owner == app.account:
            continue
        if (app.account, dataset.id) not in writes and int(dataset.mode[-1], 8) & 2 == 0:
            login = view.index.accounts[app.account].login
            yield mount.id, f"{app.name} {mount.inside}", f"{login} may not write {dataset.name}."


APP_CANNOT_WRITE = Rule(
    "app_cannot_write",
    "caution",
    "shares",
    "mount",
    "Make its account the owner, or a member of the group.",
    _find,
    could="It starts, and fails at the first file that it writes.",
)
