"""One dataset written over two protocols."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    ways: dict[str, set[str]] = {}
    for share in plan.shares:
        if any(c.right == "write" for c in view.by_share[share.id]):
            ways.setdefault(share.dataset, set()).add("SMB")
    for export in plan.exports:
        if export.may == "write":
            ways.setdefault(export.dataset, set()).add(export.protocol.upper())
    for key, writers in ways.items():
        if len(writers) > 1:
            name = view.index.datasets[key].name
            yield key, name, f"{' and '.join(sorted(writers))} both write it."


TWO_WAYS_TO_WRITE = Rule(
    "two_ways_to_write",
    "caution",
    "shares",
    "dataset",
    "One protocol that writes, the others read.",
    _find,
    could="Each has its own locks and its own idea of the owner: files are overwritten unseen.",
)
