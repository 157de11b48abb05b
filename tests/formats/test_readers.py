"""Files written by other hands, read back: every line judged, nothing dropped, differences named.

Source of the syntax: smb.conf(5), exports(5), rsyncd.conf(5), fstab(5), passwd(5), group(5).
"""

import pytest

from kavrel.core.plan import Account, Dataset, Export, Plan
from kavrel.core.shares.names import folders
from kavrel.formats.readers import READERS, Report, Unreadable, read_file
from kavrel.formats.servers.files import nfs_exports
from tests.builders import GB, TB, lab


def read(kind: str, text: str, plan: Plan) -> Report:
    return read_file(kind, text.encode(), plan, "box")


def verdicts(report: Report) -> dict[int, str]:
    return {line.number: line.verdict for line in report.lines}


@pytest.fixture
def plan() -> Plan:
    return lab()


@pytest.fixture
def at(plan: Plan) -> str:
    """The folder of the dataset `files`."""
    return folders(plan)["files"]


# --- smb.conf ----------------------------------------------------------------------------------


def test_a_hand_written_share_is_compared_right_by_right(plan: Plan, at: str) -> None:
    report = read(
        "smb.conf",
        f"""[global]
  workgroup = HOME
  server min protocol = NT1
  wins support = yes
; an old note
[files]
  directory = {at}
  writeable = yes
  valid users = ana bo carl
  read list = bo
  hide dot files = no
""",
        plan,
    )
    assert verdicts(report)[4] == "not understood"  # no WINS is planned
    assert verdicts(report)[5] == "no matter"
    assert verdicts(report)[11] == "not understood"
    assert [p.what for p in report.proposals] == ["same"]
    assert report.differences == [
        "the server speaks SMB 1, the plan never does",
        "share files: carl is no account of the plan",
        "share files: bo has read in the file, none in the plan",
    ]


@pytest.mark.parametrize(
    ("lines", "right"),
    [
        ("valid users = @all", "read"),  # read only is the default
        ("valid users = +all\nread only = no", "write"),
        ("valid users = bo\nwrite list = bo", "write"),
        ("valid users = bo\nread only = no\nread list = bo", "read"),
        ("valid users = bo\nread list = bo\nwrite list = bo", "write"),  # the write list wins
        ('valid users = "bo"\nwritable = yes', "write"),
        ("valid users = bo ana\ninvalid users = bo", None),  # none, as in the plan
        ("write list = ana", "read"),  # without valid users everybody signs in
    ],
)
def test_lists_of_users_mean_what_samba_makes_of_them(
    plan: Plan, at: str, lines: str, right: str | None
) -> None:
    report = read("smb.conf", f"[files]\npath = {at}\n{lines}\n", plan)
    told = [d for d in report.differences if "bo has" in d]
    assert told == ([f"share files: bo has {right} in the file, none in the plan"] if right else [])


def test_guests_homes_and_shares_of_no_dataset(plan: Plan, at: str) -> None:
    report = read(
        "smb.conf",
        f"""[homes]
browseable = no
[Files]
path = {at}
guest ok = yes
[attic]
path = /mnt/attic
[private]
path = {at}/%U
read only = no
include = /etc/samba/more.conf
""",
        plan,
    )
    assert verdicts(report)[2] == "not understood"
    assert verdicts(report)[11] == "not understood"
    by_name = {p.name: p for p in report.proposals}
    assert by_name["Files"].item["guest"] == "read"
    assert by_name["Files"].item["id"] == "share"  # Samba's names know no case
    assert "guest: none in the plan, read in the file" in by_name["Files"].why
    assert by_name["private"].what == "new"
    assert by_name["private"].item["home"] is True
    assert any(
        "attic is at /mnt/attic, where the plan has no dataset" in d for d in report.differences
    )


def test_a_share_that_the_file_lacks_is_named(plan: Plan) -> None:
    assert read("smb.conf", "[global]\n", plan).differences == [
        "share files is in the plan and not in the file"
    ]


# --- exports -----------------------------------------------------------------------------------


def test_the_line_of_a_part_belongs_to_the_export_of_what_it_lies_in() -> None:
    """On ZFS a part has a line of its own, and is no export of its own; one that differs is said."""
    whole = lab().datasets[0]
    part = whole.model_copy(update={"id": "part", "name": "part", "parent": "files"})
    given = Export(id="e", protocol="nfs", name="e", dataset="files", clients=("10.0.0.5",))
    plan = lab(datasets=(whole, part), exports=(given,))
    text = nfs_exports(plan, "box", "revision 1")
    assert f"{folders(plan)['part']} 10.0.0.5(rw," in text
    report = read("exports", text, plan)
    assert report.differences == []
    assert [(p.name, p.what) for p in report.proposals] == [("e", "same")]
    report = read("exports", text.replace("part 10.0.0.5(rw", "part 10.0.0.6(rw"), plan)
    (said,) = report.differences
    assert said.endswith("part is exported otherwise than e, which it is a part of")


def test_the_blank_that_opens_an_export_to_everybody_is_said(plan: Plan, at: str) -> None:
    report = read("exports", f"{at} 192.168.20.5 (rw,no_subtree_check)\n", plan)
    (line,) = report.lines
    assert line.verdict == "not understood"
    assert "exports it to everybody" in line.why
    assert "0.0.0.0/0" in report.proposals[0].item["clients"]


@pytest.mark.parametrize(
    ("options", "squash", "may", "secured"),
    [
        ("rw,sync,no_subtree_check", "root", "write", False),
        ("ro,all_squash", "all", "read", False),
        ("rw,no_root_squash", "none", "write", False),
        ("ro,sec=krb5p", "root", "read", True),
        ("", "root", "read", False),  # read only is the default of exports(5)
    ],
)
def test_options_of_an_export(
    plan: Plan, at: str, options: str, squash: str, may: str, secured: bool
) -> None:
    (found,) = read("exports", f'"{at}" 10.0.0.2({options})\n', plan).proposals
    item = found.item
    assert (item["squash"], item["may"], item["secured"]) == (squash, may, secured)
    assert item["clients"] == ["10.0.0.2"]


def test_unknown_options_paths_and_mixed_clients_keep_their_line(plan: Plan, at: str) -> None:
    report = read(
        "exports",
        f"{at} 10.0.0.2(rw) 10.0.0.3(ro,crossmnt)\n/srv/other *(ro)\n/lonely\n# done\n",
        plan,
    )
    assert verdicts(report) == {
        1: "not understood",
        2: "not understood",
        3: "not understood",
        4: "no matter",
    }
    assert "option crossmnt" in report.lines[0].why
    assert "different options" in report.lines[0].why
    assert "/srv/other is exported, and the plan has no dataset there" in report.differences


# --- rsyncd.conf -------------------------------------------------------------------------------


def test_modules_read_only_unless_they_say_so_and_open_ones_are_named(at: str) -> None:
    plan = lab(
        exports=(
            Export(
                id="e1",
                name="mill",
                protocol="rsync",
                dataset="files",
                accounts=("ana",),
                clients=("10.0.0.0/24",),
            ),
            Export(
                id="e2",
                name="gone",
                protocol="rsync",
                dataset="files",
                accounts=("bo",),
                clients=("10.0.0.0/24",),
            ),
        )
    )
    report = read(
        "rsyncd.conf",
        f"""pid file = /run/rsyncd.pid
[mill]
path = {at}
auth users = ana, zoe
hosts allow = 10.0.0.0/24 10.0.1.4
max verbosity = 3
[open]
path = {at}
read only = false
[lost]
path = /srv/lost
""",
        plan,
    )
    items = {p.name: p for p in report.proposals}
    assert items["mill"].what == "changed"
    assert items["mill"].item["may"] == "read"
    assert items["mill"].item["clients"] == ["10.0.0.0/24", "10.0.1.4"]
    assert items["mill"].item["accounts"] == ["ana"]
    assert (items["open"].what, items["open"].item["may"]) == ("new", "write")
    assert verdicts(report)[6] == "not understood"
    for told in (
        "module mill: zoe is no account of the plan",
        "module open asks for no password",
        "module lost is at /srv/lost, where the plan has no dataset",
        "module gone is in the plan and not in the file",
    ):
        assert told in report.differences


# --- fstab -------------------------------------------------------------------------------------


def on_ext4(**more: object) -> Plan:
    one = lab().pools[0].model_copy(update={"family": "raid5", "filesystem": "ext4", **more})
    return lab(pools=(one, lab().pools[1]))


def test_fstab_mounts_against_pools() -> None:
    plan = on_ext4()
    folder = folders(plan)["files"].rpartition("/")[0]
    report = read(
        "fstab",
        f"""UUID=aa-bb / ext4 defaults 0 1
proc /proc proc defaults 0 0
/dev/sdb1 {folder} xfs defaults 0 2
/dev/sdc1 /mnt/old\\040disk ext4 defaults 0 2
/dev/sdd1 swap
""",
        plan,
    )
    assert verdicts(report) == {
        1: "no matter",
        2: "no matter",
        3: "understood",
        4: "not understood",
        5: "not understood",
    }
    assert report.differences == [
        f"{folder} is xfs, the plan has ext4",
        f"{folder} is mounted by /dev/sdb1, which may change: by UUID",
        f"{folder} may be dead one day and lacks nofail: a start hangs, and nobody gets in from afar",
        "/mnt/old disk is mounted, and the plan has no pool there",
    ]
    assert read("fstab", "", plan).differences == [f"{folder} is in the plan and not in the file"]


# --- passwd and group --------------------------------------------------------------------------


def test_accounts_of_people_are_proposed_and_the_system_s_are_not(plan: Plan) -> None:
    report = read(
        "passwd",
        """root:x:0:0:root:/root:/bin/bash
ana:!:1000:1000:Ana,,,:/home/ana:/bin/bash
Ivo Q:x:1002:1002::/home/ivo:/bin/bash
eve:x:1001:1001:Eve Ohm,Room 3:/home/eve:/bin/bash
nobody:x:65534:65534:nobody:/:/usr/sbin/nologin
cut:x:9
""",
        plan,
    )
    assert verdicts(report) == {
        1: "no matter",
        2: "understood",
        3: "not understood",
        4: "understood",
        5: "no matter",
        6: "not understood",
    }
    items = {p.name: (p.what, p.item) for p in report.proposals}
    assert items["ana"][0] == "changed"
    assert items["ana"][1]["enabled"] is False  # locked in the file
    eve = {"login": "eve", "full_name": "Eve Ohm", "enabled": True, "number": 1001}
    assert items["eve"] == ("new", eve)
    assert "account bo is in the plan and not in the file" in report.differences


def test_an_account_that_is_off_needs_no_line() -> None:
    plan = lab(
        accounts=(
            Account(id="ana", login="ana", full_name="Ana"),
            Account(id="bo", login="bo", full_name="Bo", enabled=False),
        )
    )
    text = "ana:x:1000:1000:Ana:/home/ana:/bin/sh\n"
    numbered = plan.model_copy(
        update={
            "accounts": (plan.accounts[0].model_copy(update={"number": 1000}), plan.accounts[1])
        }
    )
    assert read("passwd", text, numbered).differences == []
    (ana,) = read("passwd", text, plan).proposals
    assert (ana.what, ana.item["number"], ana.why) == ("changed", 1000, "its number here is 1000")


def test_a_number_that_is_another_s_by_the_plan_is_not_taken_over() -> None:
    """Each box gave its numbers out by itself: bo has on one what ana has on the other."""
    ana, bo = (
        Account(id=n, login=n, full_name=n, number=x) for n, x in (("ana", 1000), ("bo", None))
    )
    report = read(
        "passwd",
        "bo:x:1000:1000:bo:/:/bin/sh\nana:x:1001:1001:ana:/:/bin/sh\n",
        lab(accounts=(ana, bo)),
    )
    assert {p.name: p.item["number"] for p in report.proposals} == {"bo": None, "ana": 1001}
    report = read("group", "film:x:1000:\n", lab(accounts=(ana, bo)))
    assert report.proposals[0].item["number"] is None


def test_groups_take_the_members_that_the_plan_knows(plan: Plan) -> None:
    report = read("group", "sudo:x:27:ana\nall:x:1100:bo,zed\nfilm:x:1101:ana\n", plan)
    items = {p.name: (p.what, p.item["members"]) for p in report.proposals}
    assert items == {"all": ("changed", ["bo"]), "film": ("new", ["ana"])}
    assert verdicts(report) == {1: "no matter", 2: "not understood", 3: "understood"}
    assert report.lines[1].why == "no such account: zed"
    group = plan.groups[0].model_copy(update={"number": 1100})
    plan = plan.model_copy(update={"groups": (group,)})
    same = read("group", "all:x:1100:bo,ana\n", plan)
    assert [p.what for p in same.proposals] == ["same"]
    assert same.differences == []


# --- any file ----------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", READERS)
def test_what_is_no_text_is_refused_and_latin_1_is_said(kind: str, plan: Plan) -> None:
    with pytest.raises(Unreadable, match="NUL"):
        read_file(kind, b"a\0b", plan, "box")
    with pytest.raises(Unreadable, match="KiB"):
        read_file(kind, b"#" * (2**20 + 1), plan, "box")
    first = read_file(kind, "# Küche\n".encode("latin-1"), plan, "box").lines[0]
    assert "Latin-1" in first.why


def test_no_kind_but_those_that_can_be_read(plan: Plan) -> None:
    with pytest.raises(Unreadable, match=r"smb\.conf"):
        read_file("sshd_config", b"", plan, "box")


def test_the_longest_folder_wins_for_a_dataset_below_another() -> None:
    plan = lab(
        datasets=(
            Dataset(id="files", name="files", pool="main", size_bytes=TB, change_bytes_per_day=GB),
            Dataset(
                id="scans",
                name="scans",
                pool="main",
                parent="files",
                size_bytes=GB,
                change_bytes_per_day=0,
            ),
        )
    )
    report = read("exports", f"{folders(plan)['scans']} 10.0.0.2(ro)\n", plan)
    assert [p.item["dataset"] for p in report.proposals] == ["scans"]
