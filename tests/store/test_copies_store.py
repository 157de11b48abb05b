"""Jobs, caps, buckets and signed risks through the tables and the plan file, every field of them."""

import json
from datetime import date

from kavrel.core.edit import put, put_settings
from kavrel.core.plan import AcceptedRisk, Bucket, Cap, Job, Link, Plan, Retention, Schedule
from kavrel.formats import plan_file
from kavrel.store.database import Database
from kavrel.store.plans import Plans
from tests.builders import GB, TODAY, job, lab
from tests.conftest import NOW


def full() -> Plan:
    """A plan in which no new field has its default."""
    every = Job(
        id="every",
        name="every field",
        kind="backup",
        datasets=("files",),
        reads_from="far",
        after="far",
        target_pool="main",
        schedule=Schedule(kind="after"),
        retention=Retention(
            all_days=1,
            last=2,
            hourly=3,
            daily=4,
            weekly=5,
            monthly=6,
            yearly=7,
            hold_until=date(2027, 1, 1),
            counting="each",
            of_period="first",
        ),
        encrypted=True,
        key_kept_at=("away", "home"),
        credentials="everyday",
        limit_mbit=7.5,
        wire_encrypted=True,
        resumable=False,
        first_copy="carried",
        first_on=date(2026, 12, 1),
        window_from="01:00",
        window_to="05:00",
        fixed=True,
        alarm_days=2.5,
        left_out=(".cache/", "*.part"),
        left_out_share=0.1,
    )
    timed = Schedule(
        kind="hourly",
        every=2,
        at="00:30",
        only_from="22:00",
        only_to="06:00",
        zone="Asia/Tokyo",
        start=date(2026, 1, 1),
        until=date(2027, 1, 1),
    )
    nth = Schedule(kind="monthly", every=3, nth=-1, weekdays=(4,), at="03:00")
    files = (
        lab()
        .datasets[0]
        .model_copy(
            update={"deleted_bytes_per_day": GB, "repeat_share": 0.25, "file_bytes": 12_345}
        )
    )
    return lab(
        datasets=(files,),
        links=(
            Link(
                id="wire",
                a="home",
                b="away",
                mbit_a_to_b=20.0,
                mbit_b_to_a=100.0,
                encrypted=False,
                relayed=True,
                allowance_bytes_per_month=500 * GB,
            ),
        ),
        caps=(Cap(id="c1", link="wire", from_at="22:00", to_at="06:00", mbit=3.5),),
        buckets=(
            Bucket(
                id="pail", name="pail", site="away", account="me", locked_days=30, price_minor=599
            ),
        ),
        jobs=(
            job("far", kind="replication", target_pool="second", schedule=timed),
            every,
            Job(id="scrub", name="scrub", kind="scrub", pool="main", schedule=nth),
            Job(
                id="config",
                name="config",
                kind="config",
                host="box",
                target_pool="second",
                schedule=nth,
                retention=Retention(last=3),
            ),
            job("pails", kind="bucket", target_bucket="pail"),
            job(
                "can", kind="folder_mirror", target_pool="second", retention=Retention(trash_days=9)
            ),
        ),
        accepted=(
            AcceptedRisk(
                id="r1",
                dataset="files",
                hazard="fire+key_lost",
                reason="nobody lives for ever",
                on=TODAY,
                who="Ana",
                basis="0123456789abcdef",
            ),
        ),
    )


def test_every_field_comes_back_from_the_tables(plans: Plans, database: Database) -> None:
    plan = full()
    key = plans.create(plan, "made")
    # Another reader of the same database remembers nothing: it has the tables alone.
    assert Plans(database, lambda: NOW).head(key)[1] == plan
    # An edit elsewhere leaves them as they are, and undo brings the first state back.
    plans.change(key, 1, None, lambda p: (put_settings(p, name="other"), "renamed"))
    renamed = plan.model_copy(update={"name": "other"})
    assert Plans(database, lambda: NOW).head(key)[1] == renamed
    plans.move(key, 2, "undo")
    assert plans.head(key)[1] == plan


def test_a_signature_is_changed_and_taken_back(plans: Plans) -> None:
    key = plans.create(full(), "made")
    signed = full().accepted[0].model_copy(update={"reason": "we talked about it"})
    plans.change(key, 1, ("accepted", "r1"), lambda p: (put(p, "accepted", signed), "signed"))
    assert plans.head(key)[1].accepted == (signed,)


def test_every_field_comes_back_from_the_plan_file() -> None:
    plan = full()
    assert plan_file.load(plan_file.dump(plan).encode()) == plan


def test_a_file_from_before_these_fields_is_read_with_their_defaults() -> None:
    old = json.loads(
        plan_file.dump(lab(jobs=(job("far", kind="replication", target_pool="second"),)))
    )
    for gone in ("caps", "buckets", "accepted"):
        del old["plan"][gone]
    for field in ("pool", "host", "after", "first_copy", "alarm_days", "window_from", "fixed"):
        del old["plan"]["jobs"][0][field]
    del old["plan"]["links"][0]["relayed"]
    del old["plan"]["datasets"][0]["file_bytes"]
    found = plan_file.load(json.dumps(old).encode())
    assert found.jobs[0].first_copy == "done"
    assert found.datasets[0].file_bytes == 4_000_000
