"""Disks over iSCSI as a kernel has them, against the plan; lines as Linux 6.1 has them (test_luns_whole)."""

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.formats.looks.drifted import whole_drift
from kavrel.formats.looks.targets import held
from kavrel.rig.as_planned import targets
from tests.builders import TODAY
from tests.core.seen.test_points import machines

CUTTER = "iqn.2026-02.lab.lantern:cutter"
TARGET = "iscsi/iqn.2026-01.lab.kavrel:cutter/tpgt_1"


@pytest.fixture
def lines(demo: Plan) -> list[str]:
    return list(targets(Index(demo), "heron"))


def said(demo: Plan, lines: list[str]) -> list[tuple[str, str, str, bool]]:
    rows, _ = held(Index(demo), "heron", "\n".join(lines), ())
    return [(r.verdict, r.field, r.seen, r.urgent) for r in rows]


def test_as_planned_nothing_differs(demo: Plan, lines: list[str]) -> None:
    assert held(Index(demo), "heron", "\n".join(lines), ()) == ([], 1)
    for host, machine in machines(demo).items():
        found = whole_drift(Index(demo), host, machine, TODAY).differences
        assert [d for d in found if d.collection == "exports" and d.field != "exports"] == []


def test_an_older_look_says_that_it_does_not_know(demo: Plan) -> None:
    machine = machines(demo)["heron"]
    files = {k: v for k, v in machine.files.items() if k != "targets"}
    without = machine.model_copy(update={"files": files})
    unknown = whole_drift(Index(demo), "heron", without, TODAY).unknown
    assert any("disks over iSCSI" in line for line in unknown)


@pytest.mark.parametrize(
    ("old", "new", "row"),
    [
        ("enable: 1", "enable: 0", ("different", "target", "is switched off", False)),
        ("authentication: 1", "authentication: 0", ("different", "CHAP", "asks no secret", True)),
        ("node_acls: 0", "node_acls: 1", ("different", "initiator", "anybody who asks", True)),
        (
            "write_protect: 0",
            "write_protect: 1",
            ("different", f"initiator {CUTTER}", "read", False),
        ),
        ("cutter/udev_path: ", "cutter/udev_path: /x", ("different", "LUN 0", "/x", True)),
    ],
)
def test_what_was_changed_is_said_the_dangerous_first(
    demo: Plan, lines: list[str], old: str, new: str, row: tuple[str, str, str, bool]
) -> None:
    ((verdict, field, seen, urgent),) = said(demo, [line.replace(old, new) for line in lines])
    assert (verdict, field, urgent) == (row[0], row[1], row[3])
    assert seen.startswith(row[2])


def test_what_nobody_planned_lets_somebody_in(demo: Plan, lines: list[str]) -> None:
    more = [
        *lines,
        "core/iblock_7/whole/udev_path: /dev/sdq",
        f"{TARGET}/lun/lun_4/0abc -> ../../../../../../target/core/iblock_7/whole",
        f"{TARGET}/acls/iqn.2020-01.x:y/lun_0/write_protect: 0",
        f"{TARGET}/np/[::]:3260/iser: 0",
        "iscsi/iqn.2020-01.x:z/tpgt_1/enable: 1",
        "iscsi/iqn.2020-01.x:z/tpgt_1/lun/lun_0/0abd -> ../../../../../../target/core/iblock_7/whole",
    ]
    assert said(demo, more) == [
        ("extra", "LUN 4", "/dev/sdq", True),
        ("extra", "listens at", "[::]:3260", True),
        ("extra", "initiator iqn.2020-01.x:y", "write", True),
        ("extra", "target", "/dev/sdq for no initiator", True),
    ]


def test_nothing_loaded_is_missing_and_nonsense_is_passed_over(demo: Plan) -> None:
    gone = [("missing", "target", "no such target is loaded", False)]
    assert said(demo, []) == said(demo, ["nonsense", "iscsi/x", "core/: y", "\0" * 9]) == gone
    assert held(Index(demo), "dipper", "", ()) == ([], 0)
