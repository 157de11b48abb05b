"""The pools of a plan: each one's layout, and how full its datasets and copies make it."""

from dataclasses import dataclass

from kavrel.core.index import Index
from kavrel.core.plan import Disk, Pool
from kavrel.core.pools.lay_out import Conditions, DiskFacts, lay_out
from kavrel.core.pools.layout import Layout


@dataclass(frozen=True)
class PoolState:
    """A pool with its layout, and the bytes of datasets that live on it."""

    pool: Pool
    layout: Layout
    dataset_bytes: int


def disk_facts(index: Index, disk: Disk) -> DiskFacts:
    """A disk's figures, with the plan's assumptions where the disk has none of its own."""
    known = index.assumptions
    family = "hdd" if disk.kind == "hdd" else "ssd"
    rate = disk.yearly_failure_rate
    if rate is None:
        rate = known[f"{family}_failure_rate"]
        if disk.condition == "refurbished":
            rate = min(0.99, rate * known["refurbished_factor"])
    return DiskFacts(
        id=disk.id,
        label=disk.label,
        capacity_bytes=disk.capacity_bytes,
        mb_per_s=disk.mb_per_s,
        yearly_failure_rate=rate,
        bits_per_read_error=disk.bits_per_read_error or known[f"{family}_bits_per_read_error"],
        price_minor=disk.price_minor,
    )


def spare_for(index: Index, pool: Pool) -> Disk | None:
    """A disk that could take the place of any member now: a hot spare, or one on the shelf."""
    need = min(index.disks[d].capacity_bytes for d in pool.disks)
    candidates = [*(index.disks[d] for d in pool.spares), *index.idle_disks]
    fitting = [d for d in candidates if d.capacity_bytes >= need]
    return min(fitting, key=lambda d: d.capacity_bytes) if fitting else None


def pool_layout(index: Index, pool: Pool) -> Layout:
    """The layout of one pool; raises LayoutError where its disks do not allow it."""
    conditions = Conditions.of(
        index.assumptions, pool.ashift, pool.record_kib * 1024, spare_for(index, pool) is not None
    )
    groups = [[disk_facts(index, index.disks[d]) for d in group] for group in pool.groups]
    return lay_out(pool.family, groups, pool.filesystem, conditions)


def pool_states(index: Index) -> dict[str, PoolState]:
    """All pools of the plan by id."""
    sizes: dict[str, int] = {}
    for dataset in index.plan.datasets:
        sizes[dataset.pool] = sizes.get(dataset.pool, 0) + dataset.size_bytes
    return {p.id: PoolState(p, pool_layout(index, p), sizes.get(p.id, 0)) for p in index.plan.pools}
