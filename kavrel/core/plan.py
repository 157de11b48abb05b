"""What a plan is: one definition for the core, the API, the store, the file and its schema.

A plan is a frozen value. Things refer to one another by id; `consistency.problems` says
where a reference, a bay or a circle is wrong.
"""

from datetime import date
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from kavrel.core.quantities import (
    Address,
    Bytes,
    Count,
    Day,
    DiskBytes,
    Flag,
    FullPath,
    Id,
    Line,
    MaybeLine,
    Money,
    NetworkRange,
    Note,
    WallTime,
    Zone,
    real,
    whole,
)

PLAN_FORMAT: Literal["kavrel-plan"] = "kavrel-plan"
PLAN_VERSION: Literal[2] = 2


class Value(BaseModel):
    """A frozen value that refuses fields it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid")


# --- Bench -----------------------------------------------------------------------------------


class Site(Value):
    """A place that burns, floods or is robbed as one."""

    id: Id
    name: Line
    own: Flag = True  # False: somebody else holds the key to the door
    relayed: Flag = False  # its boxes know each other by an overlay's addresses, over a relay


class Link(Value):
    """The way between two sites, with the speed of each direction in Mbit/s."""

    id: Id
    a: Id
    b: Id
    mbit_a_to_b: Annotated[float, real(0.1, 400_000.0)]
    mbit_b_to_a: Annotated[float, real(0.1, 400_000.0)]
    encrypted: Flag = True  # a VPN tunnel around everything that crosses
    relayed: Flag = False  # through somebody's relay instead of straight from end to end
    allowance_bytes_per_month: Bytes | None = None  # what the contract carries a month


class Cap(Value):
    """A limit on a link at some hours of every day; `from_at` to `to_at` may pass midnight."""

    id: Id
    link: Id
    from_at: WallTime
    to_at: WallTime
    mbit: Annotated[float, real(0.1, 400_000.0)]


HostKind = Literal[
    "tower", "small_box", "old_desktop", "laptop", "single_board", "hypervisor", "router"
]
BootDevice = Literal["ssd", "nvme", "hdd", "usb_stick", "sd_card"]
Addressing = Literal["dhcp", "reserved", "static"]
Restart = Literal["by_itself", "over_network", "by_hand"]


class Network(Value):
    """A subnet of a site, and the range in it that the router gives out by DHCP."""

    id: Id
    site: Id
    name: Line
    range: NetworkRange
    dhcp_from: Address | None = None
    dhcp_to: Address | None = None
    gateway: Address | None = None


class Host(Value):
    """A machine with bays. Speeds are those of its network port."""

    id: Id
    name: Line
    kind: HostKind = "tower"
    site: Id
    bays_35: Annotated[int, whole(0, 60)] = 0
    bays_25: Annotated[int, whole(0, 60)] = 0
    slots_nvme: Annotated[int, whole(0, 24)] = 0
    ports_usb: Annotated[int, whole(0, 16)] = 0
    ram_gib: Annotated[float, real(0.25, 4096.0)] = 8.0
    network_mbit: Annotated[float, real(1.0, 400_000.0)] = 1000.0
    boot_device: BootDevice = "ssd"
    boot_disk: Id | None = None  # it boots from a part of this disk, the rest of which is data
    boot_copied: Flag = False  # its configuration has a copy elsewhere
    on_ups: Flag = False
    default_passwords_changed: Flag = True
    price_minor: Money = 0
    idle_watts: Annotated[float, real(0.1, 5000.0)] | None = None  # without its disks
    shutdown_minutes: Annotated[float, real(0.0, 240.0)] = 2.0  # with unmounting
    after_power_cut: Restart = "by_hand"
    start_order: Annotated[int, whole(1, 50)] = 1  # who waits for whom
    addressing: Addressing = "dhcp"
    address: Address | None = None  # static or reserved
    vpn_address: Address | None = None  # in the overlay VPN, the same wherever the box stands


class Supply(Value):
    """A UPS: what it can carry, for which hosts, and who hears its signal.

    `battery_wh` is the energy at the rate of `rated_hours` (lead batteries: often 20 h);
    `exponent` is Peukert's, 1 for an ideal battery.
    """

    id: Id
    name: Line
    site: Id
    va: Annotated[float, real(50.0, 50_000.0)]
    watts: Annotated[float, real(30.0, 50_000.0)]
    battery_wh: Annotated[float, real(5.0, 100_000.0)]
    rated_hours: Annotated[float, real(0.05, 100.0)] = 20.0
    exponent: Annotated[float, real(1.0, 2.0)] = 1.15
    health_percent: Annotated[int, whole(1, 100)] = 100
    hosts: Annotated[tuple[Id, ...], Field(max_length=50)] = ()  # whose plugs it feeds
    signals: Annotated[tuple[Id, ...], Field(max_length=50)] = ()  # who is told of the cut
    delay_minutes: Annotated[float, real(0.0, 600.0)] = 5.0
    price_minor: Money = 0


DiskKind = Literal["hdd", "ssd", "nvme"]
DiskForm = Literal["3.5", "2.5", "m.2"]
Condition = Literal["new", "used", "refurbished"]
Recording = Literal["cmr", "smr"]
SectorFormat = Literal["512n", "512e", "4kn"]


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
    mb_per_s: Annotated[float, real(1.0, 30_000.0)] = 185.0
    yearly_failure_rate: Annotated[float, real(0.0001, 0.99)] | None = None
    bits_per_read_error: Annotated[float, real(1e12, 1e20)] | None = None
    recording: Recording = "cmr"  # smr: shingled tracks, slow to rewrite
    sector: SectorFormat = "512e"
    bought_on: Day | None = None
    run_hours: Annotated[int, whole(0, 300_000)] = 0  # already run when it was bought
    wear_percent: Annotated[int, whole(0, 100)] = 0  # of a flash disk's rated writes
    watts: Annotated[float, real(0.1, 60.0)] | None = None  # when it works
    own_supply: Flag = False  # a USB case with its own power
    holds_data: Flag = False  # what is on it now must survive
    host: Id | None = None
    bay: Annotated[str, Field(pattern=r"^(3\.5|2\.5|nvme|usb)-[1-9][0-9]?$")] | None = None
    shelf: Id | None = None  # the site where it stands when it is in no bay


class Offer(Value):
    """A disk that can be bought: the user's own price list."""

    id: Id
    label: Line
    capacity_bytes: DiskBytes
    kind: DiskKind = "hdd"
    form: DiskForm = "3.5"
    condition: Condition = "new"
    recording: Recording = "cmr"
    price_minor: Money
    mb_per_s: Annotated[float, real(1.0, 30_000.0)] = 185.0
    at_most: Annotated[int, whole(1, 24)] = 24  # how many can be had


# --- Pools -----------------------------------------------------------------------------------

FamilyId = Literal[
    "single",
    "span",
    "stripe",
    "union",
    "mirror",
    "striped_mirror",
    "raid10",
    "raid5",
    "raid6",
    "raid50",
    "raid60",
    "raidz1",
    "raidz2",
    "raidz3",
    "parity1",
    "parity2",
    "slices1",
    "slices2",
    "copies2",
    "copies3",
    "copies10",
]
FilesystemId = Literal["zfs", "ext4", "xfs", "btrfs", "none"]
Purpose = Literal["files", "vms", "footage"]


FilesystemUuid = Annotated[
    str, Field(pattern=r"^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$")
]


class Pool(Value):
    """Disks joined into one store. `groups` are mirrors, parity groups or single disks.

    Dedicated parity has two groups: the data disks, then the parity disks. With a fast `tier`
    new files land on its disks first; the mover takes them to the pool every day at `mover_at`.
    """

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
    ashift: Annotated[int, whole(9, 16)] = 12
    record_kib: Literal[4, 8, 16, 32, 64, 128, 256, 512, 1024] = 128
    encrypted: Flag = False
    purpose: Purpose = "files"
    standing: Flag = True  # False: wanted, not made yet
    compression_ratio: Annotated[float, real(1.0, 20.0)] = 1.0
    tier: Annotated[tuple[Id, ...], Field(max_length=8)] = ()
    tier_mirrored: Flag = True
    mover_at: WallTime = "03:30"
    uuid: FilesystemUuid | None = None  # of a file system that stands; ZFS goes by its name

    @property
    def disks(self) -> tuple[str, ...]:
        """Ids of all member disks, group after group, without the spares."""
        return tuple(d for group in self.groups for d in group)


# --- Shares ----------------------------------------------------------------------------------

Worth = Literal["irreplaceable", "nuisance", "fetch_again"]


DatasetUse = Literal["files", "vm_disks", "isos", "database", "cache"]
RecordKib = Literal[4, 8, 16, 32, 64, 128, 256, 512, 1024]


class Dataset(Value):
    """Data with one owner, one worth and one rate of change; datasets form a tree on their pool.

    `change_bytes_per_day` is what is rewritten in place; see `copies.space` for the model of change.
    A quota limits the dataset with its children, a reservation keeps room for them. `mode` is
    that of its folder; 2770 lets a group work in it together.
    """

    id: Id
    name: Line
    pool: Id
    size_bytes: Bytes
    growth_bytes_per_year: Bytes = 0
    change_bytes_per_day: Bytes = 0
    deleted_bytes_per_day: Bytes = 0  # deleted, and as much added again beside the growth
    repeat_share: Annotated[float, real(0.0, 1.0)] = 0.0  # of the change: the same places every day
    file_bytes: Annotated[int, whole(1, 10**13)] = 4_000_000  # a file, on average
    worth: Worth = "nuisance"
    compressible: Flag = False
    throw_away: Flag = False  # a rolling day of clips, a cache: belongs in no backup
    live_database: Flag = False
    parent: Id | None = None
    use: DatasetUse = "files"
    quota_bytes: Bytes | None = None
    reserve_bytes: Bytes = 0
    compression: Literal["off", "lz4", "zstd"] = "lz4"
    checksums: Flag = True
    record_kib: RecordKib | None = None  # None: the pool's
    encrypted: Flag = False  # at rest, where the pool is not
    owner: Id | None = None
    mode: Annotated[str, Field(pattern=r"^[0-7]{3,4}$")] = "2770"


class Holding(Value):
    """A whole copy of a dataset on a disk outside its pool: where the data is before the move."""

    id: Id
    disk: Id
    dataset: Id
    verified: Flag = True  # read back and compared


Outcome = Literal["done", "failed"]


class Tick(Value):
    """A step of the shuffle that a person has ticked at the rack.

    `step` is the step's own name, the same as long as it does the same; `hours` is what it took.
    """

    id: Id
    step: Annotated[str, Field(pattern=r"^[a-z0-9:>+.-]{1,200}$")]
    on: Day
    outcome: Outcome = "done"
    hours: Annotated[float, real(0.0, 10_000.0)] | None = None
    who: MaybeLine = ""
    note: Note = ""


class Share(Value):
    """A folder offered over SMB."""

    id: Id
    name: Line
    dataset: Id
    guest: Literal["none", "read", "write"] = "none"
    smb1: Flag = False  # an old client still needs the first dialect
    home: Flag = False  # one private folder a user
    recycle_days: Annotated[int, whole(0, 3650)] = 0
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
    expires_on: Day | None = None  # the first day on which it no longer works
    second_factor: Flag = False
    must_change: Flag = False  # the password was reset: change it at the next sign-in

    def works_on(self, day: date) -> bool:
        """Whether it can sign in on a day: switched on, and not run out."""
        return self.enabled and (self.expires_on is None or day < self.expires_on)


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
    expires_on: Day | None = None  # the first day on which it no longer holds


class Quota(Value):
    """What one account may fill of one dataset."""

    id: Id
    account: Id
    dataset: Id
    bytes: Bytes


ProtocolId = Literal["nfs", "iscsi", "rsync", "sftp", "s3", "ftp"]
Port = Annotated[int, whole(1, 65535)]
Client = Annotated[str, Field(min_length=1, max_length=223, pattern=r"^[\x21-\x7e]+$")]


class Export(Value):
    """A dataset offered in another way than over SMB; see `shares.protocols` for each.

    `clients`: hosts or networks (NFS, rsync) or initiator names (iSCSI). `accounts` sign in with
    a password or key. `size_bytes`: of the LUN, or the tenant's quota. `secured`: Kerberos (NFS),
    CHAP (iSCSI), TLS (S3, FTP).
    """

    id: Id
    protocol: ProtocolId
    name: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9._-]{0,62}$")]
    dataset: Id
    may: Literal["read", "write"] = "write"
    clients: Annotated[tuple[Client, ...], Field(max_length=100)] = ()
    accounts: Annotated[tuple[Id, ...], Field(max_length=200)] = ()
    size_bytes: Bytes | None = None
    thick: Flag = False
    secured: Flag = False
    squash: Literal["root", "all", "none"] = "root"
    many_sessions: Flag = False
    cluster_filesystem: Flag = False
    port: Port | None = None
    console_port: Port | None = None
    buckets: Annotated[
        tuple[Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{1,61}[a-z0-9]$")], ...],
        Field(max_length=50),
    ] = ()
    idle_minutes: Annotated[int, whole(1, 1440)] = 10


class App(Value):
    """An application, container or virtual machine that takes paths; `account` is what it runs as."""

    id: Id
    name: Line
    host: Id
    kind: Literal["app", "container", "vm"] = "container"
    account: Id | None = None
    ports: Annotated[tuple[Port, ...], Field(max_length=50)] = ()


class Mount(Value):
    """A dataset that an application sees at a path of its own."""

    id: Id
    app: Id
    dataset: Id
    inside: FullPath
    may: Literal["read", "write"] = "read"


class DefaultLogin(Value):
    """An account that a box came with: its password is changed before anything else."""

    id: Id
    host: Id
    service: Line  # web, root shell, file service: often three different ones
    login: Line
    changed_on: Day | None = None
    off: Flag = False  # switched off instead


class Opening(Value):
    """A port of a host that something outside its LAN may reach."""

    id: Id
    host: Id
    port: Port
    transport: Literal["tcp", "udp"] = "tcp"
    source: Literal["internet", "vpn"] = "internet"
    purpose: Line


# --- Copies ----------------------------------------------------------------------------------


class Schedule(Value):
    """When a job starts, in wall time of `zone` (None: the plan's).

    `minutes` starts every 5, 10, 15 or 30 minutes of the day. `hourly` starts every `every` hours
    from `at`, only within the hours `only_from` to `only_to` where they are given; `daily`, `weekly`
    and `monthly` count `every` from the date `start` (default: Monday 2024-01-01). `monthly` runs on
    `day` (-1: the last), or, with `nth` not 0, on
    the nth of the weekdays (-1: the last). A month that has no such day is skipped, as cron,
    systemd and RFC 5545 do. `after` starts when the job that is named in `Job.after` ends.
    """

    kind: Literal["minutes", "hourly", "daily", "weekly", "monthly", "after"]
    every: Annotated[int, whole(1, 400)] = 1
    at: WallTime = "00:00"
    weekdays: Annotated[
        tuple[Annotated[int, whole(0, 6)], ...],
        Field(max_length=7, description="0 is Monday"),
    ] = ()
    day: Annotated[int, whole(-1, 31)] = 1
    nth: Annotated[int, whole(-1, 5)] = 0
    only_from: WallTime | None = None
    only_to: WallTime | None = None
    zone: Zone | None = None
    start: Day | None = None
    until: Day | None = None


PeriodName = Literal["hourly", "daily", "weekly", "monthly", "yearly"]


class Window(Value):
    """One point of each `every` while it is younger than `days`, and older than the window before."""

    every: PeriodName
    days: Annotated[int, whole(1, 36_500)]


class Retention(Value):
    """Which points stay: a point is kept while any rule keeps it; the newest always stays.

    `counting`: whether coarser rules count beyond what finer ones keep, or each rule on its own.
    `of_period`: which point of an hour, day, week, month or year stands for it. `windows` of age
    are a school of their own; see `copies.retention`. `thin` keeps at most so many, dense near and
    sparse far. `trash_days` is how long the trash can of a mirror keeps what was replaced or
    deleted. Until `hold_until` nothing is pruned.
    """

    all_days: Annotated[int, whole(0, 36_500)] = 0
    last: Annotated[int, whole(0, 100_000)] = 0
    hourly: Count = 0
    daily: Count = 0
    weekly: Count = 0
    monthly: Count = 0
    yearly: Count = 0
    thin: Annotated[int, whole(0, 500)] = 0
    trash_days: Annotated[int, whole(0, 3650)] = 0
    hold_until: Day | None = None
    counting: Literal["beyond", "each"] = "beyond"
    of_period: Literal["last", "first"] = "last"
    windows: Annotated[tuple[Window, ...], Field(max_length=5)] = ()


class Bucket(Value):
    """A bucket at somebody's site, reached by the S3 protocol over the link to that site.

    `locked_days`: an object cannot be deleted by anyone for so long. `price_minor` a TB and month.
    """

    id: Id
    name: Line
    site: Id
    account: Line  # whom the provider knows: it can be closed
    locked_days: Annotated[int, whole(0, 36_500)] = 0
    locks_renewed: Flag = False  # each run locks anew what its points still need
    price_minor: Money = 0


JobKind = Literal[
    "snapshot",
    "replication",
    "backup",
    "folder_mirror",
    "mirror",
    "image",
    "dump",
    "bucket",
    "sync",
    "drive",
    "shelf",
    "config",
    "bin",
    "scrub",
    "smart_short",
    "smart_long",
    "mover",
    "updates",
    "restart",
    "restore_test",
]
Pattern = Annotated[str, Field(pattern=r"^[^\s\x00-\x1f]{1,80}$")]
Holder = Literal["source", "target", "everyday", "hand"]
FirstCopy = Literal["done", "side_by_side", "carried", "over_link"]


class Job(Value):
    """One hop of data, or a chore: what, from where, to where, when, and who could delete it.

    `pool` is what a scrub, a SMART test or the mover works on, `host` whose configuration is kept.
    `first_copy`: how the first whole copy gets there, from `first_on` on. `after` names the job that
    this one follows; `window_from` and `window_to` are when it must run; `fixed` start times are not
    moved by Arrange. `credentials`: who could delete the copy; the source (it is pushed), the far
    box alone (it pulls). `alarm_days`: somebody is told when nothing has arrived for so long.
    `lands_in` names the export of the far box that it writes through, `lands_as` the account that
    it signs in with there; without them it goes by SSH, or by its tool's own way. `left_out`:
    patterns of throw-away files that it skips, as rsync's filters have them, and `left_out_share`
    what they come to of the datasets' bytes.
    """

    id: Id
    name: Line
    kind: JobKind
    datasets: Annotated[tuple[Id, ...], Field(max_length=100)] = ()
    pool: Id | None = None
    host: Id | None = None
    reads_from: Id | None = None  # another job's copy instead of the dataset itself
    after: Id | None = None
    target_pool: Id | None = None
    target_disk: Id | None = None
    target_bucket: Id | None = None
    schedule: Schedule
    retention: Retention = Retention()
    encrypted: Flag = False
    key_kept_at: Annotated[tuple[Id, ...], Field(max_length=20)] = ()
    credentials: Holder = "source"
    limit_mbit: Annotated[float, real(0.1, 400_000.0)] | None = None
    wire_encrypted: Flag = False  # by SSH or TLS of its own, besides any tunnel
    resumable: Flag = True  # after a cut it goes on where it was
    first_copy: FirstCopy = "done"
    first_on: Day | None = None
    window_from: WallTime | None = None
    window_to: WallTime | None = None
    fixed: Flag = False
    alarm_days: Annotated[float, real(0.05, 3650.0)] | None = None
    chunk_store: Flag = False  # of whole archives: the store keeps chunks that are alike once
    catch_up: Flag = False  # a run that was missed while the box was off is made up for
    lands_in: Id | None = None
    lands_as: Id | None = None
    left_out: Annotated[tuple[Pattern, ...], Field(max_length=40)] = ()
    left_out_share: Annotated[float, real(0.0, 0.99)] = 0.0


# --- Proof -----------------------------------------------------------------------------------


class AcceptedRisk(Value):
    """A cell of the proof that somebody has signed: it holds as long as the cell stays as it was.

    `hazard` may be a pair, joined by a plus sign. `basis` is the mark of what the cell said then.
    """

    id: Id
    dataset: Id
    hazard: Annotated[str, Field(pattern=r"^[a-z_]{1,40}(\+[a-z_]{1,40})?$")]
    reason: Line
    on: Day
    who: MaybeLine = ""
    basis: Annotated[str, Field(pattern=r"^[0-9a-f]{16}$")]


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
    minutes: Annotated[int, whole(0, 100_000)] | None = None
    note: Note = ""


class AssumptionValue(Value):
    """A plan's own value for one of the assumptions in `assumptions.REGISTRY`."""

    id: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,59}$")]
    value: Annotated[float, real(-1e18, 1e18)]
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
    supplies: Annotated[tuple[Supply, ...], Field(max_length=MANY)] = ()
    offers: Annotated[tuple[Offer, ...], Field(max_length=MANY)] = ()
    disks: Annotated[tuple[Disk, ...], Field(max_length=MANY)] = ()
    pools: Annotated[tuple[Pool, ...], Field(max_length=MANY)] = ()
    datasets: Annotated[tuple[Dataset, ...], Field(max_length=MANY)] = ()
    holdings: Annotated[tuple[Holding, ...], Field(max_length=MANY)] = ()
    ticks: Annotated[tuple[Tick, ...], Field(max_length=MANY)] = ()
    networks: Annotated[tuple[Network, ...], Field(max_length=MANY)] = ()
    shares: Annotated[tuple[Share, ...], Field(max_length=MANY)] = ()
    accounts: Annotated[tuple[Account, ...], Field(max_length=MANY)] = ()
    groups: Annotated[tuple[Group, ...], Field(max_length=MANY)] = ()
    grants: Annotated[tuple[Grant, ...], Field(max_length=16 * MANY)] = ()
    quotas: Annotated[tuple[Quota, ...], Field(max_length=MANY)] = ()
    exports: Annotated[tuple[Export, ...], Field(max_length=MANY)] = ()
    apps: Annotated[tuple[App, ...], Field(max_length=MANY)] = ()
    mounts: Annotated[tuple[Mount, ...], Field(max_length=4 * MANY)] = ()
    default_logins: Annotated[tuple[DefaultLogin, ...], Field(max_length=MANY)] = ()
    openings: Annotated[tuple[Opening, ...], Field(max_length=MANY)] = ()
    caps: Annotated[tuple[Cap, ...], Field(max_length=MANY)] = ()
    buckets: Annotated[tuple[Bucket, ...], Field(max_length=MANY)] = ()
    jobs: Annotated[tuple[Job, ...], Field(max_length=MANY)] = ()
    accepted: Annotated[tuple[AcceptedRisk, ...], Field(max_length=16 * MANY)] = ()
    log: Annotated[tuple[LogEntry, ...], Field(max_length=40 * MANY)] = ()
    assumptions: Annotated[tuple[AssumptionValue, ...], Field(max_length=MANY)] = ()


class PlanFile(Value):
    """A plan as a file: the format's name and version, then the plan."""

    format: Literal["kavrel-plan"] = PLAN_FORMAT
    version: Literal[2] = PLAN_VERSION
    plan: Plan


Item = (
    Site
    | Link
    | Host
    | Supply
    | Offer
    | Disk
    | Pool
    | Dataset
    | Holding
    | Tick
    | Network
    | Share
    | Account
    | Group
    | Grant
    | Quota
    | Export
    | App
    | Mount
    | DefaultLogin
    | Opening
    | Cap
    | Bucket
    | Job
    | AcceptedRisk
    | LogEntry
    | AssumptionValue
)

# The plan's collections, in an order in which each only refers to those before it.
COLLECTIONS: dict[str, type[Value]] = {
    "sites": Site,
    "links": Link,
    "hosts": Host,
    "supplies": Supply,
    "offers": Offer,
    "disks": Disk,
    "pools": Pool,
    "datasets": Dataset,
    "holdings": Holding,
    "ticks": Tick,
    "networks": Network,
    "shares": Share,
    "accounts": Account,
    "groups": Group,
    "grants": Grant,
    "quotas": Quota,
    "exports": Export,
    "apps": App,
    "mounts": Mount,
    "default_logins": DefaultLogin,
    "openings": Opening,
    "caps": Cap,
    "buckets": Bucket,
    "jobs": Job,
    "accepted": AcceptedRisk,
    "log": LogEntry,
    "assumptions": AssumptionValue,
}
