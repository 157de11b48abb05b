"""The drive list as CSV (RFC 4180), safe to open in a spreadsheet."""

import csv
import io

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.quantities import currency_minor

COLUMNS = (
    "label",
    "serial",
    "capacity_bytes",
    "TB",
    "TiB",
    "kind",
    "form",
    "condition",
    "batch",
    "price",
    "currency",
    "mb_per_s",
    "host",
    "bay",
    "shelf",
    "pool",
    "holds_data",
)
# A cell that begins with one of these is a formula to a spreadsheet (OWASP, CSV injection).
FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


def disks_csv(plan: Plan) -> str:
    """One row a disk, with a header; text that a spreadsheet would run gets a leading quote."""
    index = Index(plan)
    minor = currency_minor(plan.currency)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for disk in plan.disks:
        pool = index.disks_in_pools.get(disk.id)
        writer.writerow(
            [
                _safe(disk.label),
                _safe(disk.serial),
                disk.capacity_bytes,
                f"{disk.capacity_bytes / 1e12:.3f}",
                f"{disk.capacity_bytes / 2**40:.3f}",
                disk.kind,
                disk.form,
                disk.condition,
                _safe(disk.batch),
                f"{disk.price_minor / minor:.2f}" if minor > 1 else disk.price_minor,
                plan.currency,
                f"{disk.mb_per_s:g}",
                _safe(index.hosts[disk.host].name) if disk.host else "",
                disk.bay or "",
                _safe(index.sites[disk.shelf].name) if disk.shelf else "",
                _safe(index.pools[pool].name) if pool else "",
                "yes" if disk.holds_data else "no",
            ]
        )
    return out.getvalue()


def _safe(text: str) -> str:
    return f"'{text}" if text.startswith(FORMULA_STARTS) else text
