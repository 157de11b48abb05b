"""What a layout needs to know of its disks and of what surrounds them."""

from dataclasses import dataclass, replace
from functools import cached_property

from kavrel.core.assumptions import Assumptions
from kavrel.core.working import Working


@dataclass(frozen=True)
class DiskFacts:
    """A disk's figures. Speed is the average over the whole platter; watts when it works."""

    id: str
    label: str
    capacity_bytes: int
    mb_per_s: float
    yearly_failure_rate: float
    bits_per_read_error: float
    price_minor: int
    kind: str = "hdd"
    batch: str = ""
    condition: str = "new"
    shingled: bool = False
    sector: str = "512e"
    age_years: float = 0.0
    wear: float = 0.0  # 0 to 1 of a flash disk's rated writes
    iops: float = 100.0
    latent_errors_per_year: float = 0.013  # a sector gone bad that nobody has read yet
    weibull_shape: float | None = None  # how failures rise with age; None: as the plan's disks do
    watts: float = 8.0
    idle_watts: float = 5.0

    @cached_property
    def priceless(self) -> "DiskFacts":
        """The same without its price."""
        return replace(self, price_minor=0) if self.price_minor else self

    @property
    def worn(self) -> bool:
        """Better on the shelf than at work."""
        return self.condition == "refurbished" or self.wear >= 0.8


@dataclass(frozen=True)
class Conditions:
    """What surrounds the disks: block sizes, upkeep, the repair, and spares.

    `replace_hours` is a replacement that has to be ordered; a spare on the shelf takes
    `fit_hours` after somebody noticed; a hot one starts by itself. `others_per_hour`: how often
    other pools take one of the spares on the shelf. `scrubbed`: somebody scrubs every `scrub_days`.
    `fill`: the used share, 0 to 1; what is planned counts as full. `locked`: encrypted at rest.
    `stirred`: files are deleted or changed from one parity over files to the next.
    """

    ashift: int = 12
    record_bytes: int = 131_072
    rebuild_speed_share: float = 0.8
    notice_hours: float = 12.0
    replace_hours: float = 48.0
    fit_hours: float = 0.5
    hot_spares: int = 0
    shelf_spares: int = 0
    others_per_hour: float = 0.0
    scrub_days: float = 90.0
    scrubbed: bool = True
    fill: float = 1.0
    inner_share: float = 0.5
    smr_write_share: float = 0.2
    ram_gib_per_tb: float = 1.0
    ram_gib_files: float = 4.0
    compression_ratio: float = 1.0
    replace_step: Working | None = None
    locked: bool = False
    stirred: bool = False

    @classmethod
    def of(
        cls,
        known: Assumptions,
        *,
        ashift: int = 12,
        record_bytes: int = 131_072,
        hot_spares: int = 0,
        shelf_spares: int = 0,
        compression_ratio: float = 1.0,
    ) -> "Conditions":
        """The conditions of a plan."""
        return cls(
            ashift=ashift,
            record_bytes=record_bytes,
            rebuild_speed_share=known["rebuild_speed_share"],
            notice_hours=known["notice_hours"],
            replace_hours=known["order_disk_hours"],
            fit_hours=known["fit_disk_hours"],
            hot_spares=hot_spares,
            shelf_spares=shelf_spares,
            scrub_days=known["scrub_days"],
            inner_share=known["hdd_inner_share"],
            smr_write_share=known["smr_write_share"],
            ram_gib_per_tb=known["ram_gib_per_tb"],
            ram_gib_files=known["ram_gib_files"],
            compression_ratio=compression_ratio,
            replace_step=known.step("order_disk_hours"),
        )
