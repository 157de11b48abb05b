"""The way back from a copy, and many of them at once: they share disks, LAN and links.

Those worth more go first: a dataset of a lesser worth gets what the others leave. Equals share
max-min fairly, as the jobs of the week do.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from kavrel.core.copies.book import Copy
from kavrel.core.copies.path import MB, Path, Place
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Scene, Step, Strike
from kavrel.core.week.sharing import Demand, fair_rates

WORTH_ORDER = {"irreplaceable": 0, "nuisance": 1, "fetch_again": 2}


@dataclass(frozen=True)
class WayBack:
    """Steps before the bytes move, the move itself, and the reading back after it.

    `path` and `size_bytes` are what the move's hours follow from.
    """

    before: tuple[Step, ...]
    transfer: Step | None
    demand: Demand | None
    after: tuple[Step, ...]
    path: Path | None = None
    size_bytes: float = 0.0
    left_out_share: float = 0.0

    @property
    def hours(self) -> float:
        """All of it, with nobody else on the way."""
        moving = (self.transfer,) if self.transfer else ()
        return sum((s.hours for s in (*self.before, *moving, *self.after)), 0.0)

    @property
    def ready_hours(self) -> float:
        """Until the bytes begin to move."""
        return sum(s.hours for s in self.before)


def size_text(count: float) -> str:
    """A size in words for a step: 0.9 TB, 40 GB, 3 MB."""
    for unit, scale in (("TB", 1e12), ("GB", 1e9), ("MB", 1e6)):
        if count >= scale:
            amount = count / scale
            return f"{amount:.1f} {unit}" if amount < 10 else f"{amount:.0f} {unit}"
    return f"{count:.0f} bytes"


def way_back(scene: Scene, dataset: Dataset, strike: Strike, copy: Copy) -> WayBack:
    """Steps from the copy to working data: prepare, carry or send, verify."""
    index, book = scene.index, scene.book
    known = index.assumptions
    home = Place(pool=dataset.pool)
    prepare = Step(
        f"find the point in {copy.job.name}",
        known["prepare_restore_hours"],
        "prepare_restore_hours",
        "fetch",
    )
    size = dataset.size_bytes * strike.share_of_data * (1 - copy.job.left_out_share)
    if copy.place.pool == dataset.pool:
        return WayBack((prepare,), None, None, ())
    away = copy.place.site(index) != index.site_of_pool(dataset.pool)
    name = copy.place.name(index)
    by_wire = book.between(copy.place, home)
    wire_hours = float("inf") if away and strike.no_link else by_wire.hours(size)
    carried = book.between(copy.place, home, by_hand=True)
    travel = known["travel_hours"]
    fetched = travel + carried.hours(size)
    before: tuple[Step, ...] = (prepare,)
    bucket = copy.place.bucket is not None
    if away and not bucket and (copy.place.disk or fetched < wire_hours):
        before = (prepare, Step(f"bring {_bring(scene, copy)}", travel, "travel_hours", "fetch"))
        way, text = carried, f"copy {size_text(size)} on the LAN"
        hours = carried.hours(size)
    else:
        way, text, hours = by_wire, f"copy {size_text(size)} from {name}", wire_hours
    check = size / (book.states[dataset.pool].layout.read_mb_per_s * MB) / 3600
    return WayBack(
        before,
        Step(text, hours, "", "transfer"),
        _demand(way, size, hours, dataset),
        (Step("read it back to verify", check, "", "verify"),),
        way,
        size,
        copy.job.left_out_share,
    )


def _bring(scene: Scene, copy: Copy) -> str:
    """What somebody has to carry over: the box, or the disk, and from where."""
    index, place = scene.index, copy.place
    host, site = place.host(index), place.site(index)
    what = index.hosts[host].name if place.pool and host else f"disk {place.name(index)}"
    return f"{what} from {index.sites[site].name}" if site else what


def _demand(way: Path, size: float, hours: float, dataset: Dataset) -> Demand | None:
    if hours == float("inf"):
        return None
    loads = tuple((r, size / (speed * MB)) for r, speed in way.loads)
    alone = max([hours * 3600, *(s for _, s in loads)])
    return Demand(loads, alone, WORTH_ORDER[dataset.worth])


def together(starts: Sequence[float], demands: Sequence[Demand]) -> list[float]:
    """Seconds at which each transfer ends when each begins at its start and all share the way."""
    ends = [0.0] * len(starts)
    left = dict.fromkeys(range(len(starts)), 1.0)
    now = min(starts, default=0.0)
    while left:
        running = [i for i in left if starts[i] <= now + 1e-6]
        rates = fair_rates([demands[i] for i in running], {})
        done = min(
            (left[i] / r for i, r in zip(running, rates, strict=True) if r > 0), default=None
        )
        ahead = min((starts[i] for i in left if i not in running), default=None)
        if done is None and ahead is None:
            raise AssertionError("a transfer that nobody holds up ends")
        at = min(now + done if done is not None else float("inf"), ahead or float("inf"))
        for i, rate in zip(running, rates, strict=True):
            left[i] -= rate * (at - now)
            if left[i] <= rate * 1e-3:
                ends[i] = at
                del left[i]
        now = at
    return ends
