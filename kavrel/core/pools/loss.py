"""The repair of a layout and the odds of losing something, from its disks and conditions."""

from collections.abc import Sequence
from dataclasses import dataclass

from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families.family import Family
from kavrel.core.pools.odds import (
    Spares,
    either,
    hourly_rate,
    latent_error_odds,
    loss_odds,
    read_error_odds,
)
from kavrel.core.pools.passes import pass_hours
from kavrel.core.working import Working, step

HORIZON_YEARS = 5.0
Disks = Sequence[Sequence[DiskFacts]]


def redundancy_sets(family: Family, groups: Disks) -> list[list[DiskFacts]]:
    """The disks that outlive failures together."""
    if family.one_set:
        return [[d for g in groups for d in g]]
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


def repair_of(
    family: Family, groups: Disks, filesystem: str, conditions: Conditions, fill: float = 1.0
) -> Repair:
    """The slowest rebuild over the groups. ZFS and Btrfs copies rebuild what is used alone."""
    used_only = filesystem == "zfs" or family.copies > 0
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


def group_read_error(family: Family, group: Sequence[DiskFacts], conditions: Conditions) -> float:
    """Odds of an unreadable sector when a group rebuilds with nothing else left to help."""
    outlived = family.outlives(len(group))
    readers = 1 if family.one_copy_of or family.copies else len(group) - outlived
    used = min(d.capacity_bytes for d in group)
    if family.smallest_rules:
        read = readers * used
    else:
        # The largest of those that are read: the rest is read as far as it reaches.
        read = sum(sorted((d.capacity_bytes for d in group), reverse=True)[:readers])
    surprise = read_error_odds(read, min(d.bits_per_read_error for d in group))
    latent = latent_error_odds(readers, conditions.latent_errors_per_year, conditions.scrub_days)
    return either(surprise, latent)


@dataclass(frozen=True)
class Risk:
    """What the chain takes of one set of disks."""

    width: int
    outlives: int
    fail_per_hour: float
    repair_hours: float
    read_error: float
    spares: Spares | None

    def odds(self, years: float) -> float:
        """Probability of loss within so many years."""
        return loss_odds(
            self.width,
            self.outlives,
            self.fail_per_hour,
            self.repair_hours,
            self.read_error,
            years,
            self.spares,
        )


def spares_of(conditions: Conditions, hours: float) -> Spares | None:
    """The spares at hand: hot ones start by themselves, those on the shelf must be fitted."""
    order = conditions.notice_hours + conditions.replace_hours
    if conditions.hot_spares:
        restock = (
            conditions.notice_hours + conditions.fit_hours if conditions.shelf_spares else order
        )
        return Spares(conditions.hot_spares, hours, restock)
    if conditions.shelf_spares:
        fitted = conditions.notice_hours + conditions.fit_hours + hours
        return Spares(conditions.shelf_spares, fitted, order)
    return None


def risks(family: Family, groups: Disks, conditions: Conditions) -> list[Risk]:
    """The chain's figures for each set of disks."""
    found = []
    for group in redundancy_sets(family, groups):
        width = len(group)
        hours = rebuild_hours(family, group, conditions)[0] if family.outlives(width) else 0.0
        rate = sum(hourly_rate(d.yearly_failure_rate) for d in group) / width
        found.append(
            Risk(
                width,
                family.outlives(width),
                rate,
                conditions.notice_hours + conditions.replace_hours + hours,
                group_read_error(family, group, conditions),
                spares_of(conditions, hours),
            )
        )
    return found


def odds_of(found: Sequence[Risk], years: float) -> float:
    """Probability that any of the sets loses something."""
    kept = 1.0
    for risk in found:
        kept *= 1 - risk.odds(years)
    return 1 - kept


def loss(
    family: Family,
    groups: Disks,
    repair: Repair,
    conditions: Conditions,
    years: float = HORIZON_YEARS,
) -> tuple[float, Working]:
    """Odds of losing something within the horizon, with the working."""
    found = risks(family, groups, conditions)
    lost = odds_of(found, years)
    parts = []
    for number, risk in enumerate(found, 1):
        steps = [
            step("disks", risk.width),
            step("may die", risk.outlives),
            step(
                "failures of one disk",
                risk.fail_per_hour * 8766,
                "a year",
                assumption="hdd_failure_rate",
            ),
        ]
        if risk.outlives:
            steps.append(
                step(
                    "unreadable sector in the last rebuild",
                    risk.read_error,
                    "odds",
                    "1 - (1 - 1/bits per error)^bits read, or one gone bad since the last scrub",
                    step("bits per error", None, "", assumption="hdd_bits_per_read_error"),
                    step(
                        "sectors going bad, a disk",
                        conditions.latent_errors_per_year,
                        "a year",
                        assumption="latent_errors_per_year",
                    ),
                    step("scrub every", conditions.scrub_days, "days", assumption="scrub_days"),
                )
            )
        parts.append(step(f"group {number}", risk.odds(years), "odds", "Markov chain", *steps))
    hours = repair.rebuild_hours
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
    return lost, step(
        f"loses data within {years:.0f} years",
        lost,
        "odds",
        "1 - product over groups of (1 - odds)",
        *parts,
        step("window after a failure", window, "h", how, *steps, step("rebuild", hours, "h")),
        source="Markov chain after Patterson, Gibson and Katz 1988",
    )
