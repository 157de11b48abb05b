"""An application on one box, its data on another: what brings it over, and what is said where nothing does."""

import json
from datetime import UTC, datetime
from typing import Any

import pytest

from kavrel.core.consistency import problems
from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import Account, App, Export, Host, Mount, Plan
from kavrel.core.seen.drift import drift
from kavrel.core.works import bill
from kavrel.core.works.machine import AddressHeld, PackagesThere
from kavrel.formats.looks.read import read_look
from kavrel.formats.servers.bundle import host_files
from kavrel.rig.live import rig
from tests.builders import TODAY, lab
from tests.formats.looks.machines import NOON, look

CLIENT = "192.168.1.60"
BEGAN = datetime(2026, 11, 24, tzinfo=UTC)


def plan(
    app: dict[str, Any] | None = None,
    export: dict[str, Any] | None = None,
    may: str = "read",
    host: dict[str, Any] | None = None,
    number: int | None = 3001,
) -> Plan:
    """A box that keeps no data runs a gallery, of which the pictures are on `box`."""
    base = lab()
    box = base.hosts[0].model_copy(update={"addressing": "static", "address": "192.168.1.10"})
    small = {
        "id": "mini",
        "name": "mini",
        "site": "home",
        "addressing": "static",
        "address": CLIENT,
    }
    bo = Account(id="bo", login="bo", full_name="Bo", number=number)
    offered: dict[str, Any] = {
        "id": "e-files",
        "protocol": "nfs",
        "name": "files",
        "dataset": "files",
    }
    offered |= {"clients": (CLIENT,), "may": "read"}
    gallery = {
        "id": "gallery",
        "name": "gallery",
        "host": "mini",
        "account": "bo",
        "ports": (8080,),
    }
    path = {"id": "m", "app": "gallery", "dataset": "files", "inside": "/photos", "may": may}
    made = base.model_copy(
        update={
            "hosts": (box, base.hosts[1], Host.model_validate(small | (host or {}))),
            "accounts": (base.accounts[0], bo),
            "exports": (Export.model_validate(offered | (export or {})),),
            "apps": (App.model_validate(gallery | (app or {})),),
            "mounts": (Mount.model_validate(path),),
        }
    )
    assert not problems(made)
    return made


def steps(made: Plan) -> str:
    book = runbook(made, evaluate(made, TODAY), "revision 1")
    return "\n".join(step.text for section in book.sections for step in section.steps)


def test_a_box_without_a_pool_brings_its_applications_data_over_and_is_set_up_for_them() -> None:
    made = plan()
    files = host_files(made, "mini", "revision 1", TODAY)
    assert files["fstab"][0].splitlines()[-1] == (
        "192.168.1.10:/srv/main/files /mnt/e-files nfs4 _netdev,nofail,bg,noatime,ro 0 0"
    )
    (packages,) = [w for w in bill(Index(made), "mini", TODAY) if isinstance(w, PackagesThere)]
    assert "nfs-common" in packages.packages
    assert "chattr +i" in files["fstab"][1]  # nothing is written where nothing is mounted
    assert "new_account bo yes 3001" in files["setup.sh"][0]
    assert "dport 8080 accept" in files["nftables.conf"][0]
    assert "gallery: /mnt/e-files on mini, brought over by NFS, is seen at /photos" in steps(made)
    made_by = {one for work in bill(Index(made), "mini", TODAY) for one in work.makes}
    assert ("mounts", "m") in made_by


def test_it_may_write_where_it_is_granted_and_stays_locked_where_the_export_is() -> None:
    made = plan(may="write", export={"may": "write", "secured": True})
    line = host_files(made, "mini", "revision 1", TODAY)["fstab"][0].splitlines()[-1]
    assert line.endswith("_netdev,nofail,bg,noatime,sec=krb5p 0 0")


@pytest.mark.parametrize(
    ("changed", "why"),
    [
        ({"export": {"clients": ("192.168.1.61",)}}, "files does not let 192.168.1.60 in"),
        ({"may": "write"}, "files gives it to read alone"),
        ({"host": {"address": None, "addressing": "dhcp"}}, "nothing says from which address mini comes"),
        ({"number": None}, "bo has no number in the plan"),
        ({"app": {"account": None}}, "gallery runs as root, which is nobody on box"),
        ({"export": {"protocol": "rsync", "accounts": ("ana",)}}, "and nothing brings it over"),
    ],
)  # fmt: skip
def test_what_does_not_bring_it_over_is_a_finding_and_no_paper_says_that_it_is_there(
    changed: dict[str, Any], why: str
) -> None:
    made = plan(**changed)
    (found,) = [c for c in evaluate(made, TODAY).cautions if c.rule == "path_on_another_box"]
    assert why in found.why
    assert "nfs4" not in host_files(made, "mini", "revision 1", TODAY)["fstab"][0]
    assert "gallery: settle first where it comes from (files is on box" in steps(made)


def test_a_look_tells_a_path_that_is_not_mounted_or_is_of_something_else() -> None:
    made = plan()

    def seen(*mounts: dict[str, str]) -> list[tuple[str, str]]:
        said = json.dumps({"filesystems": [{"target": "/", "fstype": "ext4"}, *mounts]})
        machine = read_look(look("mini", ("findmnt", "findmnt -J", said)), NOON).machine
        rows = drift(Index(made), "mini", machine).differences
        return [(d.seen, d.command) for d in rows if d.collection == "mounts" and d.urgent]

    there = {"target": "/mnt/e-files", "fstype": "nfs4", "source": "192.168.1.10:/srv/main/files"}
    assert seen(there) == []
    assert seen() == [("nothing is mounted there", "mount /mnt/e-files")]
    ((other, _),) = seen(there | {"source": "192.168.1.10:/srv/main"})
    assert other == "192.168.1.10:/srv/main at /mnt/e-files"
    unseen = read_look(look("mini", ("uname", "uname -srm", "Linux 6 x86_64")), NOON).machine
    assert any("findmnt" in text for text in drift(Index(made), "mini", unseen).unknown)


def test_in_the_rig_it_is_there_while_the_other_box_is() -> None:
    with rig(plan(), BEGAN) as days:
        mini, box = days.lab.boxes["mini"], days.lab.boxes["box"]
        asked = ["findmnt", "-n", "-o", "SOURCE", "--mountpoint", "/mnt/e-files"]
        assert mini.command(asked).out == b"192.168.1.10:/srv/main/files\n"
        box.up = False
        assert mini.command(asked).code == 1


def test_when_power_is_back_it_is_looked_for_and_the_application_started_again() -> None:
    made = plan()
    sheet = restore_sheet(made, evaluate(made, TODAY), "revision 1")
    told = [step.text for section in sheet.sections for step in section.steps]
    assert (
        "mini: once box is up: `findmnt /mnt/e-files`, `mount /mnt/e-files` where it prints nothing; then "
        "start gallery again"
    ) in told


def test_where_all_are_nobody_no_number_is_needed() -> None:
    made = plan(number=None, export={"squash": "all"})
    assert "nfs4" in host_files(made, "mini", "revision 1", TODAY)["fstab"][0]


def test_a_virtual_machine_mounts_for_itself_and_comes_from_its_own_address() -> None:
    machine = {"kind": "vm", "address": "192.168.1.77"}
    made = plan(app=machine, export={"clients": ("192.168.1.77",)})
    assert "nfs4" not in host_files(made, "mini", "revision 1", TODAY)["fstab"][0]
    assert "gallery: 192.168.1.10:/srv/main/files, which it mounts itself over NFS," in steps(made)
    (found,) = [
        c for c in evaluate(plan(app=machine), TODAY).cautions if c.rule == "path_on_another_box"
    ]
    assert "files does not let 192.168.1.77 in" in found.why


def test_a_virtual_machine_beside_its_data_is_handed_the_folder_or_mounts_it() -> None:
    machine = {"kind": "vm", "host": "box", "address": "192.168.1.77"}
    assert "gallery: /srv/main/files, which box hands in as a shared folder" in steps(
        plan(app=machine)
    )
    made = plan(app=machine, export={"clients": ("192.168.1.77",)})
    assert "gallery: 192.168.1.10:/srv/main/files, which it mounts itself over NFS," in steps(made)


def test_a_box_with_firmware_of_its_own_is_told_the_values() -> None:
    made = plan(host={"kind": "router"})
    assert Index(made).hosts["mini"].closed
    said = host_files(made, "mini", "revision 1", TODAY)["values.txt"][0]
    assert "Folder of another box, files" in said
    assert "/srv/main/files" in said


def test_a_box_that_keeps_nothing_and_runs_nothing_has_nothing_made() -> None:
    made = plan()
    bare = made.model_copy(update={"apps": (), "mounts": ()})
    works = bill(Index(bare), "mini", TODAY)
    assert [
        w for w in works if not isinstance(w, AddressHeld)
    ] == []  # it has an address, and no more
