import pytest

from kavrel.core.plan import Account, Dataset, Grant, Job, Pool, Retention, Schedule, Share
from tests.builders import GB, assume, cell, daily, dataset, disk, job, lab, result

FAR = {"kind": "replication", "target_pool": "second", "credentials": "target"}


def test_one_disk_of_a_redundant_pool_changes_nothing() -> None:
    found = cell(lab(), "one_disk")
    assert (found.fate, found.rpo_seconds, found.rto_seconds) == ("runs_on", 0.0, 0.0)


def test_a_second_disk_takes_raidz1_and_the_replica_brings_it_back() -> None:
    found = cell(lab(jobs=(job("r", **FAR),)), "second_disk")
    assert found.fate == "restored"
    assert found.copy_job == "r"
    assert "order and fit a disk" in [s.text for s in found.steps]


def test_one_disk_of_a_single_disk_pool_loses_snapshots_with_it() -> None:
    alone = Pool(
        id="main", name="main", host="box", family="single", filesystem="zfs", groups=(("box1",),)
    )
    plan = lab(pools=(alone, lab().pools[1]), jobs=(job("s"),))
    found = cell(plan, "one_disk")
    assert found.fate == "lost"
    assert found.rpo_seconds is None
    assert "itself" in found.copies[0].why


def test_a_spare_on_the_shelf_saves_the_wait_for_the_post() -> None:
    alone = Pool(
        id="main", name="main", host="box", family="single", filesystem="zfs", groups=(("box1",),)
    )
    with_spare = lab(pools=(alone, lab().pools[1]), jobs=(job("r", **FAR),))
    used = [d for d in with_spare.disks if d.id in ("box1", "far1", "far2")]
    without = lab(disks=tuple(used), pools=(alone, lab().pools[1]), jobs=(job("r", **FAR),))
    fast, slow = cell(with_spare, "one_disk"), cell(without, "one_disk")
    assert fast.rto_seconds is not None
    assert slow.rto_seconds is not None
    assert slow.rto_seconds - fast.rto_seconds == pytest.approx(47.5 * 3600)


def test_box_lost_takes_copies_in_the_same_box() -> None:
    more = lab(
        disks=(*lab().disks, disk(4), disk(5)),
        pools=(
            *lab().pools,
            Pool(
                id="third",
                name="third",
                host="box",
                family="mirror",
                filesystem="zfs",
                groups=(("box4", "box5"),),
            ),
        ),
        jobs=(job("near", kind="replication", target_pool="third"),),
    )
    assert cell(more, "box_lost").fate == "lost"
    assert cell(more, "second_disk").fate == "restored"


def test_rpo_is_the_age_of_the_newest_point_at_worst() -> None:
    plan = lab(jobs=(job("r", **FAR),), zone="UTC")
    seconds = 20 + 2e9 * 8 / (20e6 * 0.88 * 0.96)
    assert cell(plan, "box_lost").rpo_seconds == pytest.approx(86_400 + seconds)


def test_the_freshest_surviving_copy_is_used() -> None:
    weekly = Schedule(kind="weekly", weekdays=(6,))
    plan = lab(
        jobs=(
            job("old", kind="backup", target_pool="second", schedule=weekly),
            job("new", **FAR),
        )
    )
    assert cell(plan, "box_lost").copy_job == "new"


def test_the_box_is_brought_when_that_is_quicker_than_the_wire() -> None:
    # 1000 GB at 100 Mbit/s x 0.88 takes 25 h; fetching the box takes 3 h and the LAN 2.5 h.
    texts = [s.text for s in cell(lab(jobs=(job("r", **FAR),)), "fire").steps]
    assert "bring far from away" in texts
    small = lab(
        datasets=(lab().datasets[0].model_copy(update={"size_bytes": 10 * GB}),),
        jobs=(job("r", **FAR),),
    )
    texts = [s.text for s in cell(small, "fire").steps]
    assert texts  # it does come back, over the wire
    assert not [t for t in texts if t.startswith("bring ")]


def test_time_to_be_back_is_the_sum_of_its_steps() -> None:
    found = cell(lab(jobs=(job("r", **FAR),)), "fire")
    assert found.rto_seconds == pytest.approx(sum(s.hours for s in found.steps) * 3600)
    known = {s.assumption: s.hours for s in found.steps if s.assumption}
    assert known["order_box_hours"] == 72
    assert known["travel_hours"] == 3


@pytest.mark.parametrize(
    ("kept", "days", "fate"),
    [
        (Retention(all_days=40), 30, "restored"),
        (Retention(all_days=20), 30, "lost"),
        (Retention(last=1), 1, "lost"),
        (Retention(daily=7, monthly=4), 30, "restored"),
        # Deleted on 31 January before that night's run, missed on 2 March: of the months only
        # January is kept, and December, the last with the file, has gone.
        (Retention(daily=7, monthly=1), 30, "lost"),
    ],
)
def test_deleted_and_missed_late(kept: Retention, days: float, fate: str) -> None:
    plan = lab(jobs=(job("s", retention=kept),), assumptions=assume(deleted_notice_days=days))
    assert cell(plan, "deleted").fate == fate


def test_monthly_points_bring_back_less_recent_work() -> None:
    plan = lab(jobs=(job("s", retention=Retention(daily=7, monthly=4)),))
    lost = cell(plan, "deleted").rpo_seconds
    assert lost is not None
    assert 29 * 86_400 <= lost <= 32 * 86_400


def test_malware_strikes_only_what_an_everyday_account_can_write() -> None:
    jobs = (job("s"),)
    assert cell(lab(jobs=jobs), "malware").fate == "restored"
    reader = Grant(id="g1", share="share", account="ana", right="read")
    assert cell(lab(jobs=jobs, grants=(reader,)), "malware").fate == "runs_on"
    machine = Account(id="ana", login="ana", full_name="A machine", role="machine")
    other = lab().accounts[1]
    assert cell(lab(jobs=jobs, accounts=(machine, other)), "malware").fate == "runs_on"


def test_malware_reaches_through_a_guest_share() -> None:
    plan = lab(
        jobs=(job("s"),),
        accounts=(),
        groups=(),
        grants=(),
        shares=(Share(id="share", name="x", dataset="files", guest="write"),),
    )
    assert cell(plan, "malware").fate == "restored"


def test_malware_with_the_credentials_deletes_the_copy() -> None:
    held = job("r", kind="replication", target_pool="second", credentials="everyday")
    assert cell(lab(jobs=(held,)), "malware").fate == "lost"
    assert cell(lab(jobs=(job("r", **FAR),)), "malware").fate == "restored"


def test_malware_travels_into_a_mirror_before_it_is_seen() -> None:
    mirror = job("r", retention=Retention(last=1), **FAR)
    assert cell(lab(jobs=(mirror,)), "malware").fate == "lost"


def test_fire_takes_the_shelf_disk_on_the_same_site() -> None:
    shelf = job("x", kind="shelf", target_disk="loose9", retention=Retention(last=1))
    assert cell(lab(jobs=(shelf,)), "fire").fate == "lost"
    moved = (*lab().disks[:-1], disk(9, None).model_copy(update={"shelf": "away"}))
    assert cell(lab(disks=moved, jobs=(shelf,)), "fire").fate == "restored"


@pytest.mark.parametrize(
    ("kept_at", "fate"), [((), "lost"), (("home",), "lost"), (("home", "away"), "restored")]
)
def test_fire_takes_the_key_that_is_kept_with_the_box(kept_at: tuple[str, ...], fate: str) -> None:
    locked = job("b", kind="backup", target_pool="second", encrypted=True, key_kept_at=kept_at)
    assert cell(lab(jobs=(locked,)), "fire").fate == fate


def test_data_that_can_be_fetched_again_is_not_called_lost() -> None:
    again = Dataset(id="files", name="files", pool="main", size_bytes=GB, worth="fetch_again")
    assert cell(lab(datasets=(again,)), "fire").fate == "fetch_again"


def test_silence_exposes_what_has_no_other_fresh_copy() -> None:
    only = cell(lab(jobs=(job("r", **FAR),), zone="UTC"), "offsite_silent")
    assert only.fate == "exposed"
    assert only.rpo_seconds is not None
    assert only.rpo_seconds > 21 * 86_400
    shelf = job("x", kind="shelf", target_disk="loose9", retention=Retention(last=1))
    assert cell(lab(jobs=(job("r", **FAR), shelf)), "offsite_silent").fate == "runs_on"
    assert "none of its copies" in cell(lab(), "offsite_silent").why


def test_restores_to_one_box_wait_for_those_worth_more() -> None:
    cheap = Dataset(id="cheap", name="cheap", pool="main", size_bytes=500 * GB)
    both = lab(
        datasets=(cheap, lab().datasets[0]),
        jobs=(job("r", datasets=("files", "cheap"), **FAR),),
    )
    assert "wait for files" in [s.text for s in cell(both, "fire", "cheap").steps]
    assert not any(s.text.startswith("after") for s in cell(both, "fire").steps)


def test_the_strip_names_the_worst_cell_and_counts_what_is_lost() -> None:
    found = result(lab(jobs=(job("r", **FAR),)))
    restored = [c for c in found.proof if c.fate == "restored"]
    assert found.strip.worst_rpo_seconds == max(c.rpo_seconds or 0 for c in restored)
    assert found.strip.worst_rto_seconds == max(c.rto_seconds or 0 for c in restored)
    assert found.strip.lost_for_good == sum(c.fate == "lost" for c in found.proof)
    assert found.strip.rpo.working.inputs[0].inputs


def test_every_dataset_meets_every_hazard_once() -> None:
    found = result(lab(jobs=(job("r", schedule=daily(), **FAR),)))
    seen = [(c.dataset, c.hazard) for c in found.proof]
    assert len(seen) == len(set(seen)) == len(found.hazards)


def test_more_copies_never_lose_more() -> None:
    alone = lab(jobs=(job("r", **FAR),))
    more = lab(jobs=(job("r", **FAR), job("s"), job("b", kind="backup", target_pool="second")))
    for hazard in ("second_disk", "box_lost", "deleted", "malware", "fire"):
        before, after = cell(alone, hazard), cell(more, hazard)
        if before.rpo_seconds is not None:
            assert after.rpo_seconds is not None
            # The backup runs beside the replica, which then takes up to twice as long.
            run = 2e9 * 8 / (20e6 * 0.88 * 0.96)
            assert after.rpo_seconds <= before.rpo_seconds + 1.1 * run


def test_a_run_under_way_when_the_damage_is_done_does_not_count() -> None:
    """2 GB at 2.2 MB/s and 20 s to start: 929 s in which rsync reads what malware writes.

    A snapshot is whole whenever it arrives. Common practice, no source; 25 h: the clocks go back.
    """
    live = cell(lab(jobs=(job("far", kind="backup", target_pool="second"),)), "malware")
    frozen = cell(lab(jobs=(job("far", kind="replication", target_pool="second"),)), "malware")
    assert frozen.rpo_seconds == 25 * 3600
    assert live.rpo_seconds is not None
    assert live.rpo_seconds > frozen.rpo_seconds + 900


def test_what_all_send_after_malware_holds_up_a_snapshot_too() -> None:
    """300 GB over 2.2 MB/s are 38 h; beside a backup that then has all of it to send up to 76 h.

    Malware is noticed after 48 h: what was under way then may not be there.
    """
    big = dataset(size_bytes=400 * GB, change_bytes_per_day=75 * GB)
    slow = job("far", schedule=daily(every=4), **FAR)
    files = job("m", kind="backup", target_pool="second", schedule=daily("05:00"))

    def lost(*jobs: Job) -> float:
        found = cell(lab(datasets=(big,), jobs=jobs), "malware")
        (told,) = [c.loses_seconds for c in found.copies if c.job == "far"]
        return told or float("inf")

    assert lost(slow) == pytest.approx(4 * 24 * 3600 + 3600)
    assert lost(slow, files) > lost(slow) + 38 * 3600
