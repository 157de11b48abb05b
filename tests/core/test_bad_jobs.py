"""Bad input of Copies, Week and Proof: each refused at its field, in the trade's words."""

import json
from typing import Any

import pytest
from pydantic import ValidationError

from kavrel.core.consistency import problems
from kavrel.core.edit import EditError, StillUsed, put, remove
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import (
    AcceptedRisk,
    Bucket,
    Cap,
    Export,
    Job,
    Plan,
    Pool,
    Retention,
    Schedule,
    Window,
)
from kavrel.formats.lab_jobs import lab_jobs
from tests.builders import TODAY, daily, disk, job, lab, result

FAR = {"kind": "replication", "target_pool": "second"}


def complaint(plan: Plan, **fields: Any) -> dict[str, str]:
    """What is said of each field when a job is put into the plan."""
    base = {
        "id": "bad",
        "name": "bad",
        "kind": "snapshot",
        "datasets": ("files",),
        "schedule": daily(),
        "retention": Retention(daily=3),
    }
    with pytest.raises(EditError) as error:
        put(plan, "jobs", Job.model_validate({**base, **fields}))
    return {p.field: p.message for p in error.value.problems}


@pytest.mark.parametrize(
    ("fields", "field", "words"),
    [
        ({"kind": "replication", "target_pool": "main"}, "target_pool", "inside its own source"),
        (
            {"kind": "mirror", "target_pool": "main", "retention": Retention()},
            "target_pool",
            "already is",
        ),
        ({"retention": Retention()}, "retention", "keeps nothing"),
        (
            {"kind": "backup", "target_pool": "second", "retention": Retention()},
            "retention",
            "keeps nothing",
        ),
        (
            {"kind": "mirror", "target_pool": "second", "retention": Retention(daily=7)},
            "retention",
            "for versions take a backup",
        ),
        ({"retention": Retention(daily=3, trash_days=7)}, "retention.trash_days", "no trash can"),
        (
            {"kind": "sync", "target_pool": "second", "retention": Retention(daily=7)},
            "retention",
            "only the newest state and its trash can",
        ),
        (
            {
                "kind": "sync",
                "target_pool": "second",
                "schedule": Schedule(kind="minutes", every=5),
                "retention": Retention(trash_days=90),
            },
            "retention.trash_days",
            "at most 60 days",
        ),
        (
            {"schedule": Schedule(kind="minutes", every=5)},
            "schedule.kind",
            "by the hour at most",
        ),
        (
            {
                "kind": "sync",
                "target_pool": "second",
                "retention": Retention(trash_days=7),
                "schedule": Schedule(kind="minutes", every=7),
            },
            "schedule.every",
            "5, 10, 15 or 30",
        ),
        (
            {"kind": "backup", "target_pool": "second", "retention": Retention(thin=9)},
            "retention.thin",
            "nothing thins",
        ),
        (
            {"retention": Retention(daily=3, windows=(Window(every="daily", days=30),))},
            "retention.daily",
            "stand alone",
        ),
        (
            {
                "retention": Retention(
                    windows=(Window(every="daily", days=30), Window(every="weekly", days=30))
                )
            },
            "retention.windows",
            "further back",
        ),
        (
            {
                "retention": Retention(
                    windows=(Window(every="weekly", days=30), Window(every="daily", days=60))
                )
            },
            "retention.windows",
            "coarser",
        ),
        (
            {"kind": "replication", "target_pool": "second", "encrypted": True},
            "encrypted",
            "it would be sent plain",
        ),
        (
            {"schedule": Schedule(kind="after"), "after": "old", "catch_up": True},
            "catch_up",
            "no time of its own",
        ),
        (
            {"kind": "restart", "datasets": (), "host": None},
            "host",
            "needs a host",
        ),
        (
            {
                "kind": "mirror",
                "target_pool": "second",
                "retention": Retention(),
                "lands_as": "ana",
            },
            "lands_as",
            "Name the export first",
        ),
        ({"window_from": "02:00"}, "window_to", "give both"),
        ({"window_from": "02:00", "window_to": "02:00"}, "window_to", "no run fits"),
        ({"schedule": Schedule(kind="after")}, "after", "after which job"),
        ({"after": "old"}, "schedule.kind", "after another job"),
        ({"kind": "bucket", "retention": Retention(daily=3)}, "target_bucket", "needs a bucket"),
        ({"kind": "scrub", "datasets": ()}, "pool", "needs a pool"),
        ({"kind": "scrub", "pool": "main"}, "datasets", "as a whole"),
        ({"kind": "mover", "datasets": (), "pool": "main"}, "pool", "no fast tier"),
        ({"kind": "config", "datasets": (), "target_pool": "second"}, "host", "needs a host"),
        (
            {"kind": "config", "datasets": (), "host": "far", "target_pool": "second"},
            "target_pool",
            "another box",
        ),
        ({"kind": "restore_test", "datasets": ()}, "reads_from", "needs a copy"),
        ({"datasets": ()}, "datasets", "at least one"),
        ({"pool": "main"}, "pool", "does not work on a pool"),
        ({"first_copy": "over_link"}, "first_copy", "copies nothing"),
        ({"left_out": ("*.part",)}, "left_out", "a dataset of its own"),
        (
            {"kind": "backup", "target_pool": "second", "left_out_share": 0.1},
            "left_out",
            "Name their patterns",
        ),
        ({"reads_from": "old"}, "reads_from", "of the dataset itself"),
        (
            {"schedule": Schedule(kind="monthly", every=12, day=31, start="2026-02-01")},
            "schedule.day",
            "never fires",
        ),
    ],
)
def test_a_job_is_refused_at_its_field(fields: dict[str, Any], field: str, words: str) -> None:
    found = complaint(lab(jobs=(job("old", **FAR),)), **fields)
    assert words in found[field]


def test_jobs_in_a_circle_are_refused_in_both_ways() -> None:
    after = Schedule(kind="after")
    plan = lab(jobs=(job("a"), job("b", after="a", schedule=after)))
    circle = plan.jobs[0].model_copy(update={"after": "b", "schedule": after})
    with pytest.raises(EditError, match="wait for one another in a circle"):
        put(plan, "jobs", circle)
    more = {
        "disks": (*lab().disks, disk(4), disk(5)),
        "pools": (
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
    }
    chain = lab(
        jobs=(job("a", **FAR), job("b", kind="backup", reads_from="a", target_pool="third")), **more
    )
    back = chain.jobs[0].model_copy(update={"reads_from": "b"})
    with pytest.raises(EditError, match="read from one another in a circle"):
        put(chain, "jobs", back)


def test_an_unknown_zone_and_a_day_that_is_none_are_refused() -> None:
    with pytest.raises(ValidationError, match="unknown time zone"):
        Schedule(kind="daily", zone="Europe/Atlantis")
    with pytest.raises(ValidationError):
        Schedule.model_validate({"kind": "daily", "start": "2026-02-31"})


def test_a_replication_needs_the_same_file_system_at_both_ends() -> None:
    ext4 = lab().pools[1].model_copy(update={"filesystem": "ext4"})
    with pytest.raises(EditError, match="needs zfs at both ends"):
        put(lab(pools=(lab().pools[0], ext4)), "jobs", job("r", **FAR))


def test_what_a_job_needs_cannot_be_taken_away() -> None:
    plan = lab(
        jobs=(
            job("b", kind="bucket", target_bucket="pail"),
            job("c", after="b", schedule=Schedule(kind="after")),
        ),
        buckets=(Bucket(id="pail", name="pail", site="away", account="me"),),
    )
    for way in ("carried", "side_by_side"):
        with pytest.raises(EditError, match="a bucket is filled over the link"):
            put(plan, "jobs", plan.jobs[0].model_copy(update={"first_copy": way}))
    with pytest.raises(StillUsed, match="job b"):
        remove(plan, "buckets", "pail")
    with pytest.raises(StillUsed, match="job c"):
        remove(plan, "jobs", "b")


def test_caps_go_with_their_link_and_signatures_with_their_dataset() -> None:
    plan = lab(
        caps=(Cap(id="c", link="wire", from_at="07:00", to_at="23:00", mbit=5.0),),
        accepted=(
            AcceptedRisk(
                id="r", dataset="files", hazard="fire", reason="so be it", on=TODAY, basis="0" * 16
            ),
        ),
        shares=(),
        grants=(),
    )
    assert remove(plan, "links", "wire").caps == ()
    assert remove(plan, "datasets", "files").accepted == ()
    silly = plan.caps[0].model_copy(update={"to_at": "07:00"})
    assert [p.field for p in problems(plan.model_copy(update={"caps": (silly,)}))] == ["to_at"]


@pytest.mark.parametrize("hazard", ["fire", "fire+key_lost"])
def test_a_signature_names_a_hazard_or_a_pair(hazard: str) -> None:
    risk = {"id": "r", "dataset": "files", "reason": "x", "on": TODAY, "basis": "0" * 16}
    assert AcceptedRisk.model_validate({**risk, "hazard": hazard}).hazard == hazard
    with pytest.raises(ValidationError):
        AcceptedRisk.model_validate({**risk, "hazard": "fire+a+b"})


def landing(**more: Any) -> Plan:
    """A far box with a module on its pool, one for reading, and a place for S3."""
    there = (
        lab()
        .datasets[0]
        .model_copy(update={"id": "room", "name": "room", "pool": "second", "size_bytes": 0})
    )

    def export(key: str, **fields: Any) -> Export:
        base = {
            "id": key,
            "name": key,
            "protocol": "rsync",
            "dataset": "room",
            "accounts": ("ana",),
            "clients": ("192.168.1.0/24",),
        }
        return Export.model_validate({**base, **fields})

    return lab(
        datasets=(*lab().datasets, there),
        exports=(
            export("mill"),
            export("shown", may="read"),
            export(
                "pail", protocol="s3", clients=(), port=9000, size_bytes=10**12, buckets=("b-1",)
            ),
            export("near", dataset="files"),
        ),
        **more,
    )


@pytest.mark.parametrize(
    ("fields", "field", "words"),
    [
        ({"lands_in": "mill"}, "lands_as", "as whom"),
        ({"lands_in": "mill", "lands_as": "bo"}, "lands_as", "bo may not sign in"),
        ({"lands_in": "shown", "lands_as": "ana"}, "lands_in", "for reading only"),
        ({"lands_in": "pail", "lands_as": "ana"}, "lands_in", "it can by: rsync"),
        ({"lands_in": "near", "lands_as": "ana"}, "lands_in", "not on the pool"),
        ({"lands_in": "gone", "lands_as": "ana"}, "lands_in", "no gone among the exports"),
        (
            {"lands_in": "mill", "lands_as": "ana", "credentials": "target"},
            "lands_in",
            "nothing lands by an export",
        ),
        (
            {"kind": "replication", "lands_in": "mill", "lands_as": "ana"},
            "lands_in",
            "by SSH or not at all",
        ),
    ],
)
def test_where_a_copy_lands_is_a_door_that_is_there(
    fields: dict[str, Any], field: str, words: str
) -> None:
    base = {"kind": "mirror", "target_pool": "second", "retention": Retention()}
    if fields.get("kind") == "replication":
        base["retention"] = Retention(last=3)
    said = complaint(landing(), **{**base, **fields})
    assert words in said[field]


def at_addresses(plan: Plan, near: dict[str, str], far: dict[str, str]) -> Plan:
    """The two boxes with these addresses."""
    hosts = (plan.hosts[0].model_copy(update=near), plan.hosts[1].model_copy(update=far))
    return plan.model_copy(update={"hosts": hosts})


@pytest.mark.parametrize(
    ("near", "far", "clients", "out"),
    [
        ({"address": "192.168.1.9"}, {}, ("192.168.1.0/24",), ""),
        ({"address": "192.168.2.9"}, {}, ("192.168.1.0/24",), "192.168.2.9"),
        ({"address": "192.168.2.9"}, {}, ("192.168.1.0/24", "box"), ""),
        # Over the overlay it comes from its address there, whatever the LAN's is.
        (
            {"address": "192.168.1.9", "vpn_address": "10.9.0.9"},
            {"vpn_address": "10.9.0.8"},
            ("192.168.1.0/24",),
            "10.9.0.9",
        ),
        (
            {"address": "192.168.1.9", "vpn_address": "10.9.0.9"},
            {"vpn_address": "10.9.0.8"},
            ("10.9.0.0/24",),
            "",
        ),
        ({}, {}, ("192.168.1.0/24",), ""),  # of a box without an address nothing is known
    ],
)
def test_a_copy_lands_only_where_its_box_is_let_in(
    near: dict[str, str], far: dict[str, str], clients: tuple[str, ...], out: str
) -> None:
    lands = job("m", kind="mirror", target_pool="second", retention=Retention()).model_copy(
        update={"lands_in": "mill", "lands_as": "ana"}
    )
    plan = at_addresses(landing(), near, far)
    mill = plan.exports[0].model_copy(update={"clients": clients})
    plan = plan.model_copy(update={"exports": (mill, *plan.exports[1:]), "jobs": (lands,)})
    said = [p.message for p in problems(plan) if p.field == "lands_in"]
    assert said == (
        [f"mill lets in {', '.join(clients)}, and not {out}, from which it comes: name it there"]
        if out
        else []
    )
    # What the daemon refuses is no copy, and nothing starts it.
    (told,) = result(plan).jobs
    assert (told.points_today > 0) == (not out)
    assert ("m" in json.loads(lab_jobs(plan, "box", "r"))["jobs"]) == (not out)


def test_what_lands_is_named_on_the_restore_sheet_and_lies_in_the_export() -> None:
    mirror = job(
        "m",
        kind="folder_mirror",
        target_pool="second",
        retention=Retention(trash_days=7),
        lands_in="mill",
        lands_as="ana",
        alarm_days=2.0,
    )
    plan = landing(jobs=(mirror,))
    sheet = restore_sheet(plan, result(plan), "revision 1").model_dump_json()
    where = "/srv/second/room/m on far, dataset room, where it comes in by module mill as ana"
    assert where in sheet
    assert where in runbook(plan, result(plan), "revision 1").model_dump_json()
    told = json.loads(lab_jobs(plan, "box", "r"))["jobs"]["m"]
    assert told["module"] == {"url": "rsync://ana@far/mill", "path": "/srv/second/room"}
    assert told["pairs"] == [["/srv/main/files", "/srv/second/room/m/files"]]
    # The far box empties the trash can, for a module lets nobody delete; and it looks out itself.
    far = json.loads(lab_jobs(plan, "far", "r"))
    assert far["jobs"]["m-trash"]["cans"] == [["/srv/second/room/m/.trash-files", 7]]
    assert far["watched"] == [{"job": "m", "mark": "/srv/second/room/m/.lab-m", "days": 2.0}]
