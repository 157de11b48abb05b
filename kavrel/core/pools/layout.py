"""A layout: disks joined by a family's rule, with what it gives and what it survives."""

from pydantic import BaseModel, ConfigDict

from kavrel.core.plan import FamilyId, FilesystemId
from kavrel.core.pools.survival import Survival
from kavrel.core.working import Working


class LayoutError(ValueError):
    """These disks cannot be laid out this way; the text says what would be right."""


class DiskSlices(BaseModel):
    """How one disk's bytes are used; the four add up to its capacity exactly."""

    model_config = ConfigDict(frozen=True)

    disk: str
    data_bytes: int
    redundancy_bytes: int
    reserve_bytes: int
    stranded_bytes: int


class Speeds(BaseModel):
    """Streams in MB/s and small random accesses a second; degraded: with one disk missing."""

    model_config = ConfigDict(frozen=True)

    read_mb_per_s: float
    write_mb_per_s: float
    read_iops: float
    write_iops: float
    degraded_read_mb_per_s: float | None
    degraded_write_mb_per_s: float | None
    degraded_read_iops: float | None
    degraded_write_iops: float | None
    slowest: str  # the disk that sets the pace


class Layout(BaseModel):
    """What one way of joining disks gives.

    `usable_bytes` is what an ordinary user can fill, `holds_bytes` what that is worth with the
    pool's compression. `survives_any` disks may die, whichever they are; `survival` counts the
    sets beyond. `rebuild_hours` is None where there is nothing to rebuild from; `rebuilds` says
    what is gone over. `loss_odds_5y`: a disk too many takes the pool. `damage_odds_5y`: a file is
    damaged while rebuilding, by the latent errors that scrubs see, and `damage_at_most_5y` by the
    data sheets' rates; `read_error_odds` and `read_error_at_most` are those of one last rebuild. Money is in
    minor units; `cost_per_tb_minor` is per decimal TB usable.
    """

    model_config = ConfigDict(frozen=True)

    family: FamilyId
    title: str
    filesystem: FilesystemId
    groups: tuple[tuple[str, ...], ...]
    usable_bytes: int
    holds_bytes: int
    raw_bytes: int
    stranded_bytes: int
    stranded_cost_minor: int
    one_set: bool  # its groups stand and fall together
    survives_any: int
    survives: str
    survival: tuple[Survival, ...]
    remains: str
    rebuild_hours: float | None
    rebuilds: str
    surface_hours: float
    sync_hours: float | None
    scrub_hours: float | None
    read_error_odds: float | None
    read_error_at_most: float | None
    loss_odds_5y: float
    damage_odds_5y: float
    damage_at_most_5y: float
    read_mb_per_s: float
    write_mb_per_s: float
    speeds: Speeds
    ram_gib: float
    idle_watts: float
    active_watts: float
    cost_minor: int
    cost_per_tb_minor: int | None
    grows: str
    grows_by: str
    disks: tuple[DiskSlices, ...]
    dominated: bool = False
    working: Working
    rebuild_working: Working
    odds_working: Working
    damage_working: Working
    speed_working: Working
    ram_working: Working
    power_working: Working
