"""Who reaches what over every protocol, what changes if, what is promised, and what clashes."""

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.consistency import problems
from kavrel.core.edit import EditError, checked
from kavrel.core.index import Index
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import Account, App, Dataset, Export, Grant, Host, Mount, Network, Plan, Quota
from kavrel.core.pools.pool import pool_states
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.addresses import clashes, listeners, misplaced
from kavrel.core.shares.chooser import choose
from kavrel.core.shares.promises import promises
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.shares.reach import access_changes, reach
from kavrel.core.works.doors import door_works
from tests.builders import GB, TB, TODAY, lab, result

GOOD: dict[str, dict[str, Any]] = {
    "nfs": {"clients": ["192.168.1.7"]},
    "iscsi": {"clients": ["iqn.2026-01.lab:a"], "size_bytes": 64 * GB},
    "rsync": {"clients": ["192.168.1.0/24"], "accounts": ["ana"]},
    "sftp": {"accounts": ["ana"]},
    "s3": {"accounts": ["ana"], "size_bytes": TB, "port": 9000, "buckets": ["one"]},
    "ftp": {"accounts": ["ana"]},
}


def export(protocol: str, key: str = "e", **more: Any) -> Export:
    fields = {"id": key, "protocol": protocol, "name": key, "dataset": "files"}
    return Export.model_validate({**fields, **GOOD[protocol], **more})


def seen(plan: Plan) -> set[tuple[str, str, str, str]]:
    index = Index(plan)
    return {
        (r.name, r.protocol, r.thing_name, r.right)
        for r in reach(index, access_matrix(index, TODAY), TODAY)
    }


def test_every_protocol_but_smb_has_a_case() -> None:
    assert set(GOOD) == set(PROTOCOLS) - {"smb"}


@pytest.mark.parametrize("protocol", sorted(GOOD))
def test_whoever_is_named_reaches_it_with_its_right_and_nobody_else(protocol: str) -> None:
    for may in ("read", "write"):
        plan = lab(exports=(export(protocol, may=may),), grants=())
        assert problems(plan) == []
        who = "ana" if "accounts" in GOOD[protocol] else GOOD[protocol]["clients"][0]
        assert seen(plan) == {(who, protocol, "e", may)}
        assert PROTOCOLS[protocol].ports(plan.exports[0])


@pytest.mark.parametrize(
    ("protocol", "bad", "field"),
    [
        ("nfs", {"clients": []}, "clients"),
        ("nfs", {"clients": ["192.168.1.300"]}, "clients"),
        ("nfs", {"clients": ["192.168.1.7/24"]}, "clients"),
        ("nfs", {"clients": ["host_with(rw)"]}, "clients"),
        ("nfs", {"accounts": ["ana"]}, "accounts"),
        ("iscsi", {"clients": []}, "clients"),
        ("iscsi", {"clients": ["desk"]}, "clients"),
        ("iscsi", {"clients": ["iqn.2026-13.lab:a"]}, "clients"),
        ("iscsi", {"clients": ["iqn.2026-01.lab:a", "iqn.2026-01.lab:b"]}, "clients"),
        ("iscsi", {"size_bytes": None}, "size_bytes"),
        ("rsync", {"accounts": []}, "accounts"),
        ("rsync", {"name": "global"}, "name"),
        ("sftp", {"accounts": []}, "accounts"),
        ("s3", {"size_bytes": None}, "size_bytes"),
        ("s3", {"port": None}, "port"),
        ("s3", {"console_port": 9000}, "console_port"),
        ("s3", {"buckets": []}, "buckets"),
        ("ftp", {"accounts": []}, "accounts"),
    ],
)
def test_a_wrong_export_is_told_at_its_field(
    protocol: str, bad: dict[str, Any], field: str
) -> None:
    plan = lab().model_copy(update={"exports": (export(protocol, **bad),)})
    assert field in {p.field for p in problems(plan) if p.collection == "exports"}


def test_who_ran_out_or_is_off_reaches_nothing() -> None:
    for change in ({"enabled": False}, {"expires_on": TODAY}):
        ana = lab().accounts[0].model_copy(update=change)
        plan = lab(exports=(export("sftp"),), accounts=(ana, lab().accounts[1]))
        assert seen(plan) == set()
    late = lab().grants[0].model_copy(update={"expires_on": TODAY})
    assert seen(lab(grants=(late,))) == set()


def test_an_application_reaches_what_it_sees_and_says_as_whom() -> None:
    plan = lab(
        grants=(),
        apps=(App(id="a", name="gallery", host="box"),),
        mounts=(Mount(id="m", app="a", dataset="files", inside="/photos"),),
    )
    (one,) = reach(Index(plan), (), TODAY)
    assert (one.name, one.thing_name, one.right) == ("gallery", "/photos", "read")
    assert "runs as root" in one.because


def test_what_a_change_would_give_and_take_is_said_before_it_is_saved() -> None:
    plan = lab()
    group = Grant(id="g2", share="share", group="all", right="none")
    after = checked(plan.model_copy(update={"grants": (*plan.grants, group)}))
    assert access_changes(plan, after, TODAY) == []  # ana's own grant overrides, bo had nothing
    wide = group.model_copy(update={"right": "read"})
    after = checked(plan.model_copy(update={"grants": (*plan.grants, wide)}))
    (change,) = access_changes(plan, after, TODAY)
    assert (change.name, change.before, change.after, change.gains) == ("bo", "none", "read", True)
    (back,) = access_changes(after, plan, TODAY)
    assert (back.name, back.gains, back.after) == ("bo", False, "none")


@given(st.lists(st.sampled_from(["none", "read", "write"]), min_size=2, max_size=2))
@settings(max_examples=9)
def test_changes_one_way_are_losses_the_other(rights: list[str]) -> None:
    def plan(right: str) -> Plan:
        return lab(grants=(Grant.model_validate({**lab().grants[0].model_dump(), "right": right}),))

    a, b = plan(rights[0]), plan(rights[1])
    there, back = access_changes(a, b, TODAY), access_changes(b, a, TODAY)
    assert [(c.name, c.before, c.after) for c in there] == [
        (c.name, c.after, c.before) for c in back
    ]
    assert all(x.gains != y.gains for x, y in zip(there, back, strict=True))


# --- promises ----------------------------------------------------------------------------------


def promised(plan: Plan) -> dict[str, tuple[int, int, int, int]]:
    index = Index(plan)
    return {
        p.id: (p.thick_bytes, p.thin_bytes, p.over_bytes, p.short_bytes)
        for p in promises(index, pool_states(index))
    }


def dataset(key: str, **more: Any) -> Dataset:
    return Dataset.model_validate({"id": key, "name": key, "pool": "main", "size_bytes": 0, **more})


def test_children_may_promise_more_than_their_parent_holds() -> None:
    plan = lab(
        datasets=(
            dataset("files", quota_bytes=10 * GB),
            dataset("a", parent="files", quota_bytes=8 * GB),
            dataset("b", parent="files", quota_bytes=6 * GB, reserve_bytes=4 * GB),
        )
    )
    assert promised(plan)["files"] == (4 * GB, 10 * GB, 4 * GB, 0)


def test_thick_and_thin_disks_and_users_quotas_count_apart() -> None:
    plan = lab(
        datasets=(dataset("files", quota_bytes=100 * GB),),
        exports=(
            export("iscsi", "thick", size_bytes=64 * GB, thick=True),
            export("iscsi", "thin", size_bytes=64 * GB),
        ),
        quotas=(Quota(id="q", account="ana", dataset="files", bytes=5 * GB),),
    )
    assert promised(plan)["files"] == (64 * GB, 69 * GB, 33 * GB, 0)
    assert promised(plan)["main"][0] == 64 * GB


def test_twelve_clients_of_64_gb_are_768_gb() -> None:
    # Common practice, no source.
    twelve = tuple(export("iscsi", f"l{n}", size_bytes=64 * GB, thick=True) for n in range(12))
    assert promised(lab(exports=twelve))["main"][0] == 768 * GB


@pytest.mark.parametrize(
    ("bad", "field"),
    [
        ([dataset("files", parent="x"), dataset("x", parent="files")], "parent"),
        ([dataset("files", parent="files")], "parent"),
        ([dataset("files"), dataset("x", pool="second", parent="files")], "parent"),
        ([dataset("files", quota_bytes=GB, reserve_bytes=2 * GB)], "reserve_bytes"),
    ],
)
def test_a_tree_that_cannot_be_is_refused(bad: list[Dataset], field: str) -> None:
    with pytest.raises(EditError) as caught:
        lab(datasets=tuple(bad))
    assert field in {p.field for p in caught.value.problems}


# --- addresses ---------------------------------------------------------------------------------

LAN = Network(
    id="lan",
    site="home",
    name="lan",
    range="192.168.1.0/24",
    dhcp_from="192.168.1.100",
    dhcp_to="192.168.1.200",
    gateway="192.168.1.1",
)


def at(address: str, addressing: str = "static") -> Plan:
    first, second = lab().hosts
    moved = Host.model_validate(
        {**first.model_dump(mode="json"), "address": address, "addressing": addressing}
    )
    return lab(networks=(LAN,), hosts=(moved, second))


@pytest.mark.parametrize(
    ("address", "how", "says"),
    [
        ("192.168.1.20", "static", None),
        ("192.168.1.150", "static", "inside the DHCP range"),
        ("192.168.1.150", "reserved", None),
        ("10.0.0.5", "static", "in no network"),
        ("192.168.1.1", "static", "the router's own"),
    ],
)
def test_static_addresses_lie_outside_the_dhcp_range(
    address: str, how: str, says: str | None
) -> None:
    found = [why for _, why in misplaced(Index(at(address, how)))]
    assert (found == []) if says is None else (says in found[0])


@pytest.mark.parametrize(
    ("bad", "field"),
    [
        ({"dhcp_to": "192.168.2.5"}, "dhcp_to"),
        ({"dhcp_from": "192.168.1.210"}, "dhcp_to"),
        ({"gateway": "10.0.0.1"}, "gateway"),
        ({"dhcp_to": None}, "dhcp_to"),
    ],
)
def test_a_network_that_cannot_be_is_refused(bad: dict[str, Any], field: str) -> None:
    with pytest.raises(EditError) as caught:
        lab(networks=(LAN.model_copy(update=bad),))
    assert field in {p.field for p in caught.value.problems}


def test_ports_that_two_things_want_are_found() -> None:
    apps = (
        App(id="a", name="one", host="box", ports=(8080, 445)),
        App(id="b", name="two", host="box", ports=(8080,)),
        App(id="c", name="three", host="far", ports=(8080,)),
    )
    index = Index(lab(apps=apps))
    found = {(c.host, c.port): set(c.what) for c in clashes(index, tuple(listeners(index)))}
    assert found == {("box", 445): {"SMB", "one"}, ("box", 8080): {"one", "two"}}


def test_an_application_with_an_address_of_its_own_takes_no_port_of_its_host() -> None:
    apps = (
        App(id="a", name="one", host="box", ports=(445,), address="192.168.1.21"),
        App(id="b", name="two", host="box", ports=(445,), address="192.168.1.22"),
    )
    plan = lab(apps=apps, networks=(LAN,))
    assert clashes(Index(plan), tuple(listeners(Index(plan)))) == []
    assert not [w for w in door_works(Index(plan), "box") if "one" in w.who]
    assert not list(misplaced(Index(plan)))

    def wrong(address: str) -> str:
        moved = apps[0].model_copy(update={"address": address})
        return " ".join(
            why for _, why in misplaced(Index(lab(apps=(moved, apps[1]), networks=(LAN,))))
        )

    assert "which two has" in wrong("192.168.1.22") or "which one has" in wrong("192.168.1.22")
    assert "in no network" in wrong("10.1.1.1")
    assert "inside the DHCP range" in wrong("192.168.1.150")
    book = runbook(plan, result(plan), "r")
    said = " ".join(s.text for x in book.sections for s in x.steps)
    assert "give it 192.168.1.21 on a bridge of box" in said
    assert "sign in the first time at 192.168.1.21, port 445" in said


def test_a_service_for_named_clients_is_let_in_from_them_alone() -> None:
    plan = lab(networks=(LAN,), exports=(export("nfs"),))
    by_port = {x.port: x for x in listeners(Index(plan)) if x.host == "box"}
    assert by_port[2049].from_clients == ("192.168.1.7",)
    assert by_port[445].from_clients == ()
    assert by_port[445].from_networks == ("192.168.1.0/24",)


# --- chooser -----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("needs", "systems", "many", "first"),
    [
        ("files", ["windows", "macos"], True, "smb"),
        ("files", ["hypervisor"], True, "nfs"),
        ("files", ["box"], True, "rsync"),
        ("disk", ["windows"], False, "iscsi"),
        ("objects", ["backup"], True, "s3"),
        ("files", ["phone", "linux"], True, "smb"),
    ],
)
def test_the_chooser_takes_what_the_trade_takes(
    needs: Any, systems: Any, many: bool, first: str
) -> None:
    found = choose(needs, systems, many)
    assert found[0].protocol == first
    assert found[0].fits
    assert len(found) == len(PROTOCOLS)
    assert all(c.why for c in found)


def test_several_writers_never_get_a_disk() -> None:
    found = {c.protocol: c for c in choose("disk", ["windows"], True)}
    assert not any(c.fits for c in found.values())
    assert "destroy" in found["iscsi"].why


def test_accounts_of_a_removed_person_leave_no_trace() -> None:
    from kavrel.core.edit import remove

    people = (*lab().accounts, Account(id="cy", login="cy", full_name="Cy"))
    plan = lab(
        accounts=people,
        exports=(export("sftp", accounts=["ana", "cy"]),),
        quotas=(Quota(id="q", account="cy", dataset="files", bytes=GB),),
    )
    left = remove(plan, "accounts", "cy")
    assert left.exports[0].accounts == ("ana",)
    assert left.quotas == ()
