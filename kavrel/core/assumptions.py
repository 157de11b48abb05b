"""Every figure that Kavrel takes for granted, with its default, bounds and source.

A plan may hold its own value for any of them (`Plan.assumptions`); a formula never hides one.
Sources: "published" names it; "common practice, no source"; "value from memory".
"""

from collections.abc import Mapping
from dataclasses import dataclass

from kavrel.core.plan import Plan
from kavrel.core.working import Working, step

COMMON = "common practice, no source"
MEMORY = "value from memory"


@dataclass(frozen=True)
class Assumption:
    """One editable figure: `low` and `high` are the values that make sense."""

    id: str
    label: str
    default: float
    unit: str
    low: float
    high: float
    source: str
    sheet: str


_ALL = (
    Assumption(
        "hdd_failure_rate",
        "Share of hard disks that fail in a year",
        0.014,
        "a year",
        0.0001,
        0.99,
        f"fleet statistics, {MEMORY}",
        "pools",
    ),
    Assumption(
        "ssd_failure_rate",
        "Share of SSDs that fail in a year",
        0.010,
        "a year",
        0.0001,
        0.99,
        MEMORY,
        "pools",
    ),
    Assumption(
        "refurbished_factor",
        "How much more often a refurbished disk fails",
        2.0,
        "times",
        1,
        20,
        MEMORY,
        "pools",
    ),
    Assumption(
        "hdd_bits_per_read_error",
        "Bits read per unrecoverable error, hard disks",
        1e14,
        "bits",
        1e12,
        1e20,
        f"the common 10^14 class of data sheets, {MEMORY}",
        "pools",
    ),
    Assumption(
        "ssd_bits_per_read_error",
        "Bits read per unrecoverable error, SSDs",
        1e17,
        "bits",
        1e12,
        1e20,
        MEMORY,
        "pools",
    ),
    Assumption(
        "rebuild_speed_share",
        "Share of a disk's speed left for a rebuild",
        0.8,
        "of full speed",
        0.05,
        1,
        COMMON,
        "pools",
    ),
    Assumption(
        "notice_hours",
        "Until somebody notices a dead disk or box",
        12,
        "h",
        0,
        8760,
        COMMON,
        "proof",
    ),
    Assumption(
        "order_disk_hours",
        "Until an ordered disk is in the hand",
        48,
        "h",
        0,
        8760,
        COMMON,
        "proof",
    ),
    Assumption(
        "fit_disk_hours",
        "To swap a disk that is in the hand",
        0.5,
        "h",
        0,
        100,
        COMMON,
        "proof",
    ),
    Assumption(
        "order_box_hours",
        "Until a lost box is replaced and set up",
        72,
        "h",
        0,
        8760,
        COMMON,
        "proof",
    ),
    Assumption(
        "travel_hours",
        "To fetch a box or disk from another site",
        3,
        "h",
        0,
        1000,
        COMMON,
        "proof",
    ),
    Assumption(
        "prepare_restore_hours",
        "To find the point and start a restore",
        0.5,
        "h",
        0,
        100,
        COMMON,
        "proof",
    ),
    Assumption(
        "clean_hours",
        "To clean the desktops after malware",
        4,
        "h",
        0,
        1000,
        COMMON,
        "proof",
    ),
    Assumption(
        "deleted_notice_days",
        "Until a deleted file is missed",
        30,
        "days",
        0,
        3650,
        "a loss may be noticed months later; " + COMMON,
        "proof",
    ),
    Assumption(
        "deleted_share",
        "Share of a dataset in one accidental deletion",
        0.05,
        "of its size",
        0.0001,
        1,
        COMMON,
        "proof",
    ),
    Assumption(
        "malware_notice_days",
        "Until encrypted files are noticed",
        2,
        "days",
        0,
        365,
        COMMON,
        "proof",
    ),
    Assumption(
        "silence_days",
        "Weeks of silence of the off-site box, in days",
        21,
        "days",
        1,
        365,
        COMMON,
        "proof",
    ),
    Assumption(
        "network_efficiency",
        "Share of the line rate that file copies reach",
        0.88,
        "of line rate",
        0.1,
        1,
        f"gigabit carries about 110 MB/s; {COMMON}",
        "copies",
    ),
    Assumption(
        "dock_mb_per_s",
        "USB 3 dock to pool",
        167,
        "MB/s",
        1,
        2000,
        f"about 600 GB an hour; {COMMON}",
        "copies",
    ),
    Assumption(
        "job_start_seconds",
        "Fixed time to start any job",
        20,
        "s",
        0,
        3600,
        COMMON,
        "copies",
    ),
    Assumption(
        "snapshot_seconds",
        "To take a snapshot",
        2,
        "s",
        0,
        600,
        COMMON,
        "copies",
    ),
    Assumption(
        "compressed_share",
        "Size left of data that compresses",
        0.6,
        "of its size",
        0.05,
        1,
        MEMORY,
        "copies",
    ),
    Assumption(
        "carry_instead_hours",
        "First copy longer than this: carry a disk",
        336,
        "h",
        1,
        10_000,
        COMMON,
        "copies",
    ),
    Assumption("quiet_from_hour", "Quiet hours begin", 23, "o'clock", 0, 23, COMMON, "week"),
    Assumption("quiet_to_hour", "Quiet hours end", 7, "o'clock", 0, 23, COMMON, "week"),
    Assumption(
        "fill_warn_share",
        "Plan growth past this fill",
        0.8,
        "full",
        0.1,
        1,
        COMMON,
        "pools",
    ),
    Assumption(
        "fill_slow_share",
        "Copy-on-write pools slow past this fill",
        0.9,
        "full",
        0.1,
        1,
        COMMON,
        "pools",
    ),
    Assumption(
        "ram_gib_per_tb",
        "RAM advised per TB of ZFS pool",
        1,
        "GiB",
        0,
        16,
        f"advice, not a limit; {COMMON}",
        "pools",
    ),
    Assumption(
        "shares_wanted", "Shares before they get in the way", 6, "", 1, 100, COMMON, "shares"
    ),
    Assumption("scrub_days", "Scrub or parity check every", 90, "days", 1, 730, COMMON, "log"),
    Assumption("smart_days", "SMART long test every", 30, "days", 1, 730, COMMON, "log"),
    Assumption("restore_test_days", "Restore test every", 180, "days", 1, 1825, COMMON, "log"),
    Assumption("update_days", "Updates of a host every", 60, "days", 1, 730, COMMON, "log"),
    Assumption(
        "hdd_inner_share",
        "Speed of a hard disk's inner tracks against the outer",
        0.5,
        "of it",
        0.05,
        1,
        COMMON,
        "pools",
    ),
    Assumption(
        "smr_write_share",
        "Speed of shingled tracks when they are rewritten",
        0.2,
        "of full speed",
        0.01,
        1,
        MEMORY,
        "pools",
    ),
    Assumption(
        "latent_errors_per_year",
        "Disks on which a sector goes bad unnoticed",
        0.013,
        "a year",
        0,
        1,
        "Bairavasundaram et al. 2007: 3.45 % of disks in 32 months, " + MEMORY,
        "pools",
    ),
    Assumption(
        "hdd_iops", "Small random accesses of a hard disk", 100, "IOPS", 1, 1000, MEMORY, "pools"
    ),
    Assumption(
        "ssd_iops", "Small random accesses of an SSD", 20_000, "IOPS", 1, 1e6, MEMORY, "pools"
    ),
    Assumption(
        "nvme_iops",
        "Small random accesses of an NVMe disk",
        100_000,
        "IOPS",
        1,
        1e7,
        MEMORY,
        "pools",
    ),
    Assumption("ram_gib_files", "RAM for a plain file server", 4, "GiB", 0.25, 64, COMMON, "pools"),
    Assumption(
        "weibull_shape",
        "How failures rise with age (1: not at all)",
        1.2,
        "Weibull shape",
        0.5,
        5,
        MEMORY,
        "pools",
    ),
    Assumption(
        "bad_batch_odds",
        "Share of batches that are bad",
        0.05,
        "of batches",
        0,
        0.9,
        MEMORY,
        "pools",
    ),
    Assumption(
        "bad_batch_factor",
        "How much more often disks of a bad batch fail",
        4,
        "times",
        1,
        50,
        MEMORY,
        "pools",
    ),
    Assumption(
        "worn_age_years",
        "Age from which a disk goes to the shelf first",
        5,
        "years",
        0.5,
        20,
        COMMON,
        "pools",
    ),
    Assumption(
        "price_drift", "Yearly change of disk prices", -0.05, "a year", -0.5, 0.5, MEMORY, "pools"
    ),
    Assumption(
        "accepted_loss_odds",
        "Accepted odds of losing something in five years",
        0.02,
        "odds",
        1e-9,
        1,
        COMMON,
        "pools",
    ),
    Assumption("growth_years", "Years to look ahead", 5, "years", 1, 10, COMMON, "pools"),
    Assumption("hdd_watts", "A hard disk at work", 8, "W", 0.5, 60, MEMORY, "bench"),
    Assumption("hdd_idle_watts", "A hard disk that spins idle", 5, "W", 0.1, 60, MEMORY, "bench"),
    Assumption("ssd_watts", "An SSD at work", 3, "W", 0.1, 60, MEMORY, "bench"),
    Assumption("ssd_idle_watts", "An idle SSD", 1, "W", 0.05, 60, MEMORY, "bench"),
    Assumption("nvme_watts", "An NVMe disk at work", 6, "W", 0.1, 60, MEMORY, "bench"),
    Assumption("nvme_idle_watts", "An idle NVMe disk", 1.5, "W", 0.05, 60, MEMORY, "bench"),
    Assumption(
        "busy_share", "Share of the time that disks work", 0.2, "of the time", 0, 1, COMMON, "bench"
    ),
    Assumption("tower_watts", "A tower without its disks", 35, "W", 1, 2000, MEMORY, "bench"),
    Assumption(
        "small_box_watts", "A small bay box without its disks", 15, "W", 1, 2000, MEMORY, "bench"
    ),
    Assumption(
        "old_desktop_watts",
        "A retired desktop without its disks",
        50,
        "W",
        1,
        2000,
        MEMORY,
        "bench",
    ),
    Assumption("laptop_watts", "A laptop", 15, "W", 1, 2000, MEMORY, "bench"),
    Assumption("single_board_watts", "A single-board computer", 5, "W", 0.5, 2000, MEMORY, "bench"),
    Assumption(
        "hypervisor_watts", "A hypervisor host without its disks", 60, "W", 1, 2000, MEMORY, "bench"
    ),
    Assumption("router_watts", "A router", 10, "W", 0.5, 2000, MEMORY, "bench"),
    Assumption(
        "energy_price",
        "Price of a kWh in the plan's currency",
        0.3,
        "a kWh",
        0,
        1000,
        COMMON,
        "bench",
    ),
    Assumption(
        "spin_up_factor",
        "Load while a host shuts down, against its load at work",
        1.2,
        "times",
        1,
        3,
        COMMON,
        "bench",
    ),
    Assumption(
        "battery_keep_share",
        "Share of the battery not to be planned with",
        0.2,
        "of the runtime",
        0,
        0.9,
        COMMON,
        "bench",
    ),
    Assumption(
        "dock_mb_per_s",
        "A disk in a USB 3 dock, to a pool",
        167,
        "MB/s",
        1,
        5000,
        "600 GB an hour; " + COMMON,
        "pools",
    ),
    Assumption(
        "verify_share",
        "Share of full speed left while a copy is verified",
        0.9,
        "of full speed",
        0.05,
        1,
        COMMON,
        "pools",
    ),
    Assumption(
        "wipe_hours",
        "To wipe a disk's labels and check that it is the right one",
        0.25,
        "h",
        0,
        100,
        COMMON,
        "pools",
    ),
    Assumption(
        "create_hours", "To create a pool or add disks to it", 0.25, "h", 0, 100, COMMON, "pools"
    ),
    Assumption(
        "password_length",
        "Shortest password",
        14,
        "characters",
        6,
        128,
        "NIST SP 800-63B asks for 8 at least and 15 where it stands alone; " + COMMON,
        "shares",
    ),
    Assumption(
        "password_classes",
        "Classes of characters in a password (of 4)",
        3,
        "classes",
        1,
        4,
        COMMON,
        "shares",
    ),
    Assumption(
        "password_days",
        "Password has to be changed every (0: never)",
        0,
        "days",
        0,
        3650,
        "NIST SP 800-63B: no forced change without cause, it makes people count upwards",
        "shares",
    ),
    Assumption(
        "grant_review_days",
        "Guest and outside access looked through every",
        180,
        "days",
        1,
        3650,
        COMMON,
        "shares",
    ),
    Assumption(
        "bin_days_most",
        "Longest useful recycle bin",
        30,
        "days",
        1,
        3650,
        "7 days are usual; " + COMMON,
        "shares",
    ),
    Assumption(
        "thin_promise_factor",
        "Thin promises against the room there is",
        1.5,
        "times",
        1,
        20,
        COMMON,
        "shares",
    ),
)

REGISTRY: Mapping[str, Assumption] = {a.id: a for a in _ALL}


class Assumptions:
    """The values that hold in one plan: its own where it has them, the defaults elsewhere."""

    def __init__(self, plan: Plan) -> None:
        self._own = {a.id: a.value for a in plan.assumptions}

    def __getitem__(self, key: str) -> float:
        known = REGISTRY[key]
        return self._own.get(key, known.default)

    def step(self, key: str) -> Working:
        """The assumption as a step of a working, with its source and where to edit it."""
        known = REGISTRY[key]
        own = key in self._own
        return step(
            known.label,
            self[key],
            known.unit,
            source="set in this plan" if own else known.source,
            assumption=key,
        )
