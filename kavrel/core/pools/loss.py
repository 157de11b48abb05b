"""The repair of a layout and the odds of losing it, from its disks and conditions."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families.family import Family
from kavrel.core.pools.odds import (
    Spares,
    either,
    ends,
    hourly_rate,
    latent_error_odds,
    read_error_odds,
)
from kavrel.core.pools.passes import pass_hours
from kavrel.core.quantities import YEAR_DAYS
from kavrel.core.working import Working, step

HORIZON_YEARS = 5.0
Disks = Sequence[Sequence[DiskFacts]]


def redundancy_sets(family: Family, groups: Disks) -> list[list[DiskFacts]]:
    """The disks that outlive failures together."""
    if family.one_set:
        return [[d for g in groups for d in g]]
    if family.sets:
        return [[g[n] for n in together] for g in groups for together in family.sets(len(g))]
    return [list(g) for g in groups]


@dataclass(frozen=True)
class Repair:
    """Hours of one rebuild, of a first parity sync, and what a rebuild goes over."""

    rebuild_hours: float | None
    sync_hours: float | None
    rebuilds: str
    working: Working


def used_on(family: Family, group: Sequence[DiskFacts], disk: DiskFacts) -> int:
    """Bytes of a disk that its group uses."""
    if not family.smallest_rules:
        return disk.capacity_bytes
    return min(d.capacity_bytes for d in group)


def rebuild_hours(
    family: Family, group: Sequence[DiskFacts], conditions: Conditions, fill: float = 1.0
) -> tuple[float, DiskFacts, int]:
    """Hours to rebuild the slowest disk of a group, that disk, and the bytes gone over.

    All other disks are read beside it, so the slowest sets the pace; a shingled disk takes the
    new data at a fraction of its speed. `fill` is the used share, where only that is rebuilt.
    """
    worst: tuple[float, DiskFacts, int] | None = None
    for disk in group:
        used = used_on(family, group, disk)
        inner = conditions.inner_share if disk.kind == "hdd" else 1.0
        hours = pass_hours(
            disk.capacity_bytes, disk.mb_per_s, inner, fill * used / disk.capacity_bytes
        )
        if disk.shingled:
            hours /= conditions.smr_write_share
        if worst is None or hours > worst[0]:
            worst = (hours, disk, int(used * fill))
    assert worst is not None
    return worst[0] / conditions.rebuild_speed_share, worst[1], worst[2]


def reads_used_alone(family: Family, filesystem: str) -> bool:
    """Whether a rebuild goes over the used space alone: ZFS and Btrfs copies know what is used."""
    system = FILESYSTEMS[filesystem]
    # Below it an array of another kind knows nothing of files.
    return system.scrubs_used and (system.whole_disks or family.copies > 0)


def repair_of(
    family: Family, groups: Disks, filesystem: str, conditions: Conditions, fill: float = 1.0
) -> Repair:
    """The slowest rebuild over the groups. ZFS and Btrfs copies rebuild what is used alone."""
    used_only = reads_used_alone(family, filesystem)
    sets = [g for g in redundancy_sets(family, groups) if family.outlives(len(g))]
    if not sets:
        nothing = step("rebuild", None, "h", "no redundancy: nothing to rebuild from")
        return Repair(None, None, "nothing", nothing)
    share = fill if used_only else 1.0
    hours, disk, used = max(
        (rebuild_hours(family, g, conditions, share) for g in sets), key=lambda x: x[0]
    )
    # ZFS and Btrfs have nothing to sync on empty disks; others go over everything once.
    sync = None if used_only else hours * conditions.rebuild_speed_share
    inputs = [
        step("bytes gone over", used, "bytes"),
        step(f"average speed of {disk.label}, the slowest", disk.mb_per_s, "MB/s"),
        step(
            "share of speed left",
            conditions.rebuild_speed_share,
            "of full speed",
            assumption="rebuild_speed_share",
        ),
    ]
    if disk.kind == "hdd":
        inputs.append(
            step(
                "speed inside against outside",
                conditions.inner_share,
                "of it",
                "speed falls from the outer to the inner tracks",
                assumption="hdd_inner_share",
            )
        )
    if disk.shingled:
        inputs.append(
            step(
                "of its speed with shingled tracks",
                conditions.smr_write_share,
                "of it",
                assumption="smr_write_share",
            )
        )
    return Repair(
        hours,
        sync,
        "used space" if used_only else "whole disk",
        step(
            "rebuild of one disk",
            hours,
            "h",
            "time to pass over the bytes at the slowest disk's speed / share left",
            *inputs,
        ),
    )


def _readers(family: Family, group: Sequence[DiskFacts]) -> list[DiskFacts]:
    """The disks of which a rebuild with nothing else left to help reads every sector that counts.

    The largest of them: the rest is read as far as it reaches.
    """
    outlived = family.outlives(len(group))
    count = 1 if family.one_copy_of or family.copies else len(group) - outlived
    return sorted(group, key=lambda d: -d.capacity_bytes)[:count]


def latent_error(family: Family, group: Sequence[DiskFacts], conditions: Conditions) -> float:
    """Odds that the last rebuild of a group meets a sector gone bad since it was last read.

    As scrubs see them; one in unused space damages nothing, so the fill counts.
    """
    kept = 1.0
    for disk in _readers(family, group):
        rate = disk.latent_errors_per_year * conditions.fill
        kept *= 1 - latent_error_odds(1, rate, conditions.scrub_days)
    return 1 - kept


def rated_error(family: Family, group: Sequence[DiskFacts], conditions: Conditions) -> float:
    """The same by the data sheet's rate: 1 - (1 - 1/bits per error)^bits read, or a latent one.

    A data sheet promises that it is no worse, so this is an upper bound.
    """
    readers = _readers(family, group)
    used = min(d.capacity_bytes for d in group)
    bytes_read = (
        len(readers) * used if family.smallest_rules else sum(d.capacity_bytes for d in readers)
    )
    rated = read_error_odds(
        int(bytes_read * conditions.fill), min(d.bits_per_read_error for d in group)
    )
    return either(rated, latent_error(family, group, conditions))


@dataclass(frozen=True)
class Risk:
    """What the chain takes of one set of disks.

    `latent` and `rated`: odds of an unreadable sector in the last rebuild, as scrubs see it and by
    the data sheet's upper bound. It costs the file that lies there, not the set: ZFS and Btrfs name
    the file; md notes the block in its list of bad blocks and goes on. `stirred`: parity over files does
    not know what changed since on another disk, and the last rebuild leaves out what lies beside it.
    """

    width: int
    outlives: int
    fail_per_hour: float
    repair_hours: float
    latent: float
    rated: float
    spares: Spares | None
    stirred: bool = False

    def odds(self, years: float) -> float:
        """Probability that a disk too many dies within so many years."""
        return self._ends(0.0, years)[0]

    def damage(self, years: float) -> float:
        """Probability that a file is damaged while rebuilding, by what scrubs see."""
        return self._ends(1.0 if self.stirred else self.latent, years)[1]

    def damage_at_most(self, years: float) -> float:
        """The same by the data sheet's rate."""
        return self._ends(1.0 if self.stirred else self.rated, years)[1]

    def _ends(self, read_error: float, years: float) -> tuple[float, float]:
        return ends(
            self.width,
            self.outlives,
            self.fail_per_hour,
            self.repair_hours,
            read_error,
            years,
            self.spares,
        )


def spares_of(conditions: Conditions, hours: float, others_per_hour: float = 0.0) -> Spares | None:
    """The spares at hand: hot ones start by themselves, those on the shelf must be fitted.

    `others_per_hour`: how often other groups of the pool take one. Other pools' turns count for
    the shelf alone.
    """
    order = conditions.notice_hours + conditions.replace_hours
    if conditions.hot_spares:
        restock = (
            conditions.notice_hours + conditions.fit_hours if conditions.shelf_spares else order
        )
        return Spares(conditions.hot_spares, hours, restock, others_per_hour)
    if conditions.shelf_spares:
        fitted = conditions.notice_hours + conditions.fit_hours + hours
        others = others_per_hour + conditions.others_per_hour
        return Spares(conditions.shelf_spares, fitted, order, others)
    return None


def failures_per_hour(disks: Sequence[DiskFacts]) -> float:
    """How many of these disks fail in an hour."""
    return sum(hourly_rate(d.yearly_failure_rate) for d in disks)


def risk_of(
    family: Family,
    group: Sequence[DiskFacts],
    filesystem: str,
    conditions: Conditions,
    others_per_hour: float = 0.0,
) -> Risk:
    """The chain's figures for one set; `others_per_hour`: failures of the sets beside it."""
    width = len(group)
    fill = conditions.fill if reads_used_alone(family, filesystem) else 1.0
    hours = rebuild_hours(family, group, conditions, fill)[0] if family.outlives(width) else 0.0
    return Risk(
        width,
        family.outlives(width),
        failures_per_hour(group) / width,
        conditions.notice_hours + conditions.replace_hours + hours,
        latent_error(family, group, conditions),
        rated_error(family, group, conditions),
        spares_of(conditions, hours, others_per_hour),
        # A single data disk has no other on which something changes.
        conditions.stirred and width - family.outlives(width) > 1,
    )


def risks(family: Family, groups: Disks, filesystem: str, conditions: Conditions) -> list[Risk]:
    """The chain's figures for each set of disks; spares are there once for all of them."""
    sets = redundancy_sets(family, groups)
    every = sum(failures_per_hour(s) for s in sets)
    return [risk_of(family, s, filesystem, conditions, every - failures_per_hour(s)) for s in sets]


def any_of(parts: Iterable[float]) -> float:
    """Probability of at least one of independent events."""
    kept = 1.0
    for part in parts:
        kept *= 1 - part
    return 1 - kept


def odds_of(ways: Iterable[Risk], years: float) -> float:
    """Probability that any of the sets is lost."""
    return any_of(r.odds(years) for r in ways)


def damage_of(ways: Iterable[Risk], years: float) -> float:
    """Probability that in any of the sets a file is damaged while rebuilding, as scrubs see it."""
    return any_of(r.damage(years) for r in ways)


def damage_at_most(ways: Iterable[Risk], years: float) -> float:
    """The same by the data sheets' rates."""
    return any_of(r.damage_at_most(years) for r in ways)


@dataclass(frozen=True)
class Loss:
    """Two things that can happen within the horizon, each with its working.

    `lost`: a disk too many takes the pool. `damaged`: a file is damaged while rebuilding, by the
    latent errors that scrubs see; `damaged_at_most` by the data sheets' rates.
    """

    lost: float
    damaged: float
    damaged_at_most: float
    lost_working: Working
    damaged_working: Working


def loss(
    family: Family,
    groups: Disks,
    filesystem: str,
    slowest_hours: float | None,
    conditions: Conditions,
    years: float = HORIZON_YEARS,
) -> Loss:
    """Odds of losing the pool, and of a damaged file, within the horizon.

    `slowest_hours` are what its working tells of the slowest rebuild; None without redundancy.
    """
    ways = risks(family, groups, filesystem, conditions)
    lost, damaged = odds_of(ways, years), damage_of(ways, years)
    most = damage_at_most(ways, years)
    sets = redundancy_sets(family, groups)
    parts = [
        step(
            f"group {number}",
            risk.odds(years),
            "odds",
            "Markov chain: a disk too many before the repair is over",
            step("disks", risk.width),
            step("may die", risk.outlives),
            step(
                "failures of one disk",
                risk.fail_per_hour * 8766,
                "a year",
                assumption=f"{_class(disks)}_failure_rate",
            ),
        )
        for number, (risk, disks) in enumerate(zip(ways, sets, strict=True), 1)
    ]
    return Loss(
        lost,
        damaged,
        most,
        step(
            f"the pool is lost within {years:.0f} years",
            lost,
            "odds",
            "1 - product over groups of (1 - odds)",
            *parts,
            _window(slowest_hours, ways, conditions),
            step(
                "a file damaged while rebuilding",
                damaged,
                "odds",
                "counted apart: an unreadable sector costs a file, not the pool",
            ),
            source="Markov chain after Patterson, Gibson and Katz 1988",
        ),
        _damage_working(ways, sets, conditions, damaged, most, years),
    )


def _class(disks: Sequence[DiskFacts]) -> str:
    return "hdd" if disks[0].kind == "hdd" else "ssd"


def _damage_working(
    ways: Sequence[Risk],
    sets: Sequence[Sequence[DiskFacts]],
    conditions: Conditions,
    damaged: float,
    most: float,
    years: float,
) -> Working:
    scrub = step("scrub every", conditions.scrub_days, "days", assumption="scrub_days")
    if not conditions.scrubbed:
        scrub = step("no job scrubs: found only when read", conditions.scrub_days, "days")
    parts = []
    for number, (risk, disks) in enumerate(zip(ways, sets, strict=True), 1):
        if risk.outlives:
            parts.append(_unreadable(number, risk, disks, conditions, scrub))
        if risk.stirred:
            parts.append(
                step(
                    f"group {number}: files changed or deleted since the parity",
                    1.0,
                    "odds",
                    "each takes old files of a dead disk with it, once no parity is left over",
                    source="snapraid(1), tried on snapraid 12.2",
                )
            )
    return step(
        f"a file is damaged while rebuilding, within {years:.0f} years",
        damaged,
        "odds",
        "Markov chain: the last rebuild without redundancy meets an unreadable sector"
        + (", or what changed since the parity" if any(r.stirred for r in ways) else ""),
        step("at most, by the data sheets' rates", most, "odds"),
        *parts,
        source="zpool-status(8) and Btrfs name the file; md 4.2 on Linux 6.1 notes the block in its "
        "list of bad blocks, finishes the rebuild and answers that block with an error (tried)",
    )


def _unreadable(
    number: int,
    risk: Risk,
    disks: Sequence[DiskFacts],
    conditions: Conditions,
    scrub: Working,
) -> Working:
    """The odds of one group to meet a bad sector in its last rebuild, by both ways of counting."""
    kind = _class(disks)
    latent = disks[0].latent_errors_per_year
    # What the data sheet's rate would come to if every scrub read the whole disk.
    sheet = max(8 * d.capacity_bytes / d.bits_per_read_error for d in disks)
    yearly = sheet * YEAR_DAYS / conditions.scrub_days
    return step(
        f"group {number}: unreadable sector in the last rebuild",
        risk.latent,
        "odds",
        "1 - exp(-disks read x rate x used share x half the time between scrubs)",
        step(
            "sectors going bad, a disk",
            latent,
            "a year",
            assumption="latent_errors_per_year" if kind == "hdd" else "ssd_latent_errors_per_year",
        ),
        scrub,
        step("used share", conditions.fill, "of it"),
        step(
            "at most, by the data sheet",
            risk.rated,
            "odds",
            "1 - (1 - 1/bits per error)^bits read",
            step(
                "bits per error",
                min(d.bits_per_read_error for d in disks),
                "bits",
                assumption=f"{kind}_bits_per_read_error",
            ),
            step(
                "errors that scrubs would then see on one disk",
                yearly,
                "a year",
                "8 x capacity / bits per error x scrubs a year",
            ),
            step(
                "against those that are seen",
                yearly / latent if latent else None,
                "times",
                "the data sheet's figure is a limit of its class, not a measurement",
                source="Gray and van Ingen 2005: some 5 errors in 2 PB read where the class "
                "allows 160; value from memory",
            ),
        ),
    )


def _window(hours: float | None, ways: Sequence[Risk], conditions: Conditions) -> Working:
    """Hours from a failure to the end of a rebuild of so many hours."""
    if conditions.hot_spares:
        window, how = hours or 0.0, "rebuild alone: a hot spare is there"
        steps = []
    elif conditions.shelf_spares:
        window = conditions.notice_hours + conditions.fit_hours + (hours or 0.0)
        how = "notice + fitting the spare from the shelf + rebuild"
        steps = [
            step("notice", conditions.notice_hours, "h", assumption="notice_hours"),
            step("fit the spare", conditions.fit_hours, "h", assumption="fit_disk_hours"),
        ]
    else:
        window = conditions.notice_hours + conditions.replace_hours + (hours or 0.0)
        how = "notice + replacement + rebuild"
        steps = [
            step("notice", conditions.notice_hours, "h", assumption="notice_hours"),
            conditions.replace_step or step("replacement", conditions.replace_hours, "h"),
        ]
    if any(r.spares and r.spares.others_per_hour for r in ways):
        steps.append(step("the spare is there once", None, "", "other groups take it as well"))
    return step("window after a failure", window, "h", how, *steps, step("rebuild", hours, "h"))
