"""A share of a parent dataset lets in whom its child keeps out."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    if not any(d.parent for d in plan.datasets):
        return
    rights = {(c.share, c.account): c.right for c in view.matrix}
    by_dataset: dict[str, list[str]] = {}
    for share in plan.shares:
        by_dataset.setdefault(share.dataset, []).append(share.id)
    for dataset in plan.datasets:
        if dataset.parent is None:
            continue
        for inner in by_dataset.get(dataset.id, []):
            for outer in by_dataset.get(dataset.parent, []):
                kept_out = [
                    a.login
                    for a in plan.accounts
                    if rights[inner, a.id] == "none" and rights[outer, a.id] != "none"
                ]
                if kept_out:
                    name = view.index.shares[outer].name
                    why = f"{', '.join(kept_out)} may not open it, and gets in through {name}."
                    yield inner, view.index.shares[inner].name, why


CHILD_THROUGH_PARENT = Rule(
    "child_through_parent",
    "serious",
    "shares",
    "share",
    "Share the child alone, or give the parent the narrower grants.",
    _find,
    could="Whoever is kept out of the child reads it through its parent.",
)
