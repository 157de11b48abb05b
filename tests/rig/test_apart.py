"""Disks with a file system each, in the rig: what the sheet has typed, what jobs do, what parity gives.

That parity gives no more is tried on snapraid itself in tests/outside/test_parity_over_files.py, and the
same lines are typed on a real kernel in tests/outside/test_pools_for_real.py.
"""

from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.paper.disk_dies import disks_that_die
from kavrel.core.plan import Plan, Retention
from kavrel.core.typed import commands
from kavrel.rig import apart
from kavrel.rig.box import Box, Store
from kavrel.rig.days import Days
from kavrel.rig.drilling import Drilling, DrillStep
from kavrel.rig.drills import DRILLS
from kavrel.rig.hands import Ended
from kavrel.rig.live import rig
from kavrel.rig.restoring import piped
from kavrel.rig.tools.spread import parts
from tests.builders import GB, dataset, disk, job, lab
from tests.rig.comparing import BEGAN, compare
from tests.rig.labs import spread
from tests.seeds import some

DAY = 86_400.0


def plan_of(family: str, *shape: int, tier: int = 0, change: int = 0, **more: object) -> Plan:
    """A pool of such a layout, each disk with its serial, and a mirror and a tool's copy elsewhere."""
    ids = [f"box{n}" for n in range(1, sum(shape) + tier + 1)]
    groups, left = [], list(ids)
    for width in shape:
        groups.append(tuple(left[:width]))
        left = left[width:]
    disks = [disk(n, "box", serial=f"SN-{n}") for n in range(1, len(ids) + 1)]
    pool = lab().pools[0].model_copy(
        update={"family": family, "filesystem": "ext4", "groups": tuple(groups), "tier": tuple(left)}
        | {"tier_mirrored": False, **more}
    )  # fmt: skip
    return lab(
        disks=(*disks, *(d for d in lab().disks if d.host != "box")),
        pools=(pool, lab().pools[1].model_copy(update={"filesystem": "ext4"})),
        datasets=(
            dataset(size_bytes=300 * GB, change_bytes_per_day=change, deleted_bytes_per_day=0),
        ),
        jobs=(
            job("m", "mirror", target_pool="second", retention=Retention()),
            job("b", "backup", target_pool="second"),
        ),
    )


@contextmanager
def lived_in(plan: Plan, many: float) -> Iterator[tuple[Days, Box, Store]]:
    with rig(plan, BEGAN) as days:
        days.until(days.lab.now + many * DAY)
        box = days.lab.boxes["box"]
        yield days, box, box.stores["main"]


def dies(days: Days, disk_: str) -> str:
    """A disk dies; the serial of the one that was bought for it."""
    days.lab.drives[disk_].alive = False
    days.lab.changed()
    apart.struck(days.lab)
    return days.lab.bought(disk_, days.lab.boxes["box"]).disk.serial


def on_paper(plan: Plan, label: str) -> list[str]:
    """What the sheet has typed for one disk, in order; jobs and placeholders of folders left out."""
    (section,) = [
        s
        for s in disks_that_die(Index(plan), evaluate(plan, BEGAN.date()))
        if s.title.endswith("pool main")
    ]
    own = next(f.how for f in section.facts if f.text.startswith(f"{label}:"))
    lines: list[str] = []
    for step in section.steps:
        if step.text.startswith("if it is one of the parity"):
            continue  # else its jobs refuse, see below
        made = step.text.startswith("make the new disk")
        lines += [c for how in (own if made else (step.text,)) for c in commands(how)]
    return [
        x for x in lines if "FOLDER" not in x and not x.startswith(("grep", "lsblk", "sh setup"))
    ]


def typed(days: Days, box: Box, store: Store, lines: list[str], new: str, number: int) -> None:
    uuid = parts(box, store)[number - 1][1]
    for line in lines:
        said: Ended
        if line.startswith("lab-job "):
            said = days.hands["box"].run(*line.split()[1:])
        else:
            read = line.replace("UUID ", f"{uuid} ").replace("NEW", f"/dev/disk/by-id/ata-{new}")
            done = piped(box, read)
            said = Ended(done.code, done.out.decode(), done.err)
        assert said.code == 0, (line, said.err)


@pytest.mark.parametrize("number", [1, 3])
def test_a_dead_data_disk_is_reckoned_back_by_what_the_sheet_has_typed(number: int) -> None:
    plan = plan_of("parity1", 3, 1)
    with lived_in(plan, 3.5) as (days, box, store):
        before = dict(days.lab.data_of("files").files)
        on_it = {
            n
            for n, f in before.items()
            if n != ".worked-until"
            and apart.disk_of(store, (days.lab.data_of("files").name, n), f) == number - 1
        }
        new = dies(days, f"box{number}")
        assert days.lab.health(store.pool) == "DEGRADED"
        assert on_it
        assert not on_it & set(days.lab.data_of("files").files)
        lines = on_paper(plan, f"box {number}")
        assert [x.split()[0] for x in lines].count("snapraid") == 2
        typed(days, box, store, lines, new, number)
        assert days.lab.health(store.pool) == "ONLINE"
        after = days.lab.data_of("files").files
        assert {n for n in on_it if after.get(n) is before[n]} == on_it
        assert "upkeep-parity-main" not in box.disabled
        assert store.spread.synced == days.lab.moment


def test_what_changed_since_on_another_disk_is_said_and_stays_away() -> None:
    plan = plan_of("parity1", 3, 1, change=4 * GB)
    with lived_in(plan, 3.9) as (days, box, store):
        new = dies(days, "box1")
        uuid = parts(box, store)[0][1]
        assert (
            "nothing is mounted there"
            in piped(box, "snapraid -c /etc/snapraid-main.conf -d d1 fix").err
        )
        assert "missing" in piped(box, "snapraid -c /etc/snapraid-main.conf sync").err
        assert piped(box, f"mkfs.ext4 -q -U {uuid} {new}").code == 0
        assert piped(box, "mount /srv/main-disk1").code == 0
        said = piped(box, "snapraid -c /etc/snapraid-main.conf -d d1 -l /root/fix.log fix")
        assert said.code == 1
        assert "UNRECOVERABLE errors" in said.err
        assert piped(box, "snapraid -c /etc/snapraid-main.conf -d d1 -a check").code == 1


def test_jobs_wait_while_a_disk_is_away_and_a_dead_parity_keeps_none_waiting() -> None:
    """A mirror of what is left would delete the rest at the far end; so would a tool's night after night."""
    plan = plan_of("parity1", 3, 1)
    with lived_in(plan, 2.5) as (days, box, _):
        kept = dict(days.lab.boxes["far"].find("/srv/second/m/files")[0].files)
        assert days.hands["box"].run("m").code == 0
        dies(days, "box4")  # of the parity
        assert days.hands["box"].run("m").code == 0
        assert days.hands["box"].run("b").code == 0
        assert days.hands["box"].run("upkeep-parity-main").code == 1
        dies(days, "box2")
        for name in ("m", "b"):
            said = days.hands["box"].run(name)
            assert said.code == 1
            assert "nothing is mounted at /srv/main-disk2: refused" in said.err
        assert len(days.lab.boxes["far"].find("/srv/second/m/files")[0].files) == len(kept)
        assert box.up


def test_the_mover_takes_on_what_is_on_the_tier_and_what_it_had_not_dies_with_it() -> None:
    plan = plan_of("raid5", 3, tier=1, change=4 * GB)
    with lived_in(plan, 2.9) as (days, _, store):
        since = store.spread.moved
        assert 0 < days.lab.now - since < DAY
        before = dict(days.lab.data_of("files").files)
        dies(days, "box4")
        after = days.lab.data_of("files").files
        gone = [before[n] for n in before if after.get(n) is not before[n] and n != ".worked-until"]
        assert gone
        assert min(f.mtime for f in gone) >= since - 3600
        assert days.lab.health(store.pool) == "ONLINE"
        assert "nothing is mounted at /srv/main-fast" in days.hands["box"].run("m").err


def test_a_cable_that_is_plugged_in_again_brings_its_files() -> None:
    with lived_in(plan_of("union", 3), 2.5) as (days, _, store):
        before = dict(days.lab.data_of("files").files)
        dies(days, "box2")
        assert set(days.lab.data_of("files").files) < set(before)
        days.lab.drives["box2"].alive = True
        days.lab.changed()
        apart.returned(days.lab, "box2")
        assert days.lab.data_of("files").files == before
        assert store.spread.away == {}


def test_where_two_disks_die_only_what_lay_beside_nothing_is_reckoned_back() -> None:
    with lived_in(plan_of("parity1", 2, 1, change=4 * GB), 2.5) as (days, _, store):
        before = dict(days.lab.data_of("files").files)
        known = dict(store.spread.known)
        dies(days, "box1")
        dies(days, "box2")
        assert days.lab.health(store.pool) == "LOST"
        apart.mended(days.lab, "main")
        assert days.lab.health(store.pool) == "ONLINE"
        back = set(days.lab.data_of("files").files) - {".worked-until"}
        assert len(back) < len(before) / 10
        spans = {n: (k.disk, k.start, k.start + k.file.size) for (_, n), k in known.items()}
        for name in back:
            disk_, low, high = spans[name]
            beside = [s for s in spans.values() if s[0] != disk_ and s[1] < high and low < s[2]]
            assert beside == [], name


def test_every_drill_can_be_played_where_each_disk_has_its_own_files() -> None:
    plan = plan_of("parity1", 3, 1)
    with lived_in(plan, 5) as (days, _, _):
        drilling = Drilling(days)
        for drill in DRILLS:
            played = drilling.play(drill, 3, [DrillStep("far", "lsblk")], (), True)
            assert played.sees, drill.id
            assert drilling.told(drill, 3).truth or drill.late or drill.quiet, drill.id


def fares(seed: int, moments: int) -> None:
    """With both hazards that strike single disks among what was tried."""
    tried = {c.hazard for c in compare(spread(seed), moments)}
    assert {"one_disk", "second_disk"} <= tried


def test_a_lab_of_separate_disks_fares_as_its_proof_says() -> None:
    fares(6008, 3)


@pytest.mark.prove
@pytest.mark.parametrize("seed", some([*range(6000, 6008), *range(6009, 6024)]))
def test_many_labs_of_separate_disks_fare_so_too(seed: int) -> None:
    fares(seed, 4)
