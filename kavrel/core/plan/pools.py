"""Pools, the data on them, and what moves in."""

from typing import Annotated, Literal

from pydantic import Field

from kavrel.core.plan.ids import FamilyId, FilesystemId
from kavrel.core.plan.value import Ref, Shown, Unique, Value, When
from kavrel.core.quantities import (
    Bytes,
    Day,
    Flag,
    Id,
    Line,
    MaybeLine,
    Note,
    WallTime,
    real,
    whole,
)

Purpose = Literal["files", "vms", "footage"]
Unlock = Literal["typed", "key_file"]
RecordKib = Literal[4, 8, 16, 32, 64, 128, 256, 512, 1024]
FilesystemUuid = Annotated[
    str, Field(pattern=r"^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$")
]
# Source: zpool-create(8) for the characters; names that it keeps for itself are refused elsewhere.
PoolName = Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z0-9_.-]{0,59}$")]
_STEP = "[A-Za-z0-9_][A-Za-z0-9_.-]{0,59}"
FolderPath = Annotated[str, Field(pattern=rf"^(/{_STEP}){{1,8}}$")]
FolderName = Annotated[str, Field(pattern=rf"^{_STEP}(/{_STEP}){{0,4}}$")]
_BY_CARD = ((When("family", is_=("card_mirror",)),),)
_LOCKED = ((When("encrypted", filled=True),),)
_TIERED = ((When("tier", filled=True),),)
# Several file systems under one folder, which somebody made.
_APART = ("union", "parity1", "parity2")
_STANDS = When("standing", filled=True)
_IN_PARTS = (
    (When("family", is_=_APART), _STANDS),
    (When("tier", filled=True), _STANDS),
)


class Pool(Value):
    """Disks joined into one store. `groups` are mirrors, parity groups or single disks.

    Dedicated parity has two groups: the data disks, then the parity disks. With a fast `tier`
    new files land on its disks first; the mover takes them to the pool every day at `mover_at`.
    """

    ESSENTIALS = (
        *("name", "purpose", "encrypted", "standing", "spares"),
        *("unlock", "passphrase_at", "card", "spare_card", "card_readable", "tier_mirrored"),
    )

    id: Id
    name: Annotated[Line, Unique(), Shown("Name")]
    host: Annotated[Id, Ref("hosts")]
    family: FamilyId
    filesystem: FilesystemId
    groups: Annotated[
        tuple[Annotated[tuple[Id, ...], Field(min_length=1, max_length=64)], ...],
        Field(min_length=1, max_length=64),
        Ref("disks"),
    ]
    record_kib: Annotated[
        RecordKib,
        Shown(
            "Record size",
            "4 to 1024, a power of two; small ones waste room on RAIDZ",
            "KiB",
            by="filesystem",
        ),
    ] = 128
    ashift: Annotated[
        int, whole(9, 16), Shown("Sector shift", "12 for 4 KiB sectors (ashift)", by="filesystem")
    ] = 12
    encrypted: Annotated[Flag, Shown("Encrypted at rest")] = False
    unlock: Annotated[
        Unlock,
        Shown(
            "Opened",
            "a key file lies on the box's system disk: whoever carries all of the box off can read it",
            words={
                "typed": "by passphrase, at each start",
                "key_file": "by itself, by a key file",
            },
            when=_LOCKED,
        ),
    ] = "typed"
    passphrase_at: Annotated[
        MaybeLine,
        Shown("Passphrase kept at", "the place, never the words themselves", when=_LOCKED),
    ] = ""
    compression_ratio: Annotated[
        float,
        real(1.0, 20.0),
        Shown("Compresses to", "1 when unsure; films and photos do not compress", ": 1"),
    ] = 1.0
    purpose: Annotated[
        Purpose,
        Shown(
            "Made for",
            words={"files": "files", "vms": "virtual machines", "footage": "surveillance footage"},
        ),
    ] = "files"
    # False: wanted, not made yet.
    standing: Annotated[Flag, Shown("Stands already", "else it is wanted: see the shuffle")] = True
    # Of a file system that stands; ZFS goes by its name.
    uuid: (
        Annotated[
            FilesystemUuid,
            Shown(
                "UUID",
                "of its file system, from findmnt -no UUID: jobs refuse whatever else is mounted in "
                "its place",
                when=((_STANDS, When("family", not_=_APART)),),
                by="filesystem",
            ),
        ]
        | None
    ) = None
    spares: Annotated[tuple[Id, ...], Field(max_length=16), Ref("disks"), Shown("Hot spares")] = ()
    tier: Annotated[
        tuple[Id, ...],
        Field(max_length=8),
        Ref("disks"),
        Shown(
            "Fast tier",
            "new files land here first; until the mover ran they are only as safe as it is",
        ),
    ] = ()
    tier_mirrored: Annotated[Flag, Shown("Tier is a mirror", when=_TIERED)] = True
    mover_at: Annotated[WallTime, Shown("Mover runs at", when=_TIERED)] = "03:30"

    # Of a mirror that a hardware card makes.
    card: Annotated[
        MaybeLine, Shown("Card", "card, chip and driver, as lspci -k has them", when=_BY_CARD)
    ] = ""
    spare_card: Annotated[
        Flag, Shown("Spare card", "of the same kind, on the shelf", when=_BY_CARD)
    ] = False
    card_readable: Annotated[
        Flag,
        Shown(
            "Read without it", "an ordinary port shows its file system: tried once", when=_BY_CARD
        ),
    ] = False
    # What it is called on its box, where that is not its name in small letters.
    known_as: (
        Annotated[
            PoolName,
            Shown(
                "Known there as", "its name on the box, as zpool list has it; empty: its name here"
            ),
        ]
        | None
    ) = None
    path: (
        Annotated[
            FolderPath,
            Shown("Mounted at", "empty: /srv and its name"),
        ]
        | None
    ) = None
    # Of a tree over several file systems that stands: fast tier, data disks in their order, parity.
    branch_paths: Annotated[
        tuple[FolderPath, ...],
        Field(max_length=80),
        Shown(
            "Parts mounted at",
            "the fast tier first, then each data disk, then parity; empty: as setup.sh names them",
            when=_IN_PARTS,
        ),
    ] = ()
    branch_uuids: Annotated[
        tuple[FilesystemUuid, ...],
        Field(max_length=80),
        Shown(
            "UUIDs of its parts",
            "in the same order, each from findmnt -no UUID: jobs refuse whatever else is mounted there",
            when=_IN_PARTS,
        ),
    ] = ()

    @property
    def waits(self) -> bool:
        """Whether it stays locked after each start until somebody types its passphrase."""
        return self.encrypted and self.unlock == "typed"

    @property
    def opens_alone(self) -> bool:
        """Whether a key file in the box opens it."""
        return self.encrypted and self.unlock == "key_file"

    @property
    def disks(self) -> tuple[str, ...]:
        """Ids of all member disks, group after group, without the spares."""
        return tuple(d for group in self.groups for d in group)


Worth = Literal["irreplaceable", "nuisance", "fetch_again"]
DatasetUse = Literal["files", "vm_disks", "isos", "database", "cache"]


class Dataset(Value):
    """Data with one owner, one worth and one rate of change; datasets form a tree on their pool.

    `change_bytes_per_day` is what is rewritten in place; see `copies.space` for the model of change.
    A quota limits the dataset with its children, a reservation keeps room for them. `mode` is
    that of its folder; 2770 lets a group work in it together.
    """

    ESSENTIALS = ("name", "pool", "size_bytes", "change_bytes_per_day", "worth")

    id: Id
    name: Annotated[Line, Unique(), Shown("Name")]
    pool: Annotated[Id, Ref("pools"), Shown("Pool")]
    size_bytes: Annotated[Bytes, Shown("Size", "as 1.4 TB or 300 GB", start=0)]
    growth_bytes_per_year: Annotated[Bytes, Shown("Growth", unit="a year")] = 0
    change_bytes_per_day: Annotated[Bytes, Shown("Change", "rewritten in place", "a day")] = 0
    # Deleted, and as much added again beside the growth.
    deleted_bytes_per_day: Annotated[
        Bytes, Shown("Deleted", "and as much added again", "a day")
    ] = 0
    # Of the change: the same places every day.
    repeat_share: Annotated[
        float,
        real(0.0, 1.0),
        Shown(
            "Of the change, again",
            "0 to 1: the share that hits the same places every day, as in disk images",
        ),
    ] = 0.0
    # A file, on average.
    file_bytes: Annotated[
        int,
        whole(1, 10**13),
        Shown("A file, on average", "small files take seeks, not bytes", as_="size"),
    ] = 4_000_000
    worth: Annotated[
        Worth,
        Shown(
            "Worth",
            words={
                "irreplaceable": "irreplaceable",
                "nuisance": "a nuisance to rebuild",
                "fetch_again": "can be fetched again",
            },
        ),
    ] = "nuisance"
    compressible: Annotated[Flag, Shown("Compresses")] = False
    # A rolling day of clips, a cache: belongs in no backup.
    throw_away: Annotated[
        Flag, Shown("Throw-away", "caches, a rolling day of clips: in no backup")
    ] = False
    live_database: Annotated[Flag, Shown("Live database")] = False
    use: Annotated[
        DatasetUse,
        Shown(
            "Used for",
            words={
                "files": "files",
                "vm_disks": "disks of virtual machines",
                "isos": "installation images",
                "database": "a database",
                "cache": "a cache",
            },
        ),
    ] = "files"
    parent: (
        Annotated[
            Id,
            Ref("datasets"),
            Shown("Inside of", "shared with it, unless something offers it by itself"),
        ]
        | None
    ) = None
    quota_bytes: Annotated[Bytes, Shown("Quota", "with its children; empty: none")] | None = None
    reserve_bytes: Annotated[Bytes, Shown("Reserved", "kept for it, whatever others fill")] = 0
    compression: Annotated[
        Literal["off", "lz4", "zstd"],
        Shown(
            "Compression",
            words={
                "lz4": "lz4, costs next to nothing",
                "zstd": "zstd, smaller and slower",
                "off": "off",
            },
        ),
    ] = "lz4"
    checksums: Annotated[Flag, Shown("Checksums")] = True
    # None: the pool's.
    record_kib: Annotated[RecordKib, Shown("Record size", "empty: the pool's", "KiB")] | None = None
    # At rest, where the pool is not.
    encrypted: Annotated[
        Flag,
        Shown(
            "Encrypted at rest",
            "a few per cent of speed; locked after each restart until its key is given",
        ),
    ] = False
    owner: Annotated[Id, Ref("accounts"), Shown("Owner")] | None = None
    mode: Annotated[
        str,
        Field(pattern=r"^[0-7]{3,4}$"),
        Shown("Mode", "2770: owner and group work in it together"),
    ] = "2770"
    folder: (
        Annotated[
            FolderName,
            Shown("Folder", "below its pool or its parent; empty: its name in small letters"),
        ]
        | None
    ) = None


class Holding(Value):
    """A whole copy of a dataset on a disk outside its pool: where the data is before the move."""

    id: Id
    disk: Annotated[Id, Ref("disks"), Shown("Disk")]
    dataset: Annotated[Id, Ref("datasets"), Shown("Holds all of")]
    # Read back and compared.
    verified: Annotated[
        Flag, Shown("Read back", "compared with its source; else it does not count")
    ] = True


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
