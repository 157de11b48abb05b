"""Datasets inside others: which are offered by themselves, and which are a part of what they lie in."""

from collections import defaultdict

from kavrel.core.index import Index


def offered(index: Index) -> set[str]:
    """Datasets that a share, an export or an application has by themselves."""
    plan = index.plan
    shared, exported = {s.dataset for s in plan.shares}, {e.dataset for e in plan.exports}
    return shared | exported | {m.dataset for m in plan.mounts}


def parts_of(index: Index) -> dict[str, list[str]]:
    """Dataset to those inside it that nothing offers by themselves: whoever is let into it uses them.

    One that has a share, an export or an application of its own is its own: what is granted above it
    is not granted there.
    """
    own = offered(index)
    parts: dict[str, list[str]] = defaultdict(list)
    for dataset in index.plan.datasets:
        above = None if dataset.id in own else dataset.parent
        while above:
            parts[above].append(dataset.id)
            above = None if above in own else index.datasets[above].parent
    return dict(parts)


def offered_as(index: Index, dataset: str) -> str:
    """The dataset that it is a part of; itself where something offers it, or nothing above it."""
    own, at = offered(index), dataset
    while at not in own:
        above = index.datasets[at].parent
        if above is None:
            return dataset
        at = above
    return at
