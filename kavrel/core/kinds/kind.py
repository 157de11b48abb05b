"""What a kind of job declares: what it reads and writes, needs, locks, takes and protects."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, Protocol

from kavrel.core.index import Index
from kavrel.core.plan import Job, JobKind, LogKind, ProtocolId

Store = Literal["none", "pool", "disk", "bucket"]
# Facts of a job that the lab's script has to be told; `formats.lab_jobs` knows each.
Told = Literal["retention", "sets", "pairs", "settings", "serials", "bins"]
# Of what is downloaded.
OWNERLESS = (
    "neither owners nor rights come with it: give them again, by the lines under “Whose it is” or in the page "
    "of "
    "its box"
)
RULES = frozenset(
    {
        "all_days",
        "last",
        "hourly",
        "daily",
        "weekly",
        "monthly",
        "yearly",
        "counting",
        "of_period",
        "windows",
        "thin",
        "hold_until",
    }
)


@dataclass(frozen=True)
class Whereabouts:
    """Where a copy is and what it is of, in names that stand on the boxes.

    `box` with its address; `pool` may be a shelf disk or a bucket; `folder` is that of the first
    dataset at home and `copy` where its copy lies, as examples, `zfs_name` and `zfs_copy` the same
    as ZFS names them; `home_root`: where its pool is mounted; `key` says where the key is, empty
    without encryption. `as_it_lies`: its blocks were sent encrypted, and nobody at the far end has the key.
    `with_pool`: at home it opens with its pool, by no passphrase of its own.
    """

    job: str
    box: str
    pool: str
    filesystem: str
    home_box: str
    home_pool: str
    folder: str
    copy: str
    disk: str
    account: str
    key: str
    trash_days: int
    zfs_name: str
    zfs_copy: str
    home_root: str
    as_it_lies: bool
    with_pool: bool
    far_box: str  # the name alone
    far_at: str  # how other boxes reach it
    home_at: str
    # Who gets in where, of home and the far end.
    way: Literal["here", "pushed", "pulled", "module", "none"]
    module: str  # the copy as the rsync module has it that it lands in; empty without one

    @property
    def beside(self) -> str:
        """The folder that the copy lies in."""
        return self.copy.rpartition("/")[0]

    @property
    def leaf(self) -> str:
        """The copy's own name."""
        return self.copy.rpartition("/")[2]

    @property
    def back(self) -> str:
        """A new folder for what comes back, at the top of its pool.

        There nothing else has to be there first, and neither limits nor shares of what it lay in reach.
        """
        return f"{self.home_root or '/srv'}/{self.folder.rpartition('/')[2]}-back"

    @property
    def zfs_back(self) -> str:
        """The same as ZFS names it."""
        return f"{self.zfs_name.partition('/')[0]}/{self.zfs_name.rpartition('/')[2]}-back"

    @property
    def start(self) -> str:
        """Where what follows is typed: where root of the one gets into the other."""
        if self.way == "here":
            return ""
        if self.way == "none":
            return (
                f"on {self.home_box}, once its root gets into {self.far_box} by SSH (no job needs that: let it "
                "in by hand, and take it away again), "
            )
        if self.way == "module":
            return f"on {self.home_box}, with the password that the job has, "
        return f"on {self.far_box if self.way == 'pulled' else self.home_box}, "

    @property
    def from_far(self) -> str:
        """What goes before a command that runs where the copy is."""
        return f"ssh {self.far_at} " if self.way in ("pushed", "none") else ""

    @property
    def to_home(self) -> str:
        """What goes before a command that runs where it comes from."""
        return f"ssh {self.home_at} " if self.way == "pulled" else ""

    def rsync_back(self, folder: str) -> str:
        """A folder of the far end, copied into the new one at home."""
        ends = [f"[{at}]" if ":" in at else at for at in (self.far_at, self.home_at)]
        if self.way == "module":
            far = f"{self.module.rpartition('/')[0]}/{folder.removeprefix(f'{self.beside}/')}"
            return f"rsync -aHAX --partial {far}/ {self.back}/"
        here = f"{ends[0]}:{folder}/" if self.way in ("pushed", "none") else f"{folder}/"
        there = f"{ends[1]}:{self.back}/" if self.way == "pulled" else f"{self.back}/"
        return f"rsync -aHAX --partial {here} {there}"

    @property
    def raw(self) -> str:
        """The flag without which ZFS sends nothing back whose key is not loaded. Source: zfs-send(8)."""
        return " --raw" if self.as_it_lies else ""

    @property
    def unlock(self) -> str:
        """What comes back locked is opened by the passphrase that it had; empty where it comes open."""
        if not self.as_it_lies:
            return ""
        return (
            f"on {self.home_box} it comes back locked, by the passphrase of pool {self.home_pool} as it was: "
            f"`zfs load-key -L prompt {self.zfs_back}`"
            # Tried: a stream sent raw comes back as the root of its own encryption, whatever it was part of.
            + (
                f"; then `zfs change-key -i {self.zfs_back}`, or from now on it alone stays locked when the "
                "pool is opened"
                if self.with_pool
                else ""
            )
        )

    @property
    def into_place(self) -> str:
        """What came back into a new folder goes where it belongs; a dataset cannot be moved like a folder."""
        return (
            f"on {self.home_box} look at it in {self.back}; then put it into place: `rsync -aHAX {self.back}/ "
            f"{self.folder}/`; what is there and not in the copy stays beside it: look it through"
        )

    @property
    def stop_first(self) -> str:
        """A job that runs on would carry the loss into the copy."""
        return f"stop {self.job} before anything else: its next run carries the loss over"


class PoolSpeeds(Protocol):
    """What a kind may ask of a pool's layout."""

    @property
    def filesystem(self) -> str:
        """Its file system."""

    @property
    def usable_bytes(self) -> int:
        """What can be filled."""

    @property
    def read_mb_per_s(self) -> float:
        """Streaming."""

    @property
    def write_mb_per_s(self) -> float:
        """Streaming."""

    @property
    def scrub_hours(self) -> float | None:
        """Of a scrub of all of it."""

    @property
    def surface_hours(self) -> float:
        """Of reading every sector of its largest disk."""


class Reckoner(Protocol):
    """What a kind may ask of the lab to say how long its own work takes."""

    @property
    def index(self) -> Index:
        """The plan."""

    def pool_speeds(self, pool: str) -> PoolSpeeds:
        """The layout of a pool."""

    def used_bytes(self, pool: str) -> int:
        """What lies on a pool."""

    def source_pool(self, job: Job) -> str | None:
        """The pool that a job reads."""


def no_work(lab: Reckoner, job: Job) -> float:
    """Nothing beside what it looks at and sends."""
    return 0.0


def reads_all_seconds(lab: Reckoner, job: Job) -> float:
    """Seconds of reading all of its datasets, at the source's streaming speed."""
    source = lab.source_pool(job)
    if source is None or not job.datasets:
        return 0.0
    size = sum(lab.index.datasets[d].size_bytes for d in job.datasets)
    return size / (lab.pool_speeds(source).read_mb_per_s * 1e6)


def nothing_to_fetch(at: Whereabouts) -> tuple[str, ...]:
    """A chore keeps nothing."""
    return ()


@dataclass(frozen=True)
class Kind:
    """A kind of job: copies make points of datasets, chores work on a pool, a host or a copy.

    `target`: what it writes to. `on`: what it works on. `copies`: whether it makes points that a
    dataset comes back from. `versions`: whether it keeps more than the newest state. `compresses`:
    whether the copy shrinks what shrinks. `reads`: what a run goes over at the source: changed
    blocks; all files' metadata, then the changed files; only files that the system says have
    changed (`told`); or everything. `sends`: what travels: changes or everything. `archives`: every
    point is whole in itself, unless the job's store keeps like chunks once. `consistent`: whether a
    live database in it is fit to start. `by_hand`: somebody has to be there. `by_tool`: a tool of
    one's own does it, not the system's. `trash`: what a run replaces or deletes goes to a trash
    can. `continuous`: it may run every few minutes. `sends_raw`: blocks as they lie, encrypted
    where the dataset is. `ownerless`: neither owners nor rights of files come back from it. `thins`:
    what prunes it can thin points out. `lands`: the protocols of the far box that it can write
    through. `fetch`: how something comes back from it, for somebody who has never seen the lab.
    `snapshots`: its points are snapshots of the file system, which must have them. `looks_at_both`:
    every file of the target is looked at as well. `by_the_system`: it marks at the target when it
    has run, for the lab's own script writes there. Chores: `scrubs` a pool, `moves_tier`,
    `empties_bins`, `keeps_settings` of a box, `tries` a copy. `keeps`: the rules of retention that
    mean something for it. `by_pc`: a PC's own scheduler starts it, and it lands in a share.
    `packages`: Debian's, of what it calls. `told`: what the lab's script must be told to do it.
    `start` is the assumption of how long it takes to begin, `floor` the seconds of what it goes
    over in any case. `logged_as`: what is entered when it was done by hand or tried. The other
    lines are for people.
    """

    id: JobKind
    title: str
    target: Store
    does: str
    needs: str
    locks: str
    takes: str
    protects: str
    does_not: str
    article: str = "a"
    on: Literal["datasets", "pool", "host", "copy"] = "datasets"
    copies: bool = True
    versions: bool = True
    compresses: bool = False
    reads: Literal["nothing", "blocks", "told", "files", "everything"] = "blocks"
    sends: Literal["nothing", "changes", "everything"] = "changes"
    archives: bool = False
    consistent: bool = False
    by_hand: bool = False
    by_tool: bool = False
    by_pc: bool = False
    packages: tuple[str, ...] = ()
    trash: bool = False
    continuous: bool = False
    sends_raw: bool = False
    ownerless: bool = False
    thins: bool = False
    lands: frozenset[ProtocolId] = frozenset()
    snapshots: bool = False
    looks_at_both: bool = False
    scrubs: bool = False
    moves_tier: bool = False
    empties_bins: bool = False
    keeps_settings: bool = False
    tries: bool = False
    keeps: frozenset[str] = frozenset()
    told: frozenset[Told] = frozenset()
    start: str = "job_start_seconds"
    floor: Callable[[Reckoner, Job], float] = no_work
    logged_as: LogKind = "restore_test"
    fetch: Callable[[Whereabouts], tuple[str, ...]] = nothing_to_fetch

    @property
    def in_place(self) -> bool:
        """Whether its points lie on the pool that they are of."""
        return self.copies and self.target == "none"

    @property
    def by_file(self) -> bool:
        """Whether it goes file by file, and so can leave some out."""
        return self.reads in ("files", "told")

    def uses(self, field: str) -> bool:
        """Whether a field of a job, as `retention.daily`, means anything for this kind."""
        head, _, rest = field.partition(".")
        if head == "retention":
            return rest in self.keeps
        away = self.copies and not self.in_place
        return {
            "datasets": self.on == "datasets",
            "pool": self.on == "pool",
            "host": self.on == "host",
            "reads_from": away or self.on == "copy",
            "target_pool": self.target == "pool",
            "target_disk": self.target == "disk",
            "target_bucket": self.target == "bucket",
            "lands_in": bool(self.lands),
            "lands_share": self.by_pc,
            "lands_as": bool(self.lands) or self.by_pc,
            "chunk_store": self.archives,
            "catch_up": not self.by_hand,
            "left_out": self.by_file,
            "left_out_share": self.by_file,
            "first_copy": away,
            "first_on": away,
            "encrypted": away,
            "key_kept_at": away,
            "wire_encrypted": away and not self.by_hand,
            "credentials": self.copies,
            "limit_mbit": away and not self.by_hand,
            "resumable": away,
            "alarm_days": self.copies,
        }.get(head, True)

    def allows(self, field: str, choice: str) -> bool:
        """Whether a field of a job may have this choice."""
        if field == "first_copy":
            return self.target != "bucket" or choice in ("over_link", "done")
        return field != "schedule.kind" or choice != "minutes" or self.continuous

    def whole_points(self, job: Job) -> bool:
        """Whether each of the job's points takes the room, and the time, of all of it."""
        return self.archives and not job.chunk_store

    def sends_all(self, job: Job) -> bool:
        """Whether a run of the job sends everything, not only what changed."""
        return self.sends == "everything" or self.whole_points(job)

    @property
    def named(self) -> str:
        """Its title with the article that it takes."""
        return f"{self.article} {self.title}".lstrip()

    @property
    def moves_nothing(self) -> bool:
        """Whether no bytes travel to another store."""
        return self.sends == "nothing"
