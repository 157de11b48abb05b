"""Whom a box's SMB server lets do what: the stand-in by hand, against the access matrix, and beside smbd."""

import os
import random
from pathlib import Path

import pytest

from kavrel.core.plan import Plan
from kavrel.rig.live import lived, rig
from kavrel.rig.real import parts
from kavrel.rig.real.compared import Compared
from kavrel.rig.real.smb import NEEDED, smb_here
from kavrel.rig.shared import ONLY_OWN, Folder, Member, Shared
from tests.conftest import needs
from tests.outside.test_cells_whole import somebody
from tests.rig.comparing import BEGAN

CONF = """[global]
   map to guest = Bad User
[all]
   path = /srv/all
   guest ok = yes
   invalid users = eve
   read only = yes
   write list = ana bo
   create mask = 0664
[own]
   path = /srv/own/%U
   valid users = ana bo
   read only = no
"""
SMB = [
    *(needs(program) for program in NEEDED),
    pytest.mark.skipif(os.geteuid() != 0, reason="accounts and folders of others need root"),
    pytest.mark.xdist_group("samba"),
]


def box(folder: Folder, made: str = "rw-", above: int = 0o755) -> Shared:
    """Two shares; ana and bo are of the household, which folder and list are about."""
    if made:
        passed_on = {"user::": "rwx", "group::": "---", "group:house:": f"{made[:2]}x"}
        passed_on |= {"mask::": "rwx", "other::": "---"}
        entries = dict(folder.entries) | {f"default:{k}": v for k, v in passed_on.items()}
        folder = Folder(folder.owner, folder.group, folder.mode, entries)
    return Shared(
        "box",
        CONF,
        {
            "ana": Member(1001, 1001, frozenset({"house"})),
            "bo": Member(1002, 1002, frozenset({"house"})),
            "eve": Member(1003, 1003, frozenset({"house"})),
            "cy": Member(1004, 1004, frozenset()),
            "nobody": Member(65534, 65534, frozenset()),
        },
        {"house": 2000, "ana": 1001, "bo": 1002, "nogroup": 65534},
        {
            "/srv/all": folder,
            "/srv": Folder(mode=above),
            "/srv/own": Folder(mode=0o711),
            "/srv/own/ana": Folder("ana", "ana", 0o700),
            "/srv/own/bo": Folder("ana", "ana", 0o700),
        },
        {"a": "all", "o": "own"},
    )


def test_lists_of_the_share_and_rights_of_the_folder_both_have_a_say() -> None:
    """Worked by hand by smb.conf(5) and acl(5)."""
    listed = {
        "user::": "rwx",
        "group::": "---",
        "group:house:": "rwx",
        "mask::": "rwx",
        "other::": "r-x",
    }
    seen = box(Folder("root", "root", 0o775, listed))
    assert [seen.may(n, "all") for n in ("ana", "bo", "eve", "cy", "")] == [
        *("write", "write"),
        "none",  # an invalid user, whatever the folder says
        *("read", "read"),  # by what all others may; a guest is nobody
    ]
    masked = box(Folder("root", "root", 0o755, listed | {"mask::": "r-x"}))
    assert masked.may("ana", "all") == "read"  # the list says more than the mask lets through
    assert box(Folder("root", "root", 0o775, listed), made="r--").may("ana", "all") == ONLY_OWN
    assert box(Folder("root", "root", 0o775, listed), made="").may("ana", "all") == ONLY_OWN
    assert box(Folder("root", "house", 0o2775), made="").may("ana", "all") == "write"
    named = box(Folder("root", "root", 0o775, listed | {"user:ana:": "---"}))
    assert named.may("ana", "all") == "none"  # an entry of its own comes before its groups'
    assert box(Folder("root", "root", 0o775, listed), above=0o700).may("ana", "all") == "none"


def test_a_home_is_ones_own() -> None:
    seen = box(Folder())
    assert [seen.may(n, "own") for n in ("ana", "bo", "cy", "")] == [
        "write",
        "none",
        "none",
        "none",
    ]
    assert {(n, s) for n, s, _ in seen.cells(["ana"])} == {("ana", "a"), ("", "a"), ("ana", "o")}


def agree(plan: Plan, real: bool) -> tuple[Compared, ...]:
    """Every cell is as planned by the stand-in, and with `real` smbd says the same of each."""
    with rig(plan, BEGAN, real=real, scripts=True) as days:
        found = lived(days, 0.1)
        assert found.not_set_up == ""
        assert [x for x in found.not_real if x.startswith("smbd")] == []
        cells = [line for line in found.lines if "in its shares" in line.what]
        assert cells
        assert [line for line in cells if not line.agrees] == []
        return tuple(days.lab.real.compared) if days.lab.real else ()


@needs("unshare")
@pytest.mark.parametrize("seed", range(3))
def test_random_people_get_what_the_matrix_says_from_the_stand_in(seed: int) -> None:
    agree(somebody(random.Random(seed), seed), real=False)


@pytest.mark.prove
class TestBeside:
    """What takes smbd itself."""

    pytestmark = SMB

    def test_the_demo_labs_people(self, demo: Plan) -> None:
        (told,) = [c for c in agree(demo, real=True) if c.name == "smbd"]
        assert told.differs == []
        assert told.asked > 60

    @pytest.mark.parametrize("seed", range(40, 44))
    def test_random_people(self, seed: int) -> None:
        (told,) = [
            c for c in agree(somebody(random.Random(seed), seed), real=True) if c.name == "smbd"
        ]
        assert told.differs == []
        assert told.asked > 20

    def test_a_stand_in_that_is_wrong_is_noticed(
        self, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        with rig(somebody(random.Random(40), 40), BEGAN, scripts=True) as days:
            boxes = parts.served(days.lab)
        monkeypatch.setattr("kavrel.rig.shared._may_write", lambda login, told: True)
        told = smb_here(boxes, tmp_path)
        assert isinstance(told, Compared)
        assert 0 < told.differed < told.asked
        assert "the stand-in: write" in told.differs[0]
