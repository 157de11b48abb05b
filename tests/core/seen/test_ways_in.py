"""Ports, lists and batteries as they were found: what nobody planned is a way in, and is said."""

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.seen.drift import drift
from kavrel.core.seen.drifted import Drifted
from kavrel.demo.machines import Twist
from kavrel.formats.looks.read import read_look
from tests.core.seen.test_points import AT, machines
from tests.formats.looks.machines import look


def found(plan: Plan, host: str, twist: Twist) -> list[Drifted]:
    machine = machines(plan, AT, **{host: twist})[host]
    return list(drift(Index(plan), host, machine).differences)


@pytest.fixture
def box(demo: Plan) -> str:
    return next(h.id for h in demo.hosts if h.name == "heron")


def test_a_port_that_nobody_planned_is_a_way_in(demo: Plan, box: str) -> None:
    rows = found(demo, box, Twist(ports=(6379, 40_123, 139)))
    # Beside it one of those that systems take for a while, and one that file servers have.
    assert [(r.verdict, r.field) for r in rows] == [("extra", "port 6379/tcp")]
    assert rows[0].command == "ss -Hlptn sport = :6379"


def test_what_should_listen_and_does_not_is_missing(demo: Plan, box: str) -> None:
    machine = machines(demo)[box]
    assert "445/tcp" in machine.ports
    deaf = machine.model_copy(update={"ports": ()})
    said = {r.field: r.planned for r in drift(Index(demo), box, deaf).differences}
    assert said["port 445/tcp"] == "SMB listens"
    # Nobody looked: nothing is missing.
    blind = deaf.model_copy(update={"looked_at": machine.looked_at - {"ports"}})
    assert not drift(Index(demo), box, blind).differences


def test_somebody_in_a_folders_list_whom_nobody_planned_is_urgent(demo: Plan, box: str) -> None:
    dataset = next(d for d in demo.datasets if Index(demo).pools[d.pool].host == box)
    rows = found(demo, box, Twist(lists={dataset.id: ("user:stranger:r-x",)}))
    (row,) = [r for r in rows if r.about == dataset.id]
    assert (row.field, row.planned, row.seen) == ("list: stranger", "no entry of their own", "read")
    assert row.urgent
    # The mask takes it away again: then nobody reads.
    masked = found(demo, box, Twist(lists={dataset.id: ("user:stranger:rwx", "mask::---")}))
    assert not any(r.field == "list: stranger" for r in masked)


def test_a_list_that_was_taken_off_lets_nobody_planned_in(demo: Plan, box: str) -> None:
    machine = machines(demo)[box]
    folder, seen = next(
        (f, s)
        for f, s in machine.access.items()
        if any(e.startswith("user:") for e in s.entries[3:])
    )
    bare = ("user::rwx", "group::---", "other::---")
    poor = machine.model_copy(
        update={"access": {folder: seen.model_copy(update={"entries": bare})}}
    )
    rows = drift(Index(demo), box, poor).differences
    assert any(r.seen == "no entry of their own" and not r.urgent for r in rows)
    assert any(r.field == "list: what is made in it" for r in rows)


@pytest.mark.parametrize(
    ("state", "said"),
    [
        ("OL", None),
        ("OL CHRG", None),
        ("OL RB", "its battery has to be replaced"),
        ("OB LB", "its battery is low"),
    ],
)
def test_a_battery_that_would_not_last_is_urgent(
    demo: Plan, box: str, state: str, said: str | None
) -> None:
    rows = [r for r in found(demo, box, Twist(ups=state)) if r.collection == "supplies"]
    assert [(r.seen, r.urgent) for r in rows] == ([(said, True)] if said else [])


def test_a_smaller_ups_than_planned_is_said(demo: Plan, box: str) -> None:
    machine = machines(demo)[box]
    ups = {"ups": {"ups.status": "OL", "ups.realpower.nominal": "200", "ups.power.nominal": "?"}}
    rows = drift(Index(demo), box, machine.model_copy(update={"ups_readings": ups})).differences
    assert [(r.field, r.seen, r.urgent) for r in rows] == [("carries", "200 W", True)]


def test_lists_are_read_as_getfacl_prints_them() -> None:
    """Source: getfacl(1); names with blanks and letters beyond ASCII are written in octal."""
    text = (
        "# file: /srv/main/our\\040files\n# owner: ana\n# group: all\n# flags: -s-\nuser::rwx\n"
        "user:bo:rwx\t\t\t#effective:r-x\ngroup::---\nmask::r-x\nother::---\ndefault:user::rwx\nodd line\n\n"
    )
    reading = read_look(look("box", ("getfacl", "getfacl -p /srv/main/our files", text)), 0)
    (seen,) = reading.machine.access.values()
    assert list(reading.machine.access) == ["/srv/main/our files"]
    assert (seen.owner, seen.group, seen.entries[1]) == ("ana", "all", "user:bo:rwx")
    assert "odd line" in str(reading.heard)
