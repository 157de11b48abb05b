"""A box made by setup.sh, looked at by lab-look, read back, and held against the plan that it was made of.

Real mkfs.btrfs, mount, quotas, useradd, smb.conf and exports as root in a namespace of its own, on loop
devices. Source: what those programs print. Loops have no serial: the test gives them that of the plan.
"""

import json
import os
import time
from datetime import date, datetime
from zoneinfo import ZoneInfo

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Export, Grant, Plan, Retention, Schedule, Share
from kavrel.core.pools.pool import pool_states
from kavrel.core.seen.machine import Machine
from kavrel.core.seen.points import Finder
from kavrel.core.week.nights import scheduled_book
from kavrel.formats.hostside import lab_job, lab_look
from kavrel.formats.lab_jobs import lab_jobs
from kavrel.formats.looks.drifted import whole_drift
from kavrel.formats.looks.read import read_look
from kavrel.formats.looks.taking import takes
from kavrel.formats.samba import smb_conf
from kavrel.formats.servers.files import nfs_exports, nftables_conf, rsyncd_conf
from kavrel.formats.timers import crontab
from tests.builders import GB, job
from tests.conftest import needs
from tests.outside.test_setup_whole import House, house, plan_with, wanted

__all__ = ["house"]
pytestmark = [
    needs("unshare"),
    needs("mkfs.btrfs"),
    needs("testparm"),
    needs("crontab"),
    needs("nft"),
    pytest.mark.skipif(os.geteuid() != 0, reason="namespaces and accounts need root"),
]
TODAY = date(2026, 3, 10)


def machine_of(house: House, serials: dict[str, str]) -> Machine:
    """What lab-look saw; loops are given out as disks with the plan's serials, and nothing else is left."""
    document = json.loads((house.folder / "look.json").read_text())
    document["host"] = "box"
    for one in document["listings"]:
        if one["listing"] == "lsblk":
            tree = json.loads(one["said"])["blockdevices"]
            mine = [d for d in tree if d["path"] in serials]
            for d in mine:
                d |= {"type": "disk", "serial": serials[d["path"]], "phy-sec": 4096}
            one["said"] = json.dumps({"blockdevices": mine})
    reading = read_look(json.dumps(document).encode(), 0)
    others = [h for h in reading.heard if h.listing != "smartctl"]  # virtual disks tell nothing
    assert not [h for h in others if h.not_understood or h.why], reading.heard
    return reading.machine


@pytest.fixture
def made(house: House) -> tuple[Plan, Machine]:
    for serial in ("SN-4", "SN-5"):
        house.plug_in(serial)
    data = Dataset(id="new", name="new", pool="fresh", size_bytes=0, quota_bytes=10**8)
    plan = plan_with(
        wanted("copies2", "btrfs", "box4", "box5"),
        datasets=(*lab_datasets(), data),
        shares=(Share(id="letters", name="letters", dataset="new"),),
        grants=(Grant(id="g", share="letters", account="ana", right="write"),),
        exports=(
            Export(id="n", protocol="nfs", name="unix", dataset="new", clients=("10.0.0.0/24",)),
            Export(
                id="r",
                protocol="rsync",
                name="pull",
                dataset="new",
                may="read",
                clients=("10.0.0.9",),
                accounts=("bo",),
            ),
        ),
        jobs=(job("hourly", "snapshot", datasets=("new",), schedule=Schedule(kind="hourly")),),
    )
    house.pools("main")
    files = {
        "samba/smb.conf": smb_conf(plan, "box", "r", TODAY),
        "exports": nfs_exports(plan, "box", "r"),
        "rsyncd.conf": rsyncd_conf(plan, "box", "r", TODAY),
        "nftables.conf": nftables_conf(plan, "box", "r"),
        "lab-jobs.json": lab_jobs(plan, "box", "r"),
        "lab-crontab": crontab(plan, "box", "r", TODAY),
    }
    for name, text in files.items():
        (house.folder / name.rpartition("/")[2]).write_text(text)
    copied = "".join(f"cp {house.folder}/{n.rpartition('/')[2]} /etc/{n};" for n in files)
    point = "/srv/fresh/.points/new/lab-hourly-20260310T110000Z"
    after = (
        f"nft -f {house.folder}/nftables.conf;"
        f"mkdir -p /etc/samba {os.path.dirname(point)}; {copied}"
        # As its first lines say: root's own, through the program that looks at it.
        f"mount -t tmpfs none /var/spool/cron/crontabs; crontab /etc/lab-crontab;"
        f"btrfs subvolume snapshot -r /srv/fresh/new {point} >/dev/null;"
        f"python3 {lab_look.__file__} --out {house.folder}/look.json; umount /srv/fresh"
    )
    ran = house.run(plan, answer="fresh\\n", after=after)
    assert (ran.code, ran.left) == (0, []), ran.said
    return plan, machine_of(house, dict(zip(house.loops, ("SN-4", "SN-5"), strict=True)))


def standing(plan: Plan) -> Plan:
    """The plan once its pools are made: nothing starts a job before."""
    made = tuple(p.model_copy(update={"standing": True}) for p in plan.pools)
    return plan.model_copy(update={"pools": made})


def lab_datasets() -> tuple[Dataset, ...]:
    from tests.builders import lab

    return lab().datasets


def test_what_was_made_is_what_was_planned(made: tuple[Plan, Machine]) -> None:
    plan, machine = made
    found = whole_drift(Index(plan), "box", machine, TODAY)
    # Of the new pool nothing differs but that it stands now; the other pool is none of this machine's.
    mine = ("fresh", "new", "box4", "box5", "letters", "g", "n", "r", "ana", "bo", "hourly")
    fresh = [d for d in found.differences if d.about in mine]
    assert [(d.name, d.field, d.seen) for d in fresh] == [("fresh", "standing", "it stands")]
    assert [d for d in found.differences if d.field.startswith("firewall")] == []
    assert fresh[0].change
    assert fresh[0].change.item["standing"] is True
    (pool,) = [p for p in machine.pools if p.path == "/srv/fresh"]
    assert (pool.family, pool.state) == ("copies2", "online")
    (points,) = [p for p in machine.points if p.ours]
    assert (points.place, points.maker, len(points.times)) == ("/srv/fresh/new", "hourly", 1)


def test_from_nothing_the_same_plan_comes_back(made: tuple[Plan, Machine]) -> None:
    plan, machine = made
    offer = takes(Plan(name="again"), machine, None, TODAY)
    again = offer.into(Plan(name="again"))
    (pool,) = again.pools
    wanted_pool = next(p for p in plan.pools if p.id == "fresh")
    assert (pool.family, pool.filesystem, pool.name) == ("copies2", "btrfs", wanted_pool.name)
    assert {d.serial for d in again.disks} == {"SN-4", "SN-5"}
    assert {d.capacity_bytes for d in again.disks} == {GB}
    (data,) = again.datasets
    assert (data.name, data.quota_bytes) == ("new", 10**8)
    assert [(s.name, s.dataset) for s in again.shares] == [("letters", data.id)]
    logins = {a.id: a.login for a in again.accounts}
    rights = {(logins.get(g.account or ""), g.right) for g in again.grants}
    assert ("ana", "write") in rights
    offered = {e.protocol: e for e in again.exports}
    assert (offered["nfs"].clients, offered["nfs"].may) == (("10.0.0.0/24",), "write")
    assert ([logins[a] for a in offered["rsync"].accounts], offered["rsync"].may) == (
        ["bo"],
        "read",
    )
    # One point has no rhythm, but its script was told when it is taken and what is kept.
    (hourly,) = again.jobs
    (was,) = plan.jobs
    assert (hourly.kind, hourly.datasets) == ("snapshot", (data.id,))
    assert (hourly.schedule, hourly.retention) == (was.schedule, was.retention)


def test_points_that_lab_job_took_are_what_the_proof_finds(house: House) -> None:
    """setup.sh makes it, lab-job marks it four times, lab-look looks: those count, and no more."""
    for serial in ("SN-4", "SN-5"):
        house.plug_in(serial)
    data = Dataset(id="new", name="new", pool="fresh", size_bytes=0)
    hourly = job("hourly", "snapshot", datasets=("new",), schedule=Schedule(kind="hourly"))
    hourly = hourly.model_copy(update={"retention": Retention(hourly=24)})
    plan = plan_with(
        wanted("copies2", "btrfs", "box4", "box5"), datasets=(*lab_datasets(), data), jobs=(hourly,)
    )
    house.pools("main")
    there = standing(plan)
    (house.folder / "jobs.json").write_text(lab_jobs(there, "box", "r"), encoding="utf-8")
    now = time.time() // 3600 * 3600  # as its schedule has it
    told = f"LAB_JOBS={house.folder}/jobs.json LAB_JOB_STATE={house.folder}/state-of-jobs"
    runs = "".join(
        f"{told} LAB_JOB_NOW={now - n * 3600:.0f} python3 {lab_job.__file__} hourly || exit 9;"
        for n in (3, 2, 1, 0)
    )
    after = f"{runs} python3 {lab_look.__file__} --out {house.folder}/look.json; umount /srv/fresh"
    ran = house.run(plan, answer="fresh\\n", after=after)
    assert (ran.code, ran.left) == (0, []), ran.said
    machine = machine_of(house, dict(zip(house.loops, ("SN-4", "SN-5"), strict=True)))
    index = Index(there)
    book = scheduled_book(
        index, pool_states(index), datetime.fromtimestamp(now, ZoneInfo(plan.zone)).date()
    )
    found = Finder(book, {"box": machine}).found(hourly, "new")
    assert (found.how, found.there) == ("seen", 4)
    # What the plan would have by now and is not there is missing, not made up.
    # (In the first seconds of an hour its point is not planned to be whole yet.)
    assert found.planned - 4 <= found.missing <= found.planned - 3
    assert found.late_seconds == 0
    assert found.newest
    assert found.newest.timestamp() == pytest.approx(now, abs=2)
