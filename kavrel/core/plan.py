"""What a plan is: one definition for the core, the API, the store, the file and its schema.

A plan is a frozen value. Things refer to one another by id; `consistency.problems` says
where a reference, a bay or a circle is wrong.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from kavrel.core.quantities import (
    Bytes,
    Count,
    Day,
    DiskBytes,
    Flag,
    Id,
    Line,
    MaybeLine,
    Money,
    Note,
    WallTime,
    Zone,
    real,
    whole,
)

PLAN_FORMAT: Literal["kavrel-plan"] = "kavrel-plan"
PLAN_VERSION: Literal[1] = 1


class Value(BaseModel):
    """A frozen value that refuses fields it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid")


# --- Bench -----------------------------------------------------------------------------------


class Site(Value):
    """A place that burns, floods or is robbed as one."""

    id: Id
    name: Line
    own: Flag = True  # False: somebody else holds the key to the door


class Link(Value):
    """The way between two sites, with the speed of each direction in Mbit/s."""

    id: Id
    a: Id
    b: Id
    mbit_a_to_b: real(0.1, 400_000.0)  # type: ignore[valid-type]
    mbit_b_to_a: real(0.1, 400_000.0)  # type: ignore[valid-type]
    encrypted: Flag = True  # a VPN tunnel around everything that crosses


HostKind = Literal[
    "tower", "small_box", "old_desktop", "laptop", "single_board", "hypervisor", "router"
]
BootDevice = Literal["ssd", "nvme", "hdd", "usb_stick", "sd_card"]


class Host(Value):
    """A machine with bays. Speeds are those of its network port."""

    id: Id
    name: Line
    kind: HostKind = "tower"
    site: Id
    bays_35: whole(0, 60) = 0  # type: ignore[valid-type]
    bays_25: whole(0, 60) = 0  # type: ignore[valid-type]
    slots_nvme: whole(0, 24) = 0  # type: ignore[valid-type]
    ports_usb: whole(0, 16) = 0  # type: ignore[valid-type]
    ram_gib: real(0.25, 4096.0) = 8.0  # type: ignore[valid-type]
    network_mbit: real(1.0, 400_000.0) = 1000.0  # type: ignore[valid-type]
    boot_device: BootDevice = "ssd"
    boot_copied: Flag = False  # its configuration has a copy elsewhere
    on_ups: Flag = False
    default_passwords_changed: Flag = True
    price_minor: Money = 0


DiskKind = Literal["hdd", "ssd", "nvme"]
DiskForm = Literal["3.5", "2.5", "m.2"]
Condition = Literal["new", "used", "refurbished"]


class Disk(Value):
    """A disk. `capacity_bytes` is exact; `mb_per_s` is averaged over the whole platter."""

    id: Id
    label: Line
    serial: MaybeLine = ""
    capacity_bytes: DiskBytes
    kind: DiskKind = "hdd"
    form: DiskForm = "3.5"
    condition: Condition = "new"
    batch: MaybeLine = ""
    price_minor: Money = 0
    mb_per_s: real(1.0, 30_000.0) = 185.0  # type: ignore[valid-type]
    yearly_failure_rate: real(0.0001, 0.99) | None = None  # type: ignore[valid-type]
    bits_per_read_error: real(1e12, 1e20) | None = None  # type: ignore[valid-type]
    own_supply: Flag = False  # a USB case with its own power
    holds_data: Flag = False  # what is on it now must survive
    host: Id | None = None
    bay: Annotated[str, Field(pattern=r"^(3\.5|2\.5|nvme|usb)-[1-9][0-9]?$")] | None = None
    shelf: Id | None = None  # the site where it stands when it is in no bay


# --- Pools -----------------------------------------------------------------------------------

FamilyId = Literal[
    "single",
    "span",
    "stripe",
    "mirror",
    "striped_mirror",
    "raid5",
    "raid6",
    "raidz1",
    "raidz2",
    "raidz3",
]
FilesystemId = Literal["zfs", "ext4", "xfs", "btrfs", "none"]


class Pool(Value):
    """Disks joined into one store. `groups` are mirrors, parity groups or single disks."""

    id: Id
    name: Line
    host: Id
    family: FamilyId
    filesystem: FilesystemId
    groups: Annotated[
        tuple[Annotated[tuple[Id, ...], Field(min_length=1, max_length=64)], ...],
        Field(min_length=1, max_length=64),
    ]
    spares: Annotated[tuple[Id, ...], Field(max_length=16)] = ()
    ashift: whole(9, 16) = 12  # type: ignore[valid-type]
    record_kib: Literal[4, 8, 16, 32, 64, 128, 256, 512, 1024] = 128
    encrypted: Flag = False

    @property
    def disks(self) -> tuple[str, ...]:
        """Ids of all member disks, group after group, without the spares."""
        return tuple(d for group in self.groups for d in group)


# --- Shares ----------------------------------------------------------------------------------

Worth = Literal["irreplaceable", "nuisance", "fetch_again"]


class Dataset(Value):
    """Data with one owner, one worth and one rate of change."""

    id: Id
    name: Line
    pool: Id
    size_bytes: Bytes
    growth_bytes_per_year: Bytes = 0
    change_bytes_per_day: Bytes = 0
    worth: Worth = "nuisance"
    compressible: Flag = False
    throw_away: Flag = False  # a rolling day of clips, a cache: belongs in no backup
    live_database: Flag = False


class Share(Value):
    """A folder offered over SMB."""

    id: Id
    name: Line
    dataset: Id
    guest: Literal["none", "read", "write"] = "none"
    smb1: Flag = False  # an old client still needs the first dialect
    home: Flag = False  # one private folder a user
    recycle_days: whole(0, 3650) = 0  # type: ignore[valid-type]
    comment: MaybeLine = ""


Role = Literal["administrator", "everyday", "player", "machine", "backup"]
Login = Annotated[str, Field(pattern=r"^[a-z_][a-z0-9_-]{0,30}$")]


class Account(Value):
    """Somebody, or something, that signs in."""

    id: Id
    login: Login
    full_name: Line
    role: Role = "everyday"
    enabled: Flag = True


class Group(Value):
    """Accounts that are granted together."""

    id: Id
    name: Login
    members: Annotated[tuple[Id, ...], Field(max_length=500)] = ()


Right = Literal["none", "read", "write"]


class Grant(Value):
    """A right on a share for one account or one group; exactly one of the two is named."""

    id: Id
    share: Id
    account: Id | None = None
    group: Id | None = None
    right: Right


# --- Copies ----------------------------------------------------------------------------------


class Schedule(Value):
    """When a job starts, in the plan's wall time.

    `hourly` starts every `every` hours from `at`; `daily` and `weekly` and `monthly` count
    `every` from the date `start` (default: Monday 2024-01-01). A month that has no such day is
    skipped, as cron, systemd and RFC 5545 do; day -1 is the last of the month.
    """

    kind: Literal["hourly", "daily", "weekly", "monthly"]
    every: whole(1, 400) = 1  # type: ignore[valid-type]
    at: WallTime = "00:00"
    weekdays: Annotated[
        tuple[whole(0, 6), ...],  # type: ignore[valid-type]
        Field(max_length=7, description="0 is Monday"),
    ] = ()
    day: whole(-1, 31) = 1  # type: ignore[valid-type]
    start: Day | None = None
    until: Day | None = None


class Retention(Value):
    """Which points stay: a point is kept while any rule keeps it; the newest always stays."""

    all_days: whole(0, 36_500) = 0  # type: ignore[valid-type]
    last: whole(0, 100_000) = 0  # type: ignore[valid-type]
    hourly: Count = 0
    daily: Count = 0
    weekly: Count = 0
    monthly: Count = 0
    yearly: Count = 0


JobKind = Literal["snapshot", "replication", "backup", "shelf"]
Holder = Literal["source", "target", "everyday", "hand"]


class Job(Value):
    """One hop of data: what, from where, to where, when, and who could delete the result."""

    id: Id
    name: Line
    kind: JobKind
    datasets: Annotated[tuple[Id, ...], Field(min_length=1, max_length=100)]
    reads_from: Id | None = None  # another job's copy instead of the dataset itself
    target_pool: Id | None = None
    target_disk: Id | None = None
    schedule: Schedule
    retention: Retention
    encrypted: Flag = False
    key_kept_at: Annotated[tuple[Id, ...], Field(max_length=20)] = ()
    credentials: Holder = "source"
    limit_mbit: real(0.1, 400_000.0) | None = None  # type: ignore[valid-type]


# --- Log -------------------------------------------------------------------------------------

LogKind = Literal[
    "disk_check",
    "smart_reading",
    "scrub",
    "replacement",
    "backup_run",
    "restore_test",
    "shelf_copy",
    "update",
    "password_change",
    "firmware",
    "incident",
]
AboutKind = Literal["disk", "pool", "dataset", "job", "host", "account", "site"]


class LogEntry(Value):
    """What was done, when, by whom, to what, and how it went."""

    id: Id
    on: Day
    kind: LogKind
    about_kind: AboutKind
    about: Id
    result: Literal["ok", "failed", "noted"] = "ok"
    who: MaybeLine = ""
    minutes: whole(0, 100_000) | None = None  # type: ignore[valid-type]
    note: Note = ""


class AssumptionValue(Value):
    """A plan's own value for one of the assumptions in `assumptions.REGISTRY`."""

    id: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,59}$")]
    value: real(-1e18, 1e18)  # type: ignore[valid-type]
    note: MaybeLine = ""


# --- The plan --------------------------------------------------------------------------------

MANY = 500


class Plan(Value):
    """One lab, whole."""

    name: Line
    variant: MaybeLine = ""
    currency: Annotated[str, Field(pattern=r"^[A-Z]{3}$")] = "EUR"
    zone: Zone = "UTC"
    sites: Annotated[tuple[Site, ...], Field(max_length=MANY)] = ()
    links: Annotated[tuple[Link, ...], Field(max_length=MANY)] = ()
    hosts: Annotated[tuple[Host, ...], Field(max_length=MANY)] = ()
    disks: Annotated[tuple[Disk, ...], Field(max_length=MANY)] = ()
    pools: Annotated[tuple[Pool, ...], Field(max_length=MANY)] = ()
    datasets: Annotated[tuple[Dataset, ...], Field(max_length=MANY)] = ()
    shares: Annotated[tuple[Share, ...], Field(max_length=MANY)] = ()
    accounts: Annotated[tuple[Account, ...], Field(max_length=MANY)] = ()
    groups: Annotated[tuple[Group, ...], Field(max_length=MANY)] = ()
    grants: Annotated[tuple[Grant, ...], Field(max_length=4 * MANY)] = ()
    jobs: Annotated[tuple[Job, ...], Field(max_length=MANY)] = ()
    log: Annotated[tuple[LogEntry, ...], Field(max_length=40 * MANY)] = ()
    assumptions: Annotated[tuple[AssumptionValue, ...], Field(max_length=MANY)] = ()


class PlanFile(Value):
    """A plan as a file: the format's name and version, then the plan."""

    format: Literal["kavrel-plan"] = PLAN_FORMAT
    version: Literal[1] = PLAN_VERSION
    plan: Plan


Item = (
    Site
    | Link
    | Host
    | Disk
    | Pool
    | Dataset
    | Share
    | Account
    | Group
    | Grant
    | Job
    | LogEntry
    | AssumptionValue
)

# The plan's collections, in an order in which each only refers to those before it.
COLLECTIONS: dict[str, type[Value]] = {
    "sites": Site,
    "links": Link,
    "hosts": Host,
    "disks": Disk,
    "pools": Pool,
    "datasets": Dataset,
    "shares": Share,
    "accounts": Account,
    "groups": Group,
    "grants": Grant,
    "jobs": Job,
    "log": LogEntry,
    "assumptions": AssumptionValue,
}
