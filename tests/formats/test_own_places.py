"""Pools and datasets that stand where somebody else put them: every file says the same places."""

import json

import pytest

from kavrel.core.edit import EditError
from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Plan, Retention
from kavrel.core.shares.names import copy_folders, folders, zfs_namer
from kavrel.formats.lab_jobs import lab_jobs
from kavrel.formats.samba import smb_conf
from kavrel.formats.servers.setup import setup_script
from tests.builders import GB, TODAY, job, lab


def adopted(**more: object) -> Plan:
    """Pool main is known as Tank_1 and mounted at /tank; its dataset lies in media/old photos' folder."""
    base = lab()
    pools = tuple(
        p.model_copy(update={"known_as": "Tank_1", "path": "/tank"}) if p.id == "main" else p
        for p in base.pools
    )
    files = base.datasets[0].model_copy(update={"folder": "media/Photos"})
    inner = Dataset(id="raw", name="raw", pool="main", parent="files", size_bytes=GB)
    jobs = (
        job("hourly", kind="snapshot"),
        job("away", kind="replication", target_pool="second", datasets=("files",)),
        job(
            "back",
            kind="mirror",
            target_pool="main",
            datasets=("other",),
            retention=Retention(),
        ),
    )
    other = Dataset(id="other", name="other", pool="second", size_bytes=GB)
    fields = {"pools": pools, "datasets": (files, inner, other), "jobs": jobs, **more}
    return lab(**fields)


def test_folders_zfs_names_and_copies_follow_the_own_places() -> None:
    plan = adopted()
    assert folders(plan)["files"] == "/tank/media/Photos"
    assert folders(plan)["raw"] == "/tank/media/Photos/raw"
    name = zfs_namer(plan, "box")
    assert name("/tank/media/Photos/raw") == "Tank_1/media/Photos/raw"
    assert name("/tank") == "Tank_1"
    assert copy_folders(plan)["back", "other"] == "/tank/back/other"
    assert copy_folders(plan)["away", "files"] == "/srv/second/away/Photos"


def test_every_file_says_the_same_place() -> None:
    plan = adopted()
    assert "path = /tank/media/Photos" in smb_conf(plan, "box", "r", TODAY)
    jobs = json.loads(lab_jobs(plan, "box", "r"))["jobs"]
    assert jobs["hourly"]["sets"] == ["Tank_1/media/Photos"]
    (pair,) = jobs["away"]["pairs"]
    assert pair == ["Tank_1/media/Photos", "second/away/Photos"]
    script = setup_script(plan, "box", "r")
    assert "pool_is_there Tank_1" in script
    assert "zfs create -o compression=lz4 Tank_1/media/Photos/raw" in script
    assert "/srv/main" not in script
    wanted = plan.model_copy(
        update={
            "pools": tuple(p.model_copy(update={"standing": False}) for p in plan.pools),
            "disks": tuple(d.model_copy(update={"serial": f"SN-{d.id}"}) for d in plan.disks),
        }
    )
    assert "-O mountpoint=/tank Tank_1 raidz1" in setup_script(wanted, "box", "r")


def test_two_boxes_may_have_the_same_places() -> None:
    plan = adopted()
    pools = tuple(p.model_copy(update={"known_as": "Tank_1", "path": "/tank"}) for p in plan.pools)
    twin = plan.datasets[2].model_copy(update={"folder": "media/Photos"})
    both = lab(pools=pools, datasets=(*plan.datasets[:2], twin), jobs=())
    assert folders(both)["other"] == folders(both)["files"] == "/tank/media/Photos"
    assert Index(both).pools["main"].host != Index(both).pools["second"].host


@pytest.mark.parametrize(
    ("places", "why"),
    [
        ({"path": "/etc/pool"}, "the system's own"),
        ({"path": "/srv"}, "the system's own"),
        ({"path": "/srv/first/inner"}, "lies in pool first"),
        ({"known_as": "first"}, "is known as first on this box already"),
        ({"known_as": "mirror-one"}, "ZFS keeps names like mirror-one for itself"),
    ],
)
def test_places_that_would_hide_or_confuse_something_are_refused(
    places: dict[str, str], why: str
) -> None:
    base = lab()
    main = base.pools[0]
    disks = tuple(
        base.disks[0].model_copy(update={"id": f"m{n}", "label": f"m{n}", "bay": f"3.5-{n}"})
        for n in (4, 5)
    )
    pair = main.model_copy(
        update={"id": "first", "name": "first", "family": "mirror", "groups": (("m4", "m5"),)}
    )
    pools = (main.model_copy(update=places), *base.pools[1:], pair)
    with pytest.raises(EditError, match=why):
        lab(disks=(*base.disks, *disks), pools=pools)
