"""The pools of a plan: each one's layout, and how full its datasets and copies make it."""

from dataclasses import dataclass
from datetime import date

from kavrel.core.index import Index
from kavrel.core.plan import Disk, Pool
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.lay_out import lay_out
from kavrel.core.pools.layout import Layout
from kavrel.core.pools.odds import HOURS_PER_YEAR
from kavrel.core.quantities import YEAR_DAYS

# More disks on the shelf than that change nothing that can be told.
MOST_SHELF_SPARES = 3


@dataclass(frozen=True)
class PoolState:
    """A pool with its layout, and the bytes of datasets that live on it."""

    pool: Pool
    layout: Layout
    dataset_bytes: int


def age_years(disk: Disk, today: date | None) -> float:
    """Years that a disk has run: before it was bought, and since."""
    since = 0.0
    if disk.bought_on and today:
        since = max((today - disk.bought_on).days / YEAR_DAYS, 0.0)
    return disk.run_hours / HOURS_PER_YEAR + since


def disk_facts(index: Index, disk: Disk, today: date | None = None) -> DiskFacts:
    """A disk's figures, with the plan's assumptions where the disk has none of its own."""
    known = index.assumptions
    family = "hdd" if disk.kind == "hdd" else "ssd"
    rate = disk.yearly_failure_rate
    if rate is None:
        rate = known[f"{family}_failure_rate"]
        if disk.condition == "refurbished":
            rate = min(0.99, rate * known["refurbished_factor"])
    watts = disk.watts or known[f"{disk.kind}_watts"]
    return DiskFacts(
        id=disk.id,
        label=disk.label,
        capacity_bytes=disk.capacity_bytes,
        mb_per_s=disk.mb_per_s,
        yearly_failure_rate=rate,
        bits_per_read_error=disk.bits_per_read_error or known[f"{family}_bits_per_read_error"],
        price_minor=disk.price_minor,
        kind=disk.kind,
        batch=disk.batch,
        condition=disk.condition,
        shingled=disk.recording == "smr",
        sector=disk.sector,
        age_years=round(age_years(disk, today), 2),
        wear=disk.wear_percent / 100,
        iops=known[f"{disk.kind}_iops"],
        watts=watts,
        idle_watts=min(watts, known[f"{disk.kind}_idle_watts"]),
    )


def fitting_spares(index: Index, pool: Pool) -> tuple[list[Disk], list[Disk]]:
    """Hot spares, and idle disks on a shelf, that could take the place of any member."""
    need = min(index.disks[d].capacity_bytes for d in pool.disks)
    hot = [index.disks[d] for d in pool.spares if index.disks[d].capacity_bytes >= need]
    return hot, [d for d in index.idle_disks if d.capacity_bytes >= need]


def spare_for(index: Index, pool: Pool) -> Disk | None:
    """A disk that could take the place of any member now: a hot spare, or one on the shelf."""
    hot, shelf = fitting_spares(index, pool)
    return min([*hot, *shelf], key=lambda d: d.capacity_bytes, default=None)


def pool_conditions(index: Index, pool: Pool) -> Conditions:
    """What surrounds a pool's disks."""
    hot, shelf = fitting_spares(index, pool)
    return Conditions.of(
        index.assumptions,
        ashift=pool.ashift,
        record_bytes=pool.record_kib * 1024,
        hot_spares=len(hot),
        shelf_spares=min(len(shelf), MOST_SHELF_SPARES),
        compression_ratio=pool.compression_ratio,
    )


def pool_groups(index: Index, pool: Pool, today: date | None = None) -> list[list[DiskFacts]]:
    """The figures of a pool's disks, group by group."""
    return [[disk_facts(index, index.disks[d], today) for d in group] for group in pool.groups]


def pool_layout(index: Index, pool: Pool) -> Layout:
    """The layout of one pool; raises LayoutError where its disks do not allow it."""
    groups = pool_groups(index, pool)
    return lay_out(pool.family, groups, pool.filesystem, pool_conditions(index, pool))


def pool_states(index: Index) -> dict[str, PoolState]:
    """All pools of the plan by id."""
    sizes: dict[str, int] = {}
    for dataset in index.plan.datasets:
        sizes[dataset.pool] = sizes.get(dataset.pool, 0) + dataset.size_bytes
    return {p.id: PoolState(p, pool_layout(index, p), sizes.get(p.id, 0)) for p in index.plan.pools}
