"""Disks of virtual machines in a file share."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for share in plan.shares:
        dataset = view.index.datasets[share.dataset]
        if dataset.use == "vm_disks":
            yield dataset.id, dataset.name, f"It is shared as {share.name}."


VM_DISKS_SHARED = Rule(
    "vm_disks_shared",
    "caution",
    "shares",
    "dataset",
    "A dataset of its own that nobody but the hypervisor opens.",
    _find,
    could="A copied or opened disk file of a running machine is broken.",
)
