"""The pools of a plan: each one's layout, and how full its datasets and copies make it."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import jobs_that
from kavrel.core.plan import Disk, Pool
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.lay_out import lay_out
from kavrel.core.pools.layout import Layout
from kavrel.core.pools.loss import HORIZON_YEARS, failures_per_hour
from kavrel.core.pools.odds import HOURS_PER_YEAR
from kavrel.core.pools.stirred import stirred_bytes_per_day
from kavrel.core.pools.taken import Stored, reserved_bytes, trees
from kavrel.core.quantities import YEAR_DAYS
from kavrel.core.schedule import longest_step_days

# More disks on the shelf than that change nothing that can be told.
MOST_SHELF_SPARES = 3
FILL_STEPS = 20  # odds change little within one


@dataclass(frozen=True)
class PoolState:
    """A pool with its layout, the bytes of datasets that live on it, and what is kept beyond them."""

    pool: Pool
    layout: Layout
    groups: tuple[tuple[DiskFacts, ...], ...]
    conditions: Conditions  # full
    dataset_bytes: int
    reserved_bytes: int = 0  # thick volumes and reservations that nothing fills yet

    @property
    def taken_bytes(self) -> int:
        """Room that its datasets take, used or kept for them."""
        return self.dataset_bytes + self.reserved_bytes

    @property
    def priceless(self) -> "PoolState":
        """The same without what its disks cost."""
        if not self.layout.cost_minor:
            return self
        free = {"cost_minor": 0, "stranded_cost_minor": 0, "cost_per_tb_minor": None}
        return replace(
            self,
            layout=self.layout.model_copy(update=free),
            groups=tuple([tuple([d.priceless for d in g]) for g in self.groups]),
        )

    def fill(self, stored: Stored) -> float:
        """Share of the pool that is taken, with what is stored beside its datasets."""
        usable = self.layout.usable_bytes
        return (self.taken_bytes + stored.now_bytes) / usable if usable else 0.0


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
    latent = known["latent_errors_per_year" if family == "hdd" else "ssd_latent_errors_per_year"]
    if family == "ssd" and disk.yearly_failure_rate is None:
        # Flash nears its end by what was written: at its rated writes it fails so much oftener.
        rate = min(0.99, rate * (1 + (known["ssd_worn_factor"] - 1) * disk.wear_percent / 100))
    watts = disk.watts or known[f"{disk.kind}_watts"]
    return DiskFacts(
        id=disk.id,
        label=disk.label,
        capacity_bytes=index.data_bytes(disk.id) if disk.id in index.disks else disk.capacity_bytes,
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
        latent_errors_per_year=latent,
        weibull_shape=known["ssd_weibull_shape"] if family == "ssd" else None,
        watts=watts,
        idle_watts=min(watts, known[f"{disk.kind}_idle_watts"]),
    )


def fitting_spares(index: Index, pool: Pool) -> tuple[list[Disk], list[Disk]]:
    """Hot spares, and idle disks on a shelf, that could take the place of any member."""
    family = FAMILIES[pool.family]
    need = family.spare_bytes([[index.data_bytes(d) for d in g] for g in pool.groups])
    kinds = {index.disks[d].kind for d in pool.disks}
    site = index.site_of_pool(pool.id)

    def fits(disk: Disk) -> bool:
        return index.data_bytes(disk.id) >= need and disk.kind in kinds

    hot = [index.disks[d] for d in pool.spares if fits(index.disks[d])]
    # One on a shelf elsewhere has to be fetched: no better than one that is ordered.
    shelf = [d for d in index.idle_disks if fits(d) and index.site_of_disk(d.id) in (site, None)]
    return hot, shelf


def _turns_of_others(index: Index, pool: Pool, shelf: Sequence[Disk]) -> float:
    """How often an hour other pools, or their hot spares' places, take one of these disks."""
    ids = {d.id for d in shelf}
    rate = 0.0
    for other in index.plan.pools:
        if other.id == pool.id or not ids:
            continue
        if ids & {d.id for d in fitting_spares(index, other)[1]}:
            rate += failures_per_hour([disk_facts(index, index.disks[d]) for d in other.disks])
    return rate


def scrub_days(index: Index, pool: Pool) -> float | None:
    """Days between scrubs: by the plan's job, else by the upkeep that ZFS and Btrfs pools get.

    None where nobody scrubs.
    """
    scrubs = [j for j in jobs_that(index, lambda kind: kind.scrubs) if j.pool == pool.id]
    if scrubs:
        return min(longest_step_days(j.schedule) for j in scrubs)
    checks = FILESYSTEMS[pool.filesystem].checksums
    return index.assumptions["scrub_days"] if checks else None


def spare_for(index: Index, pool: Pool) -> Disk | None:
    """A disk that could take the place of any member now: a hot spare, or one on the shelf."""
    hot, shelf = fitting_spares(index, pool)
    return min([*hot, *shelf], key=lambda d: d.capacity_bytes, default=None)


def pool_conditions(index: Index, pool: Pool, fill: float = 1.0) -> Conditions:
    """What surrounds a pool's disks; `fill` is the share of it that is used, 0 to 1."""
    hot, shelf = fitting_spares(index, pool)
    every = scrub_days(index, pool)
    return replace(
        Conditions.of(
            index.assumptions,
            ashift=pool.ashift,
            record_bytes=pool.record_kib * 1024,
            hot_spares=len(hot),
            shelf_spares=min(len(shelf), MOST_SHELF_SPARES),
            compression_ratio=pool.compression_ratio,
        ),
        others_per_hour=_turns_of_others(index, pool, shelf),
        # Never read through: what went bad within the horizon is still there.
        scrub_days=every if every is not None else HORIZON_YEARS * YEAR_DAYS,
        scrubbed=every is not None,
        fill=fill,
        locked=pool.encrypted,
        stirred=bool(FAMILIES[pool.family].parity_at and stirred_bytes_per_day(index, pool)),
    )


def pool_groups(index: Index, pool: Pool, today: date | None = None) -> list[list[DiskFacts]]:
    """The figures of a pool's disks, group by group."""
    return [[disk_facts(index, index.disks[d], today) for d in group] for group in pool.groups]


def settled(state: PoolState, fill: float) -> PoolState:
    """The state with the odds of a pool that is so full; the fill counts in steps, upwards."""
    step_up = min(math.ceil(max(fill, 0.0) * FILL_STEPS) / FILL_STEPS, 1.0)
    conditions = replace(state.conditions, fill=max(step_up, 1 / FILL_STEPS))
    pool = state.pool
    return replace(state, layout=lay_out(pool.family, state.groups, pool.filesystem, conditions))


def pool_states(index: Index) -> dict[str, PoolState]:
    """All pools of the plan by id; raises LayoutError where disks do not allow what is planned."""
    sizes: dict[str, int] = {}
    for dataset in index.plan.datasets:
        sizes[dataset.pool] = sizes.get(dataset.pool, 0) + dataset.size_bytes
    states = {}
    for pool in index.plan.pools:
        groups = tuple(tuple(g) for g in pool_groups(index, pool))
        conditions = pool_conditions(index, pool)
        states[pool.id] = PoolState(
            pool,
            lay_out(pool.family, groups, pool.filesystem, conditions),
            groups,
            conditions,
            sizes.get(pool.id, 0),
            reserved_bytes(trees(index, pool.id)),
        )
    return states
