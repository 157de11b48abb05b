"""Job kinds: what each declares, and how long each takes."""

from datetime import date
from typing import Any

import pytest

from kavrel.core.copies.ladder import ladder
from kavrel.core.copies.travel import bytes_a_month, travels
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Bucket, Job, LogEntry, Retention, Schedule
from tests.builders import GB, assume, book, daily, job, lab

FAR = {"target_pool": "second"}


def hours(kind: str, **more: Any) -> float:
    """Hours of a usual run in a lab with a fast link."""
    wire = lab().links[0].model_copy(update={"mbit_a_to_b": 10_000.0, "encrypted": False})
    fast = tuple(h.model_copy(update={"network_mbit": 10_000.0}) for h in lab().hosts)
    plan = lab(jobs=(job("x", kind=kind, **more),), links=(wire,), hosts=fast)
    found = book(plan).usual_run(plan.jobs[0]).value
    assert isinstance(found, float)
    return found


def test_all_kinds_say_what_they_do_and_do_not() -> None:
    assert len(KINDS) == 21
    for kind in KINDS.values():
        for text in (kind.does, kind.needs, kind.locks, kind.takes, kind.protects, kind.does_not):
            assert text
            assert not text.endswith(".")


def test_an_image_backup_reads_everything_and_a_replication_what_changed() -> None:
    # 1000 GB from two data disks at 185 MB/s: 45 minutes of reading for 2 GB of change.
    chunks = hours("image", chunk_store=True, **FAR)
    assert chunks == pytest.approx(1000e9 / 370e6 / 3600 + 20 / 3600, rel=0.01)
    assert hours("replication", **FAR) < 0.05
    # Whole archives: all of it travels, too.
    assert hours("image", **FAR) > chunks
    assert hours("dump", **FAR) == hours("image", **FAR)


def test_many_small_files_take_longer_to_look_at_than_few_large_ones() -> None:
    small = lab().datasets[0].model_copy(update={"file_bytes": 100_000})
    plan = lab(datasets=(small,), jobs=(job("x", kind="mirror", retention=Retention(), **FAR),))
    large = lab(jobs=plan.jobs)
    seconds, few = (book(p).scan_seconds(p.jobs[0]) for p in (plan, large))
    assert seconds == pytest.approx(40 * few)
    # 10 million files, a twentieth of an access each, at a mirror's two hundred reads a second
    # or a parity group's one hundred, whichever end is slower.
    assert 10e6 * 0.05 / 400 < seconds <= 10e6 * 0.05 / 100


def test_chores_take_their_own_time() -> None:
    on_main = {"datasets": (), "pool": "main", "retention": Retention()}
    assert hours("smart_short", **on_main) == pytest.approx(2 / 60)
    # 4 TB at 185 MB/s on average.
    assert hours("smart_long", **on_main) == pytest.approx(4e12 / 185e6 / 3600, rel=0.01)
    # ZFS reads only what is used: about an eighth of the pool.
    assert 0.5 < hours("scrub", **on_main) < 2
    assert hours("bin", retention=Retention()) < 0.01


def test_a_second_encryption_inside_the_tunnel_costs_once_more() -> None:
    plain, twice = (
        job("r", kind="replication", **FAR),
        job("t", kind="replication", wire_encrypted=True, **FAR),
    )
    plan = lab(jobs=(plain, twice))
    found = book(plan)
    assert found.way(twice).mb_per_s == pytest.approx(found.way(plain).mb_per_s * 0.9)
    assert travels(found, plain) == "encrypted in the tunnel"
    assert travels(found, twice) == "encrypted in the tunnel and by its own way (SSH, TLS)"


def test_a_month_carries_thirty_nights() -> None:
    plan = lab(jobs=(job("r", kind="replication", **FAR),))
    found = bytes_a_month(book(plan), plan.links[0])
    assert found == pytest.approx(30.44 * 2 * GB, rel=0.01)


def test_a_job_after_another_starts_when_that_one_ends() -> None:
    plan = lab(
        zone="UTC",
        jobs=(
            job("r", kind="replication", **FAR),
            job(
                "b",
                kind="backup",
                reads_from="r",
                after="r",
                target_pool="main",
                schedule=Schedule(kind="after"),
            ),
        ),
    )
    found = book(plan)
    run = found.run_seconds(plan.jobs[0], 1.0)
    first, second = (found.points(j)[-1] for j in plan.jobs)
    assert second.data_time == first.data_time  # what it reads is the night's, not the day before's
    assert second.available_at > first.available_at == pytest.approx(first.data_time + run)


def test_the_ladder_counts_disks_boxes_and_sites_once() -> None:
    tried = LogEntry(
        id="l", on=date(2026, 11, 1), kind="restore_test", about_kind="job", about="pull"
    )
    plan = lab(
        jobs=(
            job("snaps"),
            job("push", kind="replication", **FAR),
            job("pull", kind="backup", credentials="target", **FAR),
            job("box", kind="bucket", target_bucket="pail"),
        ),
        buckets=(
            Bucket(
                id="pail",
                name="pail",
                site="away",
                account="me",
                locked_days=30,
                locks_renewed=True,
            ),
        ),
        log=(tried,),
    )
    found = ladder(book(plan), "files")
    own, snaps, push, pull, pail = found.rungs
    assert own.job is None
    assert snaps.not_counted == "on the same disks as files"
    assert push.not_counted is None
    assert pull.not_counted == "on the same disks as push"
    assert pail.undeletable == "locked for 30 days"
    assert (found.copies, found.boxes, found.elsewhere) == (3, 3, 2)
    assert pull.tested_on == date(2026, 11, 1)
    assert found.lacks == ("a restore tried lately",)  # the one tried counts for nothing


def test_a_bare_dataset_lacks_everything_and_a_cache_nothing() -> None:
    assert ladder(book(lab()), "files").lacks[0] == "2 more to be three"
    cache = lab().datasets[0].model_copy(update={"throw_away": True})
    assert ladder(book(lab(datasets=(cache,))), "files").lacks == ()


def test_a_mirror_with_a_trash_can_brings_back_what_is_missed_in_time() -> None:
    mirror = job("m", kind="folder_mirror", retention=Retention(trash_days=7), **FAR)
    found = book(lab(zone="UTC", jobs=(mirror,)))
    soon, late = found.loss_after(mirror, 5.0), found.loss_after(mirror, 9.0)
    assert soon is not None
    assert soon < 2 * 86_400
    assert late == float("inf")


def test_a_first_copy_in_the_future_makes_no_point_before_it_ends() -> None:
    first = job(
        "r",
        kind="replication",
        first_copy="over_link",
        first_on=date(2026, 12, 1),
        schedule=daily("00:00"),
        **FAR,
    )
    plan = lab(zone="UTC", jobs=(first,), assumptions=assume(network_efficiency=1, tunnel_share=1))
    found = book(plan)
    # 1000 GB at 20 Mbit/s are 4.6 days from 1 December on; the nights between are skipped, as lab-job does.
    assert [len(found.points_on(first, date(2026, 12, d))) for d in (1, 4, 5, 6)] == [0, 0, 1, 2]


@pytest.mark.parametrize("kind", ["restore_test", "config", "bin", "scrub"])
def test_a_chore_is_no_copy(kind: str) -> None:
    assert not KINDS[kind].copies
    chore = Job.model_validate(
        {
            "id": "c",
            "name": "c",
            "kind": kind,
            "datasets": ("files",) if kind == "bin" else (),
            "pool": "main" if kind == "scrub" else None,
            "host": "box" if kind == "config" else None,
            "target_pool": "second" if kind == "config" else None,
            "reads_from": "r" if kind == "restore_test" else None,
            "schedule": {"kind": "daily"},
        }
    )
    plan = lab(jobs=(job("r", kind="replication", **FAR), chore))
    assert [c.job.id for c in book(plan).copies["files"]] == ["r"]
