"""The finder: every sensible layout of a set of disks, without those that another one beats.

Enumerated are all families, all their file systems that do what is asked, one group over every
run of disks in order of size, and several equal groups over runs that skip disks only where the
size changes (a group of like disks strands least; an exchange of disks between groups never
helps), one group a size, and groups that differ by one disk in width. With a budget every set of
disks that it pays for is looked at whole, kind by kind, up to so many sets. Disks that are left out
serve as hot spares, on the shelf, or as a mirror for virtual machines. Of disks alike in size the
worn ones are left out first; disks of one batch are dealt over the groups. Spinning and flash disks
are never put into one group.
"""

import math
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import accumulate, chain
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, field_validator

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import FilesystemId
from kavrel.core.pools import room
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.families.family import Family
from kavrel.core.pools.lay_out import lay_out, title
from kavrel.core.pools.layout import Layout
from kavrel.core.pools.loss import HORIZON_YEARS, Risk, failures_per_hour, risk_of
from kavrel.core.pools.options import grouped
from kavrel.core.pools.survival import outlives
from kavrel.core.progress import Tell, nobody
from kavrel.core.quantities import Bytes, Flag, Money, size_words, whole
from kavrel.core.working import Working, step

MOST_DISKS = 24
MOST_MIRRORED = 4  # more copies than that of the same are only ever made by mistake
MOST_SETS = 6_000  # sets of disks that are looked at for a budget
Workload = Literal["files", "machines", "archive"]
# How finely small accesses and the rebuild count, in steps to a doubling; None: not at all.
STEPS: dict[Workload, tuple[float | None, float | None, float | None]] = {
    "files": (None, 0.5, None),
    "machines": (0.5, 2.0, 0.5),
    "archive": (None, None, 0.5),
}


def searched() -> list[str]:
    """The file systems that layouts are looked for with: those that can do most first."""
    systems = [f for f in FILESYSTEMS.values() if not (f.bare or f.foreign)]
    return [f.id for f in sorted(systems, key=lambda f: -(f.repairs + f.checksums + f.snapshots))]


class Wish(BaseModel):
    """What is asked of a layout. `bays` and `budget_minor` None: no limit."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    survive: Annotated[int, whole(0, 23)] = 1
    usable_bytes: Bytes = 0
    budget_minor: Money | None = None
    bays: Annotated[int, whole(1, 60)] | None = None
    workload: Workload = "files"  # machines live on small accesses, an archive hardly has any
    over_time: Flag = False  # may be bought a disk at a time
    snapshots: Flag = False
    checksums: Flag = False
    replication: Flag = False  # the hypervisor's own, which needs ZFS
    filesystem: FilesystemId | None = None

    @field_validator("filesystem")
    @classmethod
    def _looked_for(cls, value: str | None) -> str | None:
        if value is not None and FILESYSTEMS[value].foreign:
            raise ValueError(
                f"{FILESYSTEMS[value].title}: its own system makes it, there is nothing to find"
            )
        return value


class Proposal(BaseModel):
    """One layout that nothing beats, with the roles of the disks it leaves out, and why."""

    model_config = ConfigDict(frozen=True)

    layout: Layout
    hot_spares: tuple[str, ...]
    shelf: tuple[str, ...]
    vm_mirror: tuple[str, ...]
    sentence: str
    notes: tuple[str, ...]
    working: Working


class Miss(BaseModel):
    """A target that cannot be had together with the others, and the nearest that can.

    `alone`: not even with this one given up can the others be had; the nearest is for it alone.
    """

    model_config = ConfigDict(frozen=True)

    target: str
    wanted: str
    nearest: str | None
    nearest_value: float | None
    alone: bool = False


class Beside(BaseModel):
    """What flash disks could do beside a pool of spinning ones."""

    model_config = ConfigDict(frozen=True)

    role: str  # "vms", "tier", or of a ZFS pool "special", "log" or "cache"
    layout: Layout
    sentence: str


class Found(BaseModel):
    """The finder's answer: survivors first by room, and how many were weighed.

    `not_searched`: what was left out because there are too many sets of disks, empty otherwise.
    """

    model_config = ConfigDict(frozen=True)

    proposals: tuple[Proposal, ...]
    beside: tuple[Beside, ...]
    misses: tuple[Miss, ...]
    weighed: int
    fitting: int
    beaten: int
    not_searched: str = ""


@dataclass(frozen=True)
class Candidate:
    """One layout in numbers alone. `groups` are positions in the finder's order of disks."""

    family: Family
    filesystem: str
    groups: tuple[tuple[int, ...], ...]
    spare: int | None
    usable: int
    survives: int
    odds: float
    cost: int
    write_iops: float
    read_iops: float
    rebuild_hours: float

    @property
    def disks(self) -> list[int]:
        """Positions of all member disks."""
        return [d for g in self.groups for d in g]


def find(
    disks: Sequence[DiskFacts], wish: Wish, conditions: Conditions, tell: Tell = nobody
) -> Found:
    """The layouts of these disks that meet the wish and that nothing beats.

    `tell` hears how far it is after each family; it may raise to stop. Raises ValueError beyond 24
    disks.
    """
    if not 1 <= len(disks) <= MOST_DISKS:
        raise ValueError(f"from 1 to {MOST_DISKS} disks, not {len(disks)}")
    spinning = [d for d in disks if d.kind == "hdd"]
    flash = [d for d in disks if d.kind != "hdd"]
    main = spinning or flash
    finder = _Finder(main, wish, conditions)
    weighed: list[Candidate] = []
    for number, family in enumerate(FAMILIES.values(), 1):
        weighed += [] if family.card else finder.candidates(family)
        tell(number / len(FAMILIES), f"{len(weighed):,} layouts weighed")
    return finder.found(weighed, flash if spinning else [])


class _Finder:
    """Disks in order of size, and the group figures that were worked out once."""

    def __init__(self, disks: Sequence[DiskFacts], wish: Wish, conditions: Conditions) -> None:
        # Largest first; of one size the fresh and fast before the worn, which are left out first.
        self.disks = sorted(
            disks,
            key=lambda d: (-d.capacity_bytes, d.worn, d.shingled, d.age_years, d.wear, d.label),
        )
        self.wish = wish
        self.conditions = conditions
        self.sizes = [d.capacity_bytes for d in self.disks]
        # Where a new size begins, and the end.
        self.edges = [
            n for n, size in enumerate(self.sizes) if n == 0 or size != self.sizes[n - 1]
        ] + [len(self.sizes)]
        alike: dict[tuple[object, ...], int] = {}
        # Disks of one kind count as the same for odds and room.
        self.kind_of = [
            alike.setdefault(
                (
                    d.capacity_bytes,
                    d.mb_per_s,
                    d.yearly_failure_rate,
                    d.bits_per_read_error,
                    d.shingled,
                ),
                len(alike),
            )
            for d in self.disks
        ]
        self._risk: dict[tuple[object, ...], Risk] = {}
        self.not_searched = ""
        self.sets = self._affordable() if wish.budget_minor is not None else []

    def _affordable(self) -> list[tuple[int, ...]]:
        """Every set of disks that the budget pays for: of disks alike at one price, the first ones."""
        budget = self.wish.budget_minor or 0
        alike: dict[tuple[int, int], list[int]] = defaultdict(list)
        for n, disk in enumerate(self.disks):
            alike[self.kind_of[n], disk.price_minor].append(n)
        sets: list[tuple[int, tuple[int, ...]]] = [(0, ())]
        for members in alike.values():
            price = self.disks[members[0]].price_minor
            sets = [
                (spent + price * count, (*taken, *members[:count]))
                for spent, taken in sets
                for count in range(len(members) + 1)
                if spent + price * count <= budget
            ]
            if len(sets) > MOST_SETS:
                self.not_searched = (
                    f"{len(alike)} kinds of disk at their prices make over {MOST_SETS:,} sets: of those "
                    "that leave out disks of a size in between, none was weighed"
                )
                return []
        return [tuple(sorted(taken)) for _, taken in sets if taken]

    def candidates(self, family: Family) -> Iterator[Candidate]:
        """All sensible layouts of a family, in numbers."""
        systems = self._filesystems(family)
        if not systems:
            return
        seen: set[tuple[object, ...]] = set()
        whole = (g for chosen in self.sets for g in self._over(family, chosen))
        for groups in chain(self._groupings(family), whole):
            signature: tuple[object, ...] = tuple(
                sorted(tuple(sorted(self.sizes[d] for d in g)) for g in groups)
            )
            if self.sets:  # the same sizes for less money are another layout
                signature = (signature, sum(self.disks[d].price_minor for g in groups for d in g))
            if signature in seen:
                continue
            seen.add(signature)
            yield from self._weigh(family, groups, systems)

    def _filesystems(self, family: Family) -> list[str]:
        wish = self.wish
        if wish.filesystem:
            return [wish.filesystem] if wish.filesystem in family.filesystems else []
        return [f for f in searched() if f in family.filesystems]

    def _groupings(self, family: Family) -> Iterator[tuple[tuple[int, ...], ...]]:
        count = len(self.disks)
        widest = MOST_MIRRORED if family.one_copy_of else count
        for width in range(1, min(widest, count) + 1):
            single = [g for g in family.groupings(width) if len(g) == 1 or family.one_set]
            for widths in single:
                for start in range(count - width + 1):
                    if self._cuts_a_size(start):
                        continue
                    run = tuple(range(start, start + width))
                    if family.one_set:
                        # The largest disks are the parity.
                        yield (run[widths[1] :], run[: widths[1]])
                    else:
                        yield (run,)
        for width in self._group_widths(family):
            yield from self._runs(width, 0, ())
        if family.mixed_widths:
            by_size = [tuple(range(a, b)) for a, b in zip(self.edges, self.edges[1:], strict=False)]
            fitting = tuple(g for g in by_size if len(g) >= (family.mixed_widths or 0))
            if len(fitting) > 1 and len({len(g) for g in fitting}) > 1:
                yield fitting
            yield from self._over(family, tuple(range(count)))

    def _over(
        self, family: Family, chosen: tuple[int, ...]
    ) -> Iterator[tuple[tuple[int, ...], ...]]:
        """The groups of a family over all of these disks, largest first."""
        if family.one_copy_of and len(chosen) > MOST_MIRRORED and family.mixed_widths is None:
            groupings = [g for g in family.groupings(len(chosen)) if len(g) > 1]
        else:
            groupings = list(family.groupings(len(chosen)))
        for widths in groupings:
            if family.one_set:
                yield (chosen[widths[1] :], chosen[: widths[1]])
                continue
            yield _split(chosen, widths)
        if family.mixed_widths:
            for parts in range(2, len(chosen) // family.mixed_widths + 1):
                small, more = divmod(len(chosen), parts)
                if more and small >= family.mixed_widths:
                    yield _split(chosen, (small + 1,) * more + (small,) * (parts - more))

    def _cuts_a_size(self, start: int) -> bool:
        """Whether a run from here leaves out fresher disks of its own size."""
        return start not in self.edges

    def _group_widths(self, family: Family) -> list[int]:
        """Widths of which several equal groups go."""
        count = len(self.disks)
        return sorted(
            {
                widths[0]
                for n in range(2, count + 1)
                for widths in family.groupings(n)
                if len(widths) > 1 and not family.one_set
            }
        )

    def _runs(
        self, width: int, start: int, taken: tuple[tuple[int, ...], ...]
    ) -> Iterator[tuple[tuple[int, ...], ...]]:
        """Two or more groups of a width, one behind the other, skipping only to a new size.

        Between two groups fewer disks are skipped than would make another group.
        """
        if len(taken) > 1:
            yield taken
        most = start + width if taken else len(self.sizes)
        ends = [start, *(e for e in self.edges if start < e < most)]
        for begin in ends:
            if begin + width <= len(self.sizes):
                group = tuple(range(begin, begin + width))
                yield from self._runs(width, begin + width, (*taken, group))

    def _weigh(
        self, family: Family, groups: tuple[tuple[int, ...], ...], systems: Sequence[str]
    ) -> Iterator[Candidate]:
        sizes = tuple(tuple(self.sizes[d] for d in g) for g in groups)
        if family.complaint(sizes):
            return
        members = {d for g in groups for d in g}
        left = [n for n in range(len(self.disks)) if n not in members]
        need = family.spare_bytes(sizes)
        survives = outlives(family, [len(g) for g in groups])
        fitting = [n for n in left if self.sizes[n] >= need]
        spare_choices: list[int | None] = [None]
        if survives and fitting:
            spare_choices.append(min(fitting, key=lambda n: (self.disks[n].worn, self.sizes[n])))
        cost = sum(self.disks[d].price_minor for d in members)
        sets = [tuple(members)] if family.one_set else list(groups)
        paces = [family.pace(len(g)) for g in sets]
        least = min(self.disks[d].iops for d in members)
        writes = sum(p.random_write for p in paces) * least
        reads = sum(p.random_read for p in paces) * least
        rates = [failures_per_hour([self.disks[d] for d in g]) for g in sets]
        for spare in spare_choices:
            kept, longest = 1.0, 0.0
            for group, rate in zip(sets, rates, strict=True):
                others = sum(rates) - rate
                for risk in self._risks_of(family, group, spare is not None, bool(fitting), others):
                    kept *= 1 - risk.odds(HORIZON_YEARS)
                    longest = max(longest, risk.repair_hours)
            extra = self.disks[spare].price_minor if spare is not None else 0
            for filesystem in systems:
                yield Candidate(
                    family,
                    filesystem,
                    groups,
                    spare,
                    room.usable_bytes(
                        family.id,
                        sizes,
                        filesystem,
                        self.conditions.ashift,
                        self.conditions.record_bytes,
                    ),
                    survives,
                    1 - kept,
                    cost + extra,
                    writes,
                    reads,
                    longest,
                )

    def _risks_of(
        self, family: Family, group: Sequence[int], hot: bool, shelf: bool, others: float
    ) -> list[Risk]:
        together = family.sets(len(group)) if family.sets else [tuple(range(len(group)))]
        return [
            self._risk_of(family, [group[n] for n in each], hot, shelf, others) for each in together
        ]

    def _risk_of(
        self, family: Family, group: Sequence[int], hot: bool, shelf: bool, others: float
    ) -> Risk:
        kinds = tuple(sorted(self.kind_of[d] for d in group))
        key = (family.id, kinds, hot, shelf, round(others * 1e12))
        risk = self._risk.get(key)
        if risk is None:
            conditions = replace(
                self.conditions,
                hot_spares=1 if hot else 0,
                shelf_spares=1 if shelf and not hot else 0,
            )
            # Nothing is stored yet: every file system counts as full, and rebuilds all of it.
            disks = [self.disks[d] for d in group]
            risk = risk_of(family, disks, "none", replace(conditions, fill=1.0), others)
            self._risk[key] = risk
        return risk

    # --- choosing ---------------------------------------------------------------------------

    def found(self, weighed: Sequence[Candidate], flash: Sequence[DiskFacts]) -> Found:
        """What meets the wish and is beaten by nothing, explained."""
        targets = self._targets()
        fitting = [c for c in weighed if all(ok(c) for ok in targets.values())]
        kept = undominated(fitting, self.wish.workload)
        kept.sort(key=lambda c: (-c.usable, c.odds))
        proposals = tuple(self._proposal(c, kept) for c in kept)
        return Found(
            proposals=proposals,
            beside=tuple(self._beside(flash)),
            misses=tuple(self._misses(weighed, targets)) if not fitting else (),
            weighed=len(weighed),
            fitting=len(fitting),
            beaten=len(fitting) - len(kept),
            not_searched=self.not_searched,
        )

    def _targets(self) -> dict[str, "_Target"]:
        wish = self.wish
        targets: dict[str, _Target] = {
            "survive": _Target(lambda c: c.survives, wish.survive),
            "usable": _Target(lambda c: c.usable, wish.usable_bytes),
        }
        if wish.budget_minor is not None:
            targets["budget"] = _Target(lambda c: -c.cost, -wish.budget_minor)
        if wish.bays is not None:
            targets["bays"] = _Target(lambda c: -len(c.disks) - (c.spare is not None), -wish.bays)
        if wish.over_time:
            targets["over time"] = _Target(lambda c: float(c.family.grows_by == "disk"), 1)
        if wish.snapshots:
            targets["snapshots"] = _Target(lambda c: float(FILESYSTEMS[c.filesystem].snapshots), 1)
        if wish.checksums:
            targets["checksums"] = _Target(lambda c: float(FILESYSTEMS[c.filesystem].checksums), 1)
        if wish.replication:
            targets["replication"] = _Target(
                lambda c: float(FILESYSTEMS[c.filesystem].guest_replication), 1
            )
        return targets

    def _misses(self, weighed: Sequence[Candidate], targets: dict[str, "_Target"]) -> list[Miss]:
        """The targets that cannot be had, each with the nearest that can when the others hold.

        Where every one could be had alone, none is to blame: all are named.
        """
        short = []
        for name, target in targets.items():
            others = [t for n, t in targets.items() if n != name]
            able = [c for c in weighed if all(ok(c) for ok in others)]
            best = max((target.value(c) for c in able or weighed), default=None)
            had = best is not None and best >= target.least
            miss = Miss(
                target=name,
                wanted=_say(name, target.least),
                nearest=None if best is None else _say(name, best),
                nearest_value=None if best is None else abs(best),
                alone=not able,
            )
            short.append((had, miss))
        return [m for had, m in short if not had] or [m for _, m in short]

    def _members(self, candidate: Candidate) -> list[list[DiskFacts]]:
        """The disks themselves; those of one size dealt so that batches are spread."""
        widths = [len(g) for g in candidate.groups]
        chosen = [self.disks[d] for d in candidate.disks]
        return grouped(chosen, widths, candidate.family.parity_last)

    def _proposal(self, candidate: Candidate, kept: Sequence[Candidate]) -> Proposal:
        family = candidate.family
        groups = self._members(candidate)
        members = {d.id for g in groups for d in g}
        spare = self.disks[candidate.spare] if candidate.spare is not None else None
        left = [d for d in self.disks if d.id not in members and d is not spare]
        need = family.spare_bytes([[d.capacity_bytes for d in g] for g in groups])
        could_serve = any(d.capacity_bytes >= need for d in left)
        pair = _pair(left)
        layout = lay_out(
            family.id,
            groups,
            candidate.filesystem,
            replace(
                self.conditions,
                hot_spares=1 if spare else 0,
                shelf_spares=1 if could_serve and not spare else 0,
            ),
        )
        return Proposal(
            layout=layout,
            hot_spares=(spare.id,) if spare else (),
            shelf=tuple(d.id for d in left),
            vm_mirror=tuple(d.id for d in pair),
            sentence=_sentence(candidate, kept),
            notes=tuple(_notes(layout, groups, left)),
            working=step(
                "why this one is kept",
                len(kept),
                "layouts not beaten",
                "no other has as much room, survives as many, has odds as low, "
                "grows as freely and does as much for the data",
                step("usable", layout.usable_bytes, "bytes"),
                step("outlives any", layout.survives_any, "disks"),
                layout.odds_working,
                step("price of its disks", candidate.cost, "money"),
            ),
        )

    def _beside(self, flash: Sequence[DiskFacts]) -> Iterator[Beside]:
        by_size: dict[int, list[DiskFacts]] = defaultdict(list)
        for disk in flash:
            by_size[disk.capacity_bytes].append(disk)
        for _, alike in sorted(by_size.items(), reverse=True):
            family = "mirror" if len(alike) > 1 else "single"
            layout = lay_out(family, [alike[:2]], "zfs", self.conditions)
            safe = "both hold it until the mover has run" if len(alike) > 1 else "on one disk alone"
            yield Beside(
                role="vms",
                layout=layout,
                sentence="A pool of its own for virtual machines: small random writes run at "
                f"{layout.speeds.write_iops:,.0f} IOPS, and a scrub of the large pool leaves it alone.",
            )
            yield Beside(
                role="tier",
                layout=layout,
                sentence="A fast tier in front: new files land here first and are only as safe as it "
                f"is ({safe}).",
            )
            yield from _helpers(layout, alike, sum(self.sizes), self.conditions)


# Metadata of a pool of ordinary files, of its data; and the seconds that a log has to hold.
METADATA_SHARE, LOG_SECONDS = (
    0.003,
    10.0,
)  # values from memory; 5 s a transaction group, two of them
CACHE_HEADER_BYTES = 96  # of memory for every record in the read cache; value from memory


def _helpers(
    layout: Layout, alike: Sequence[DiskFacts], spinning: int, conditions: Conditions
) -> Iterator[Beside]:
    """What flash disks do inside a ZFS pool of spinning ones, and what their loss takes.

    Source: zpoolconcepts(7), special allocation class, separate intent log, cache devices.
    """
    size, pair = alike[0].capacity_bytes, len(alike) > 1
    needed = spinning * METADATA_SHARE
    enough = "enough" if size > needed else "too little"
    bare = "" if pair else " One alone must not be: its loss is the pool's."
    yield Beside(
        role="special",
        layout=layout,
        sentence=f"A special device: metadata, about {needed / 1e9:,.0f} GB for these disks ({enough}), and "
        "small files if so set. Listings, scrubs and looking at every file get many times quicker. Its loss "
        f"takes the pool: it must outlive as many disks as the pool does.{bare}",
    )
    log = LOG_SECONDS * 1000 / 8 * 1e6  # a gigabit line at full rate
    yield Beside(
        role="log",
        layout=layout,
        sentence=f"A log device: {log / 1e9:,.1f} GB are all it uses behind a gigabit port. It helps what asks "
        "for synchronous writes (NFS, databases, virtual machines) and nothing else; its loss costs the last "
        "seconds only if power fails at that moment. It takes a disk that keeps its word after a power cut.",
    )
    headers = size / conditions.record_bytes * CACHE_HEADER_BYTES
    yield Beside(
        role="cache",
        layout=layout,
        sentence="A read cache: helps where the same data, more than memory holds, is read again and again; "
        f"filled, it takes {headers / 2**30:,.2f} GiB of memory for its list. More memory helps first. Its "
        "loss takes nothing.",
    )


@dataclass(frozen=True)
class _Target:
    """A figure of a candidate that must reach the least."""

    value: Callable[[Candidate], float]
    least: float

    def __call__(self, candidate: Candidate) -> bool:
        return self.value(candidate) >= self.least


def _say(name: str, value: float) -> str:
    match name:
        case "survive":
            return f"any {value:.0f} disks"
        case "usable":
            return f"{value / 1e12:.2f} TB"
        case "bays":
            return f"{-value:.0f} bays"
        case "budget":
            return f"{-value:.0f} minor units"
    return "yes" if value else "no"


def _abilities(filesystem: str) -> int:
    """What a file system can do beside holding files: snapshots, checksums, the hypervisor's copies."""
    system = FILESYSTEMS[filesystem]
    return system.snapshots + system.checksums + system.guest_replication


def _split(chosen: tuple[int, ...], widths: Sequence[int]) -> tuple[tuple[int, ...], ...]:
    """The disks in order, into groups of these widths."""
    ends = list(accumulate(widths))
    return tuple(chosen[e - w : e] for e, w in zip(ends, widths, strict=True))


def _unit(c: Candidate) -> int:
    """How small a step it grows by: a disk, a pair, a larger group, or all of them."""
    if c.family.grows_by == "disk":
        return 3
    if c.family.grows_by == "replace":
        return 0
    return 2 if max(len(g) for g in c.groups) <= 2 else 1


def _steps(value: float, to_a_doubling: float | None) -> float:
    """A figure in steps, so that what hardly differs is no reason to keep a layout."""
    return round(math.log2(max(value, 1e-3)) * to_a_doubling) if to_a_doubling else 0.0


def _counts(c: Candidate, workload: Workload) -> tuple[float, ...]:
    """What is weighed, more being better. Odds count in steps of a quarter.

    Small accesses, the rebuild and the unit of growth weigh by the workload. The disks are there and
    paid for: money counts as a target (budget), not in the weighing.
    """
    read, write, rebuild = STEPS[workload]
    digits = round(-math.log10(max(c.odds, 1e-15)), 1)
    return (
        c.usable,
        c.survives,
        digits,
        _abilities(c.filesystem),
        _unit(c),
        c.family.remains != "nothing",
        _steps(c.write_iops, write),
        _steps(c.read_iops, read),
        -_steps(c.rebuild_hours, rebuild) if c.survives else -math.inf,
    )


def undominated(candidates: Sequence[Candidate], workload: Workload = "files") -> list[Candidate]:
    """Those that no other beats: as good on every count, and better on one."""
    ordered = sorted(
        ((_counts(c, workload), c) for c in candidates), key=lambda x: x[0], reverse=True
    )
    kept: list[tuple[tuple[float, ...], Candidate]] = []
    for counts, candidate in ordered:
        # Everything that could beat this one comes before it.
        if not any(all(a >= b for a, b in zip(k, counts, strict=True)) for k, _ in kept):
            kept.append((counts, candidate))
    return [c for _, c in kept]


def _pair(left: Sequence[DiskFacts]) -> list[DiskFacts]:
    """Two sound disks of one size among those left out: a mirror for virtual machines."""
    sound = [d for d in left if not d.worn]
    sizes = Counter(d.capacity_bytes for d in sound)
    best = max((s for s, n in sizes.items() if n > 1), default=None)
    return [d for d in sound if d.capacity_bytes == best][:2]


def _name(c: Candidate) -> str:
    return title(c.family, [len(g) for g in c.groups])


def _sentence(c: Candidate, kept: Sequence[Candidate]) -> str:
    """Why a survivor is worth a look, from what it is best at."""
    peers = [k for k in kept if k.survives >= c.survives]
    tb = c.usable / 1e12
    most = max(peers, key=lambda k: k.usable)
    if most is c:
        rest = [k.usable for k in peers if k is not c]
        margin = f", {tb - max(rest) / 1e12:.2f} TB more than the next" if rest else ""
        what = f"outlives any {c.survives}" if c.survives else "these disks can be"
        return f"The most room of all that {what}{margin}."
    if min(kept, key=lambda k: k.odds) is c:
        return (
            f"The lowest odds of all, {c.odds:.2g} in five years, for {most.usable / 1e12 - tb:.2f} TB "
            f"less than {_name(most)}."
        )
    reasons = []
    if c.odds < most.odds / 1.5:
        reasons.append(f"{most.odds / max(c.odds, 1e-15):.3g} times lower odds")
    if c.cost < most.cost:
        count = len(most.disks) - len(c.disks)
        if count > 0:
            reasons.append(f"{count} {'disk' if count == 1 else 'disks'} fewer")
    if _abilities(c.filesystem) > _abilities(most.filesystem):
        reasons.append(f"what {c.filesystem} does for the data")
    if c.family.grows_by == "disk" and most.family.grows_by != "disk":
        reasons.append("growth a disk at a time")
    if c.family.remains != "nothing" and most.family.remains == "nothing":
        reasons.append("the other disks' files kept beyond its redundancy")
    if c.write_iops > 1.5 * most.write_iops:
        reasons.append(f"{c.write_iops / max(most.write_iops, 0.1):.1f} times the small writes")
    if c.survives > most.survives:
        reasons.append(f"any {c.survives} lost instead of {most.survives}")
    gives = " and ".join(reasons) or "another balance of odds, money and speed"
    return f"For {most.usable / 1e12 - tb:.2f} TB less than {_name(most)}: {gives}."


def _notes(
    layout: Layout, groups: Sequence[Sequence[DiskFacts]], left: Sequence[DiskFacts]
) -> Iterator[str]:
    """What a person of the trade would add about the disks in their roles."""
    disks = [d for g in groups for d in g]
    paces = sorted(disks, key=lambda d: d.mb_per_s)
    if paces[0].mb_per_s < paces[-1].mb_per_s:
        yield f"{paces[0].label} is the slowest at {paces[0].mb_per_s:.0f} MB/s and sets the pace."
    worn = [d.label for d in disks if d.worn]
    if worn:
        yield f"{', '.join(worn)}: refurbished or worn, and better on the shelf."
    shelf = [d.label for d in left if d.worn]
    if shelf:
        yield f"{', '.join(shelf)} stays out first: refurbished or worn, fine as a shelf copy."
    if layout.survives_any:
        for number, group in enumerate(groups, 1):
            batches = Counter(d.batch for d in group if d.batch)
            for batch, count in batches.items():
                if count > layout.survives_any:
                    yield (
                        f"Group {number} has {count} disks of batch {batch}, more than it outlives: "
                        "they fail together more often than chance."
                    )
        if any(d.shingled for d in disks):
            yield "Shingled disks in a redundant group make rebuilds several times longer."
        if len({d.sector for d in disks} & {"4kn"}) and len({d.sector for d in disks}) > 1:
            yield "4Kn and 512-byte disks in one group: create it for 4 KiB sectors (ashift 12)."
    if layout.stranded_bytes:
        yield f"{size_words(layout.stranded_bytes)} of it stays stranded."
