"""A machine as its own tools describe it: disks, stores, data, points of time, and what it runs.

Sizes are bytes, moments seconds since 1970 (UTC), temperatures degrees Celsius. What no tool said is
None, or empty: it is unknown, never zero.
"""

from typing import Literal

from pydantic import BaseModel, ConfigDict


class Seen(BaseModel):
    """A frozen value."""

    model_config = ConfigDict(frozen=True)


class Readings(Seen):
    """What a disk says of itself; None for what it does not say.

    `reallocated`, `pending`, `uncorrectable` and `crc` are counts of sectors and of errors on the
    cable; `written_bytes` and `wear_percent` of flash; `healthy` is the disk's own verdict; `failed_tests`
    are those that it ran on itself and that failed, since the last one over all of it that went well.
    """

    hours: int | None = None
    temperature: int | None = None
    reallocated: int | None = None
    pending: int | None = None
    uncorrectable: int | None = None
    crc: int | None = None
    written_bytes: int | None = None
    wear_percent: int | None = None
    healthy: bool | None = None
    failed_tests: int | None = None


class SeenDisk(Readings):
    """A whole disk. `paths` are the device and its parts as pools may name them."""

    device: str
    capacity_bytes: int
    serial: str = ""
    model: str = ""
    kind: Literal["hdd", "ssd", "nvme"] = "hdd"
    form: Literal["3.5", "2.5", "m.2"] | None = None
    usb: bool = False
    sector: Literal["512n", "512e", "4kn"] | None = None
    rotation_rpm: int | None = None
    system: bool = False
    boots: Literal["ssd", "nvme", "hdd", "usb_stick", "sd_card"] | None = None
    # Of one that the system lies on: all but its largest part that is none of the system's.
    system_bytes: int | None = None
    paths: tuple[str, ...] = ()


class Counted(Seen):
    """Errors that a store counted at a member since somebody cleared them: `75 write, 3 read errors`.

    `device` is that of a disk, as `SeenDisk.device`, or the member's name where no disk is known by it.
    """

    device: str
    errors: str


class SeenPool(Seen):
    """A store: what made it, of which disks, and how it is.

    `groups`, `spares` and the fast `tier` have devices of disks, as `SeenDisk.device`; a member that
    is gone is in `gone` by the name that the tool still knows. `family` is that of the plan which it
    most likely is, empty where none is. Of a tree over several file systems `branch_paths` and
    `branch_uuids` are theirs: the fast one, those of data, those of parity. `state` is the tool's word in
    small letters: online, degraded, faulted.
    """

    name: str
    filesystem: str = ""
    family: str = ""
    groups: tuple[tuple[str, ...], ...] = ()
    spares: tuple[str, ...] = ()
    tier: tuple[str, ...] = ()
    gone: tuple[str, ...] = ()
    state: str = ""
    size_bytes: int | None = None
    used_bytes: int | None = None
    path: str = ""
    uuid: str = ""
    branch_paths: tuple[str, ...] = ()
    branch_uuids: tuple[str, ...] = ()
    ashift: int | None = None
    encrypted: bool = False
    errors: str = ""
    counted: tuple[Counted, ...] = ()
    scrubbed_at: float | None = None
    busy: str = ""


class SeenDataset(Seen):
    """Data with properties of its own: a ZFS file system or volume, or a Btrfs subvolume."""

    pool: str
    folder: str
    name: str
    used_bytes: int | None = None
    quota_bytes: int | None = None
    reserve_bytes: int | None = None
    record_kib: int | None = None
    compression: str = ""
    encrypted: bool | None = None
    volume: bool = False


# The place of points of which all are told: by a repository's own tool, or by lab-job for its trash cans.
LISTED = "listed"


class SeenPoints(Seen):
    """Points of time that exist in one place, oldest first, under the name that made them.

    `maker` is a job's name where the name of the points says it, else what their names have in common.
    Without a place it is when the last good run of that job was; at LISTED they are all that there are.
    """

    place: str
    maker: str
    ours: bool
    times: tuple[float, ...]


class SeenRun(Seen):
    """A run of a job as lab-job wrote it down; `bytes` that it carried, None where nothing counted them."""

    job: str
    began: float
    ended: float
    result: Literal["ok", "failed", "noted"]
    said: str = ""
    bytes: int | None = None


class SeenTask(Seen):
    """Something that a timer or a crontab starts; `on` is its calendar as it stands there."""

    name: str
    by: Literal["timer", "cron"]
    on: str
    command: str = ""
    enabled: bool = True
    last: float | None = None


class SeenList(Seen):
    """Owner, group and access list of a folder; `entries` as getfacl prints them, without remarks."""

    owner: str
    group: str
    entries: tuple[str, ...]


class Machine(Seen):
    """What one look at one machine says."""

    host: str
    at: float
    root: bool = True
    system: str = ""
    addresses: tuple[str, ...] = ()
    ram_bytes: int | None = None
    network_mbit: float | None = None
    disks: tuple[SeenDisk, ...] = ()
    pools: tuple[SeenPool, ...] = ()
    datasets: tuple[SeenDataset, ...] = ()
    points: tuple[SeenPoints, ...] = ()
    tasks: tuple[SeenTask, ...] = ()
    runs: tuple[SeenRun, ...] = ()
    # Files of servers as they stand: kind of reader to text.
    files: dict[str, str] = {}
    sizes: dict[str, int] = {}  # folder to what was measured in it
    ups: tuple[str, ...] = ()
    ups_readings: dict[str, dict[str, str]] = {}
    over_nfs: dict[str, str] = {}  # folder to what of another box is mounted at it
    access: dict[str, SeenList] = {}
    # "user" or "project" and where it is counted, to bytes by login or number; 0: no limit.
    limits: dict[str, dict[str, int]] = {}
    ports: tuple[str, ...] = ()
    # Which kinds of things were looked at at all: nothing else can be missing.
    looked_at: frozenset[str] = frozenset()
