"""A layout: disks joined by a family's rule, with what it gives and what it survives."""

from pydantic import BaseModel, ConfigDict

from kavrel.core.plan import FamilyId, FilesystemId
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


class Layout(BaseModel):
    """What one way of joining disks gives.

    `usable_bytes` is what an ordinary user can fill. `survives_any` disks may die, whichever
    they are. `rebuild_hours` is None where there is nothing to rebuild from. Money is in
    minor units; `cost_per_tb_minor` is per decimal TB usable.
    """

    model_config = ConfigDict(frozen=True)

    family: FamilyId
    title: str
    filesystem: FilesystemId
    groups: tuple[tuple[str, ...], ...]
    usable_bytes: int
    raw_bytes: int
    stranded_bytes: int
    survives_any: int
    survives: str
    rebuild_hours: float | None
    read_error_odds: float | None
    loss_odds_5y: float
    read_mb_per_s: float
    write_mb_per_s: float
    cost_minor: int
    cost_per_tb_minor: int | None
    grows: str
    disks: tuple[DiskSlices, ...]
    dominated: bool = False
    working: Working
    rebuild_working: Working
    odds_working: Working
