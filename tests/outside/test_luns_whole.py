"""The disks that a plan gives over iSCSI, on a real target: who signs in, what is seen, what stays.

LIO of Linux 6.1 in user-mode-linux, its configuration restored by rtslib's targetctl, signed in at by
open-iscsi with the very commands of the cards. Sources: targetctl(8), iscsiadm(8), RFC 7143.
"""

import shlex
from pathlib import Path

import pytest

from kavrel.core.consistency import problems
from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Export, Plan
from kavrel.formats.looks.read import read_look
from kavrel.formats.looks.targets import held
from kavrel.formats.servers.clients import cards
from kavrel.formats.servers.files import target_json
from tests.builders import TODAY
from tests.conftest import needs
from tests.outside import uml
from tests.outside.test_pools_for_real import on_kernel, server_of

pytestmark = [
    pytest.mark.prove,
    needs("targetctl"),
    needs("iscsid"),
    pytest.mark.skipif(not uml.can_run(), reason="no user-mode-linux with mdadm here"),
]
TARGET = (uml.HERE / "iscsi.sh").read_text(encoding="utf-8")
DESK, SOFA = "iqn.2026-01.home.lab:desk", "iqn.2026-01.home.lab:sofa"
BYTES = 300_000_256


def plan(filesystem: str) -> Plan:
    """Three disks in one folder: one with CHAP that is kept whole, one for another, one to read."""

    def lun(key: str, client: str, **more: object) -> Export:
        fields = {"id": key, "name": key, "protocol": "iscsi", "dataset": "luns", "may": "write"}
        return Export.model_validate(
            fields | {"clients": (client,), "size_bytes": BYTES, "thick": False} | more
        )

    return server_of(
        filesystem,
        datasets=(Dataset(id="luns", name="My disks", pool="one", size_bytes=10**6),),
        exports=(
            lun("thick", DESK, thick=True, secured=True),
            lun("thin", SOFA),
            lun("model", DESK, may="read"),
        ),
    )


@pytest.mark.parametrize("filesystem", ["xfs", "btrfs"])
def test_one_initiator_has_its_disk_and_nobody_else(filesystem: str, tmp_path: Path) -> None:
    ours = plan(filesystem)
    assert not problems(ours)
    (tmp_path / "target.json").write_text(target_json(ours, "box", "revision 1"), encoding="utf-8")
    signs_in = {c.thing: c.text for c in cards(ours, TODAY) if c.system == "iSCSI"}
    right = {k: shlex.quote(v.replace("SECRET", "not-a-word-1")) for k, v in signs_in.items()}
    # Before anybody has filled it in, what the project itself could know opens nothing.
    unset = shlex.quote(signs_in["thick"].replace("SECRET", "SET-ME"))
    wrong = shlex.quote(signs_in["thick"].replace("SECRET", "another-word"))
    script = f"""{TARGET}
go 'one\\n' ''; echo "code $code"; grep LEFT /run/said
folder=$(dirname "$(find /srv -name thick.img)")
[ $(($(stat -c '%b * %B' $folder/thick.img))) -ge {BYTES} ] && echo whole
[ $(($(stat -c '%b * %B' $folder/thin.img))) -lt 1000000 ] && echo sparse
offer 192.168.1.10
as {DESK} {unset} thick
fill not-a-word-1
as {DESK} {right["thick"]} thick
as {SOFA} {right["thick"]} thick
as {DESK} {wrong} thick
as {DESK} {right["thin"]} thin
as {SOFA} {right["thin"]} thin
as {DESK} {right["model"]} model
python3 /mnt/job/lab-look --out /mnt/job/first.json
config=/sys/kernel/config/target; other=$config/iscsi/$(ls $config/iscsi | grep thin)/tpgt_1
mkdir $other/acls/iqn.2026-01.home.lab:other $other/acls/iqn.2026-01.home.lab:other/lun_0
ln -s $other/lun/lun_0 $other/acls/iqn.2026-01.home.lab:other/lun_0/there
mkdir $other/np/127.0.0.1:3261
for group in $config/iscsi/*:*/tpgt_1; do echo 0 >$group/attrib/authentication; done
for group in $config/iscsi/*:model/tpgt_1; do
  echo 0 >$group/enable; echo 0 >$group/acls/*/lun_0/write_protect
done
python3 /mnt/job/lab-look --out /mnt/job/later.json
targetctl clear; python3 /mnt/job/lab-look --out /mnt/job/last.json
go '' ''; echo "code $code"; grep -E 'LEFT|^[+] (fallocate|truncate)' /run/said
targetctl restore && echo restored
as {DESK} {right["thick"]} thick
"""
    printed = on_kernel(ours, tmp_path, script).splitlines()
    assert printed == [
        "code 0",
        "whole",
        "sparse",
        "restored",
        f"{DESK} thick refused",
        "filled",
        f"{DESK} thick {BYTES} writes {DESK}",
        f"{SOFA} thick refused",
        f"{DESK} thick refused",
        f"{DESK} thin refused",
        f"{SOFA} thin {BYTES} writes {SOFA}",
        f"{DESK} model {BYTES} reads",
        "code 0",
        "restored",
        f"{DESK} thick {BYTES} writes {DESK} {DESK}",
    ]

    # What lab-look saw of it: first as planned, then as somebody has changed it, then with nothing loaded.
    differ = {name: rows(ours, tmp_path / f"{name}.json") for name in ("first", "later", "last")}
    assert differ["first"] == []
    assert sorted(differ["later"]) == [
        ("model", f"initiator {DESK}", "read", "write", True),
        ("model", "target", "answers", "is switched off", False),
        ("thick", "CHAP", "asks for CHAP", "asks no secret", True),
        ("thin", "initiator iqn.2026-01.home.lab:other", "nothing", "write", True),
        ("thin", "listens at", "nowhere", "127.0.0.1:3261", True),
    ]
    assert {(name, field) for name, field, *_ in differ["last"]} == {
        ("model", "target"),
        ("thick", "target"),
        ("thin", "target"),
    }
    # And no secret left the machine, though the kernel had one.
    assert all("not-a-word-1" not in f.read_text(encoding="utf-8") for f in tmp_path.glob("*.json"))


def rows(ours: Plan, document: Path) -> list[tuple[str, str, str, str, bool]]:
    """What a look says of the targets against the plan."""
    machine = read_look(document.read_bytes(), 0).machine
    said, _ = held(Index(ours), "box", machine.files["targets"], ())
    return [(d.name, d.field, d.planned, d.seen, d.urgent) for d in said]
