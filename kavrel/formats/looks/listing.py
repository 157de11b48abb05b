"""A listing that a machine printed, what was made of it, and where readers put what it says."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from pydantic import BaseModel, ConfigDict

MOST_LINES = 200
SHOWN = 200


class Heard(BaseModel):
    """What was understood of one listing: things counted, and every line that was not."""

    model_config = ConfigDict(frozen=True)

    listing: str
    asked: str
    understood: int
    not_understood: tuple[str, ...] = ()
    why: str = ""


@dataclass
class Listing:
    """One listing. A reader counts what it takes, and says what it does not."""

    id: str
    asked: str
    text: str
    understood: int = 0
    wrong: list[str] = field(default_factory=list)
    why: str = ""

    def took(self, count: int = 1) -> None:
        """So many things more were understood."""
        self.understood += count

    def puzzled(self, what: object) -> None:
        """Something was not understood: it is said as it stands, cut where it is long."""
        text = " ".join("".join(c if c.isprintable() else " " for c in str(what)).split())
        if len(self.wrong) < MOST_LINES:
            self.wrong.append(text if len(text) <= SHOWN else f"{text[:SHOWN]} ...")
        elif len(self.wrong) == MOST_LINES:
            self.wrong.append("... and more")

    def heard(self) -> Heard:
        """The account of it."""
        return Heard(
            listing=self.id,
            asked=self.asked,
            understood=self.understood,
            not_understood=tuple(self.wrong),
            why=self.why,
        )


@dataclass
class Block:
    """A block device: a disk, a part of one, an array, a volume, what is opened of a locked one."""

    path: str
    kind: str
    size: int
    parents: set[str] = field(default_factory=set)
    facts: dict[str, Any] = field(default_factory=dict)


@dataclass
class Vdev:
    """A group of a ZFS pool, as `zpool status` draws it."""

    kind: str
    members: list[str] = field(default_factory=list)
    gone: list[str] = field(default_factory=list)


@dataclass
class Store:
    """A pool, an array or a file system over several disks, in its own tool's words.

    `counted` has the errors of each member, kind by kind, as the tool writes their number.
    """

    name: str
    maker: str
    state: str = ""
    level: str = ""
    vdevs: list[Vdev] = field(default_factory=list)
    spares: list[str] = field(default_factory=list)
    facts: dict[str, Any] = field(default_factory=dict)
    counted: dict[str, dict[str, str]] = field(default_factory=dict)

    def counts(self, device: str, errors: Mapping[str, str]) -> None:
        """Its tool counted errors of a member, kind by kind; none of those that are 0 is kept."""
        for kind, many in errors.items():
            if many.strip("0-"):
                self.counted.setdefault(device, {})[kind] = many


def worst(states: Iterable[str]) -> str:
    """The worst of what stores are, in their tools' words: what only lacks a part is the mildest."""
    bad = [s for s in states if s not in ("online", "")]
    return next((s for s in bad if s != "degraded"), bad[0] if bad else "online")


@dataclass
class Notes:
    """Everything that the listings of one machine say, before it is put together."""

    host: str = ""
    at: float = 0.0
    root: bool = True
    blocks: dict[str, Block] = field(default_factory=dict)
    aliases: dict[str, str] = field(default_factory=dict)  # another name of a device to its path
    smart: dict[str, dict[str, Any]] = field(default_factory=dict)  # device or serial to readings
    stores: dict[tuple[str, str], Store] = field(default_factory=dict)
    mounts: dict[str, dict[str, Any]] = field(default_factory=dict)  # target to its facts
    datasets: list[dict[str, Any]] = field(default_factory=list)
    points: list[tuple[str, str, float]] = field(default_factory=list)  # place, name, moment
    volumes: dict[str, dict[str, Any]] = field(default_factory=dict)  # LVM: vg to its facts
    tasks: list[dict[str, Any]] = field(default_factory=list)
    runs: list[dict[str, Any]] = field(default_factory=list)
    files: dict[str, str] = field(default_factory=dict)
    parities: list[Any] = field(default_factory=list)  # of separate disks, see `joined`
    trees: dict[str, dict[str, str]] = field(
        default_factory=dict
    )  # folder to what mergerfs says of it
    sizes: dict[str, int] = field(default_factory=dict)
    limits: dict[str, dict[str, int]] = field(default_factory=dict)  # as `Machine` has them
    machine: dict[str, Any] = field(default_factory=dict)
    looked_at: set[str] = field(default_factory=set)

    def store(self, maker: str, name: str) -> Store:
        """The store of that name, made when it is new."""
        return self.stores.setdefault((maker, name), Store(name, maker))


@dataclass(frozen=True)
class ListingReader:
    """A kind of listing: the command or file that gives it, how it looks, and what reads it.

    `looks_like` tells it from the text alone, where somebody pastes no more than that. `covers` are
    the kinds of things that it shows all of: what it does not show of them is not there.
    """

    id: str
    title: str
    read: Callable[[Listing, Notes], None]
    looks_like: Callable[[str], bool] | None = None
    covers: tuple[str, ...] = ()


def number(text: Any) -> int | None:
    """A whole number that is not negative, None for whatever else stands there."""
    try:
        value = int(text)
    except (TypeError, ValueError, OverflowError):
        return None
    return value if 0 <= value < 2**63 else None
