"""Works: whom a folder lets in follows from every grant, export and application together."""

from datetime import date, timedelta
from typing import Any

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import (
    Account,
    App,
    Dataset,
    Export,
    Grant,
    Group,
    Mount,
    Opening,
    Plan,
    Share,
)
from kavrel.core.works import (
    AccountShut,
    CertificateThere,
    DoorOpen,
    FolderAccess,
    HomeFolder,
    OutsideTold,
    ServerAccount,
    ServiceRuns,
    bill,
)
from kavrel.core.works.jobs import NightRuns
from kavrel.core.works.machine import PackagesThere, Readied
from kavrel.core.works.pools import refusal
from kavrel.core.works.volumes import volumes_of
from kavrel.formats.servers.setup import setup_script
from tests.builders import GB, TODAY, disk, lab, result

PEOPLE = tuple(
    Account(id=n, login=n, full_name=n.title()) for n in ("ana", "bo", "cy", "dee", "play")
)
FAMILY = Group(id="family", name="family", members=("ana", "bo", "cy"))


def grant(number: int, right: str, **who: Any) -> Grant:
    return Grant.model_validate({"id": f"x{number}", "share": "share", "right": right, **who})


def shared(**more: Any) -> Plan:
    fields: dict[str, Any] = {
        "accounts": PEOPLE,
        "groups": (FAMILY,),
        "grants": (
            grant(1, "write", group="family"),
            grant(2, "read", account="bo"),
            grant(3, "none", account="cy"),
            grant(4, "read", account="dee"),
        ),
        **more,
    }
    return lab(**fields)


def access(plan: Plan, dataset: str = "files", today: date = TODAY) -> FolderAccess:
    found = [w for w in bill(Index(plan), "box", today) if isinstance(w, FolderAccess)]
    return next(w for w in found if w.makes == (("datasets", dataset),))


def test_a_group_is_let_in_as_one_and_who_has_less_by_an_own_grant_is_named() -> None:
    found = access(shared())
    assert (found.owner, found.group, found.mode) == ("root", "family", "2770")
    assert found.users == {"bo": 5, "cy": 0, "dee": 5}  # ana is in the group; play is nobody here
    lines = found.entries()
    assert {"group::rwx", "user:bo:r-x", "user:cy:---", "other::---"} <= set(lines)
    # What is made in it takes the same over.
    assert {f"default:{x}" for x in lines if not x.startswith("default:")} <= set(lines)


def test_what_over_any_way_in_is_the_most_holds() -> None:
    app = App(id="films", name="films", host="box", account="play")
    plan = shared(
        apps=(app,),
        mounts=(Mount(id="m", app="films", dataset="files", inside="/films", may="read"),),
        exports=(
            Export(id="e", protocol="sftp", name="in", dataset="files", accounts=("bo",)),
            Export(
                id="n", protocol="nfs", name="n", dataset="files", clients=("10.0.0.9",)
            ).model_copy(update={"squash": "all", "may": "read"}),
        ),
    )
    found = access(plan)
    assert "bo" not in found.users  # SFTP lets it write, and so does its group
    assert found.users["play"] == 5
    assert found.users["nobody"] == 5
    ended = shared(
        grants=(
            grant(1, "write", account="bo").model_copy(update={"expires_on": TODAY}),
            grant(2, "read", account="dee"),
        )
    )
    assert access(ended).users == {"dee": 5}
    assert access(ended, today=TODAY - timedelta(days=1)).users == {"bo": 7, "dee": 5}


def test_whoever_may_into_a_folder_below_gets_through_and_no_further() -> None:
    inner = Dataset(id="inner", name="inner", pool="main", size_bytes=GB, parent="files")
    share = Share(id="in", name="in", dataset="inner")
    plan = shared(
        datasets=(*lab().datasets, inner),
        shares=(*lab().shares, share),
        grants=(
            grant(1, "read", account="dee"),
            Grant(id="y", share="in", account="play", right="write"),
        ),
    )
    assert access(plan, "inner").users == {"play": 7}
    outer = access(plan)
    assert outer.users == {"dee": 5, "play": 1}
    assert "user:play:--x" in outer.entries()
    assert "default:user:play:---" in outer.entries()


def test_homes_are_private_and_made_for_whom_the_share_lets_in() -> None:
    share = Share(id="share", name="private", dataset="files", home=True)
    plan = shared(shares=(share,), grants=(grant(1, "write", group="family"),))
    found = [w for w in bill(Index(plan), "box", TODAY) if isinstance(w, HomeFolder)]
    assert [w.login for w in found] == ["ana", "bo", "cy"]
    assert all(w.folder == f"/srv/main/files/{w.login}" for w in found)
    assert access(plan).users == {"ana": 1, "bo": 1, "cy": 1}  # through, and to nobody else's


@pytest.mark.parametrize(("mode", "who"), [("2750", ["group family"]), ("0570", ["ana"])])
def test_a_mode_that_lacks_what_is_granted_says_who(mode: str, who: list[str]) -> None:
    owned = lab().datasets[0].model_copy(update={"mode": mode, "owner": "ana"})
    found = access(shared(datasets=(owned,), grants=(grant(1, "write", group="family"),)))
    assert [one.who for one in found.lacks] == who
    assert found.lacks[0].granted == 7
    assert found.lacks[0].left == 5


def test_each_work_comes_after_what_it_needs_and_names_what_it_makes(demo: Plan) -> None:
    for plan, host in ((wanted_array(), "box"), *((demo, h.id) for h in demo.hosts)):
        done: set[str] = set()
        for work in bill(Index(plan), host, TODAY):
            assert set(work.needs) <= done, work.key
            assert work.key not in done
            assert all((work.what, work.see, work.back)), work.key
            done.add(work.key)
            for collection, key in work.makes:
                assert any(x.id == key for x in getattr(plan, collection))


def test_an_account_that_is_off_is_shut_and_let_in_nowhere() -> None:
    people = (PEOPLE[0].model_copy(update={"enabled": False}), *PEOPLE[1:])
    plan = shared(accounts=people, grants=(grant(1, "write", account="ana"),))
    works = bill(Index(plan), "box", TODAY)
    assert [w.login for w in works if isinstance(w, AccountShut)] == ["ana"]
    assert access(plan).users == {}


def test_a_disk_that_is_too_small_for_any_slice_is_named_before_anything_is_wiped() -> None:
    """sfdisk takes no table without a part: the script stopped after it had wiped the disks."""
    sizes = {1: 1_000_000_000, 2: 4_000_000_000, 3: 4_000_000_000}
    disks = tuple(disk(n, serial=f"SN-{n}", capacity_bytes=s) for n, s in sizes.items())
    slices = {"family": "slices1", "filesystem": "ext4", "standing": False}
    pool = lab().pools[0].model_copy(update=slices)
    index = Index(lab(disks=(*disks, *lab().disks[3:]), pools=(pool, lab().pools[1])))
    assert refusal(index, pool).startswith("box 1 is too small for any slice")
    larger = tuple(d.model_copy(update={"capacity_bytes": 4_000_000_000}) for d in disks)
    index = Index(lab(disks=(*larger, *lab().disks[3:]), pools=(pool, lab().pools[1])))
    assert refusal(index, pool) == ""


def wanted_array(held: bool = False) -> Plan:
    """The small lab with an array that is still to be made; `held`: of its second disk all must survive."""
    disks = tuple(
        d.model_copy(update={"serial": f"SN-{n}", "holds_data": held and n == 2})
        for n, d in enumerate(lab().disks, 1)
    )
    made = {"family": "raid5", "filesystem": "ext4", "standing": False}
    return lab(disks=disks, pools=(lab().pools[0].model_copy(update=made), *lab().pools[1:]))


def test_a_disk_whose_data_must_survive_is_wiped_by_no_script() -> None:
    """setup.sh asked and wiped it, while the bench said that what is on it must survive."""
    free, held = wanted_array(), wanted_array(held=True)
    assert any(w.destroys for w in bill(Index(free), "box", TODAY))
    assert "SN-2" in setup_script(free, "box", "r")
    works = bill(Index(held), "box", TODAY)
    assert not any(w.destroys for w in works)
    (left,) = [w.by_hand for w in works if w.key == "pool/main"]
    assert left.startswith("what is on box 2 must survive by the plan: copy it off")
    assert "SN-2" not in setup_script(held, "box", "r")
    said = [s.text for x in runbook(held, evaluate(held, TODAY), "r").sections for s in x.steps]
    assert [t for t in said if t.startswith("Copy off what is on box 2 and check the copy; then")]


def test_every_package_that_any_work_calls_is_installed_first(demo: Plan) -> None:
    for plan, host in ((wanted_array(), "box"), *((demo, h.id) for h in demo.hosts)):
        works = bill(Index(plan), host, TODAY)
        called = [p for w in works if isinstance(w, ServiceRuns) for p in w.service.package.split()]
        called += [p for w in works if isinstance(w, NightRuns) for p in w.packages]
        called += ["mdadm", "e2fsprogs"] if plan is not demo else []
        there = [w for w in works if isinstance(w, PackagesThere)]
        assert {p for w in there for p in w.packages} >= set(called)
        first = min((n for n, w in enumerate(works) if not isinstance(w, Readied)), default=0)
        assert all(works.index(w) < first for w in there)


@pytest.mark.parametrize(
    ("filesystem", "family", "tool"),
    [("zfs", "raidz1", "zfsutils-linux"), ("ext4", "raid5", "mdadm"), ("xfs", "span", "lvm2")],
)
def test_a_system_that_was_installed_anew_gets_what_opens_the_pools_that_stand(
    filesystem: str, family: str, tool: str
) -> None:
    disks = tuple(disk(n) for n in range(1, 4))
    pool = (
        lab()
        .pools[0]
        .model_copy(
            update={
                "groups": (tuple(d.id for d in disks),),
                "family": family,
                "filesystem": filesystem,
                "standing": False,
            }
        )
    )
    others = [d for d in lab().disks if d.host != "box"]
    wanted = lab(disks=(*disks, *others), pools=(pool, *lab().pools[1:]))
    # As setup.sh left it: it carries the identifiers that the plan gives.
    (made,) = volumes_of(Index(wanted), pool) or (None,)
    uuid = made.uuid if made else None
    stands = pool.model_copy(update={"standing": True, "uuid": uuid or pool.uuid})
    plan = wanted.model_copy(update={"pools": (stands, *wanted.pools[1:])})
    (packages,) = [w for w in bill(Index(plan), "box", TODAY) if isinstance(w, PackagesThere)]
    assert tool in packages.packages
    assert f" {tool}\n" in setup_script(plan, "box", "revision 1", TODAY)


@pytest.mark.parametrize("source", ["internet", "vpn"])
def test_a_door_for_ftp_brings_that_of_its_data(source: str) -> None:
    """Source: RFC 959, PASV: without them a client signs in, and gets neither list nor file."""
    export = Export(
        id="f", protocol="ftp", name="scan", dataset="files", accounts=("ana",), port=2121
    )
    base = shared(exports=(export,))
    box = base.hosts[0].model_copy(update={"vpn_address": "100.64.0.5"})
    opened = Opening.model_validate(
        {"id": "o", "host": "box", "port": 2121, "purpose": "scanner", "source": source}
    )
    plan = base.model_copy(update={"openings": (opened,), "hosts": (box, *base.hosts[1:])})

    def doors(plan: Plan) -> list[tuple[int, int]]:
        works = bill(Index(plan), "box", TODAY)
        mine = [w for w in works if isinstance(w, DoorOpen) and w.makes == (("openings", "o"),)]
        return [(w.first, w.last) for w in mine]

    assert doors(plan) == [(2121, 2121), (40000, 40050)]
    steps = [s.text for x in runbook(plan, result(plan), "r").sections for s in x.steps]
    assert any("forward tcp 40000-40050" in s for s in steps) == (source == "internet")
    told = [w for w in bill(Index(plan), "box", TODAY) if isinstance(w, OutsideTold)]
    assert len(told) == (source == "internet")
    assert all(any(w.by_hand in s for s in steps) for w in told)
    # Another door is nothing to it.
    other = opened.model_copy(update={"port": 8096})
    assert doors(plan.model_copy(update={"openings": (other,)})) == [(8096, 8096)]


def test_a_server_that_would_run_as_somebody_gives_him_nothing() -> None:
    """A tenant whose account has the name of a person: neither its folder nor its key is his."""
    vault = Export.model_validate(
        {"id": "v", "protocol": "s3", "name": "vault", "dataset": "files", "accounts": ["bo"]}
        | {"secured": True, "port": 9000, "size_bytes": GB, "buckets": ["chunks"]}
    )
    eve = Account(id="eve", login="s3-vault", full_name="Eve")
    free, clash = (shared(exports=(vault,), accounts=(*PEOPLE, *who)) for who in ((), (eve,)))
    assert access(free).users["s3-vault"] == 7
    assert "s3-vault" not in access(clash).users
    works = bill(Index(clash), "box", TODAY)
    (made,) = [w for w in works if isinstance(w, CertificateThere)]
    assert made.certificate.reader == ""
    (server,) = [w for w in works if isinstance(w, ServerAccount)]
    assert "somebody's login already" in server.by_hand
