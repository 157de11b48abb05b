"""Large records under small writes."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed
from kavrel.core.filesystems import FILESYSTEMS


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for dataset in plan.datasets:
        pool = view.index.pools[dataset.pool]
        size = dataset.record_kib or pool.record_kib
        records = FILESYSTEMS[pool.filesystem].records
        if dataset.use in ("database", "vm_disks") and records and size > 64:
            yield (
                dataset.id,
                dataset.name,
                f"Records of {size} KiB under a {dataset.use.replace('_', ' ')} dataset.",
            )


LARGE_RECORDS = Rule(
    "large_records",
    "advice",
    "shares",
    "dataset",
    "16 KiB for databases and VM disks, before data is on it.",
    _find,
    could="Each small write reads and writes a whole record.",
    fix=changed("records of 16 KiB", "datasets", record_kib=16),
)
