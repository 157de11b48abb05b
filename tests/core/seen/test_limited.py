"""Limits of folders and accounts against the plan: lines of repquota as Linux 6.1 had them, ZFS from memory."""

import json

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Plan, Quota
from kavrel.core.seen.drift import drift
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.limited import Limits
from kavrel.core.works.limits import DatasetLimited, limit_works
from kavrel.formats.looks.read import read_look
from tests.builders import GB, lab
from tests.core.seen.test_points import machines
from tests.formats.looks.machines import look

HEAD = "BlockStatus,FileStatus,BlockUsed,BlockSoftLimit,BlockHardLimit,BlockGrace,FileUsed,FileSoftLimit"
PROJECTS, USERS = "repquota -P -n -v -p -O csv /srv/main", "repquota -u -v -p -O csv /srv/main"


@pytest.fixture
def plan() -> Plan:
    """A mirror of ext4 with one dataset that may fill 100 GB, and bo's 1,000,000 bytes of it."""
    base = lab()
    pool = base.pools[0].model_copy(
        update={"family": "mirror", "filesystem": "ext4", "groups": (("box1", "box2"),)}
    )
    kept = base.datasets[0].model_copy(update={"quota_bytes": 100 * GB, "size_bytes": GB})
    quotas = (Quota(id="q", account="bo", dataset="files", bytes=1_000_000),)
    pools = (pool, base.pools[1])
    return base.model_copy(update={"pools": pools, "datasets": (kept,), "quotas": quotas})


def seen(plan: Plan, *listings: tuple[str, str, str]) -> tuple[list[Drifted], list[str], int]:
    machine = read_look(look("box", ("uname", "uname", "Linux 6.1 x86_64\n"), *listings), 0).machine
    found = Limits(Index(plan), "box", machine)
    return list(found.rows()), found.unknown, found.agreed


def projects(plan: Plan, kib: int) -> tuple[str, str, str]:
    (number,) = (
        w.project for w in limit_works(Index(plan), "box") if isinstance(w, DatasetLimited)
    )
    rows = f"Project,{HEAD}\n#0,ok,ok,24,0,0,0,3,0\n#{number},ok,ok,4,0,{kib},0,1,0\n"
    return "project-quotas", PROJECTS, rows


def users(*rows: str) -> tuple[str, str, str]:
    return "user-quotas", USERS, "\n".join((f"User,{HEAD}", "root,ok,ok,24,0,0,0,3,0", *rows, ""))


def test_limits_as_setup_sets_them_differ_in_nothing(plan: Plan) -> None:
    # 100 GB and 1 MB rounded up to units of 1,024 bytes.
    told = projects(plan, 97_656_250), users("bo,ok,ok,0,0,977,0,0,0")
    assert seen(plan, *told) == ([], [], 2)


def test_what_was_lifted_widened_or_added_is_said(plan: Plan) -> None:
    rows, unknown, agreed = seen(
        plan, projects(plan, 0), users("bo,ok,ok,0,0,2000,0,0,0", "ana,ok,ok,0,0,5,0,0,0")
    )
    assert (unknown, agreed) == ([], 0)
    assert [(r.verdict, r.collection, r.name, r.planned, r.seen) for r in rows] == [
        ("missing", "datasets", "files", "100 GB", "no limit"),
        ("different", "quotas", "bo on files", "1.00 MB", "2.05 MB"),
        ("extra", "quotas", "ana on /srv/main", "no limit", "5.12 kB"),
    ]
    assert rows[2].command == "setquota -u ana 0 0 0 0 /srv/main"


def test_a_place_where_nobody_counts_is_unknown_and_not_as_planned(plan: Plan) -> None:
    rows, unknown, agreed = seen(plan)
    assert (rows, agreed) == ([], 0)
    assert len(unknown) == 2
    rows, unknown, _ = seen(plan, users("bo,ok", "nonsense", "bo,ok,ok,x,y,z,0,0,0"))
    assert [r.verdict for r in rows] == ["missing"]
    assert len(unknown) == 1


def test_the_demo_labs_accounts_are_limited_on_zfs_as_planned(demo: Plan) -> None:
    machine = machines(demo)["heron"]
    place = next(k for k in machine.limits if k.startswith("user "))
    login, limit = next(iter(machine.limits[place].items()))
    as_planned = drift(Index(demo), "heron", machine)
    assert not [d for d in as_planned.differences if d.collection == "quotas"]
    lifted = {**machine.limits, place: {**machine.limits[place], login: 0, "who": limit}}
    found = drift(Index(demo), "heron", machine.model_copy(update={"limits": lifted}))
    missing, extra = (d for d in found.differences if d.collection == "quotas")
    assert (missing.verdict, missing.seen, extra.verdict) == ("missing", "no limit", "extra")
    assert extra.command == f"zfs set userquota@who=none {place.removeprefix('user ')}"
    assert json.loads(machine.model_dump_json())["limits"][place][login] == limit
