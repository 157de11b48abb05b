"""Each host's own setup.sh, run from nothing on a bare stand-in of it: what its works say then holds."""

import random
import re
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest

from kavrel.core.consistency import problems
from kavrel.core.index import Index
from kavrel.core.plan import Account, Dataset, Export, Group, Plan, Pool, Quota
from kavrel.core.pools.families import FAMILIES
from kavrel.core.quantities import MIB
from kavrel.core.works.pools import refusal
from kavrel.formats.servers.bundle import host_files
from kavrel.formats.servers.setup import setup_script
from kavrel.rig.bare import root as private
from kavrel.rig.bare.root import CannotRun, Root, text_tools
from kavrel.rig.bare.said import Reader, Refused
from kavrel.rig.bare.setting_up import BareHost, SetUp, scripted, set_up, with_serials
from kavrel.rig.made import made_by_scripts
from kavrel.rig.said import FINE, Said, lines
from kavrel.sketches import SKETCHES, draw
from tests.builders import GB, TODAY, disk, lab
from tests.outside import test_any_pool_for_real as any_pool
from tests.outside.test_pools_for_real import standing
from tests.seeds import some


@pytest.fixture(autouse=True)
def _able(tmp_path: Path) -> None:
    try:
        shut_in(tmp_path / "able", "true")
    except CannotRun as why:
        pytest.skip(f"no namespace here: {why}")


def shut_in(folder: Path, script: str, **tools: Any) -> private.Ran:
    """A script in a root of its own, with these stand-ins."""

    def command(words: list[str], reader: Reader) -> Said:
        told: Said = tools[words[0]](words[1:], reader)
        return told

    (folder / "root").mkdir(parents=True)
    there = Root(
        folder / "root", tuple(tools), command, lambda prompt: None, text_tools(folder / "bin")
    )
    there.make()
    return there.run(script)


def wanted(plan: Plan) -> set[str]:
    index = Index(plan)
    return {p.id for p in plan.pools if not p.standing and not refusal(index, p)}


def each(plan: Plan, folder: Path) -> Iterator[SetUp]:
    for host in scripted(plan):
        yield from set_up(plan, host.id, folder / host.id, TODAY, wanted(plan))


def test_the_demo_is_set_up_from_nothing(demo: Plan, tmp_path: Path) -> None:
    every = list(each(demo, tmp_path))
    assert [run.differs for run in every] == [()] * 8
    assert [run.by_hand for run in every if run.anew and run.host == "heron"] == [
        ("zpool import -f ridge",)
    ]
    runs = {run.host: run for run in every if not run.anew}
    assert len(runs["heron"].works) > 20
    assert (runs["wren"].code, runs["wren"].left) == (0, ())
    # Its wanted pool stands on disks that hold data: those are not wiped.
    assert all("loft" in one for one in runs["heron"].left)
    assert runs["heron"].code == 7


@pytest.mark.parametrize("sketch", list(SKETCHES))
def test_each_sketch_is_set_up_once_its_disks_are_there(sketch: str, tmp_path: Path) -> None:
    plan, without = with_serials(draw(sketch, {}))
    assert without, "nobody bought them yet"
    for run in each(plan, tmp_path):
        assert (run.code, run.left, run.differs) == (0, (), ()), run.said
        assert set(run.pools) == {p.id for p in plan.pools if p.host == run.host}


def box_of_any(seed: int, monkeypatch: pytest.MonkeyPatch) -> Plan:
    """Pools of any family, of ZFS too, over disks of odd sizes."""
    monkeypatch.setattr(any_pool, "SYSTEMS", ("ext4", "xfs", "btrfs", "zfs", "zfs"))
    return any_pool.drawn(seed)


def hold(run: SetUp, plan: Plan) -> None:
    assert run.differs == (), run.said
    by_hand = ("was left alone", "counts no folder", "counts no single", "counts a user")
    assert [x for x in run.left if not any(word in x for word in by_hand)] == [], run.said
    assert set(run.pools) == {p.id for p in plan.pools}


@pytest.mark.parametrize("seed", [5, 6, 11, 40, 73])
def test_any_box_is_made_and_once_more_changes_nothing(
    seed: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan = box_of_any(seed, monkeypatch)
    bare = BareHost(plan, "box", tmp_path, TODAY, wanted(plan))
    hold(bare.looked_at(bare.run()), plan)
    machine = bare.machine
    before = repr(
        (machine.devices, machine.filesystems, machine.zpools, machine.people, machine.rights)
    )
    again = bare.run()
    hold(bare.looked_at(again), plan)
    assert before == repr(
        (machine.devices, machine.filesystems, machine.zpools, machine.people, machine.rights)
    )
    makes = ("+ mkfs", "+ wipefs", "+ mdadm --create", "+ pvcreate", "+ zpool create", "+ useradd")
    assert [x for x in again.said.splitlines() if x.startswith(makes)] == []


@pytest.mark.prove
def test_many_boxes_are_made(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for seed in some(range(100, 130)):
        plan = box_of_any(seed, monkeypatch)
        for run in set_up(plan, "box", tmp_path / str(seed), TODAY, wanted(plan)):
            hold(run, plan)


def booting(plan: Plan, number: int) -> Plan | None:
    """The same box, but it boots from a disk of one of its pools: the first that the plan allows there.

    None where all of them are cut into slices, or each disk has to be as large as it is.
    """
    box = plan.hosts[0]
    pools = [p for p in plan.pools if not FAMILIES[p.family].cuts]
    disks = [d for p in pools for d in (*p.disks, *p.tier)]
    for disk_id in (*disks[number % max(len(disks), 1) :], *disks):
        boots = box.model_copy(update={"boot_disk": disk_id, "system_bytes": 600 * MIB + 1})
        changed = plan.model_copy(update={"hosts": (boots,)})
        if not problems(changed):
            return changed
    return None


def boots_from_data_and_holds(plan: Plan, folder: Path) -> None:
    bare = BareHost(plan, "box", folder, TODAY, wanted(plan))
    whole = next(
        d.path for d in bare.machine.devices.values() if bare.machine.parts_of(d.path) and d.serial
    )
    before = [(d.path, d.part, dict(d.signs)) for d in bare.machine.parts_of(whole)]
    ran = bare.run()
    hold(bare.looked_at(ran), plan)
    after = [(d.path, d.part, dict(d.signs)) for d in bare.machine.parts_of(whole)]
    assert after[: len(before)] == before
    assert len(after) == len(before) + 1
    assert after[-1][1] is not None
    index = Index(plan)
    assert after[-1][1].end - after[-1][1].start == index.data_bytes(plan.hosts[0].boot_disk or "")
    # Read back, and on a system that was installed anew beside what is left of the disk.
    bare.script = setup_script(standing(plan), "box", "revision 2", TODAY)
    hold(bare.looked_at(bare.run()), plan)
    hold(bare.anew(), plan)


@pytest.mark.parametrize("seed", [5, 6, 11, 40])
def test_a_box_that_boots_from_a_data_disk_makes_its_pool_of_the_rest(
    seed: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan = booting(box_of_any(seed, monkeypatch), seed)
    assert plan
    boots_from_data_and_holds(plan, tmp_path)


@pytest.mark.prove
def test_many_boxes_that_boot_from_a_data_disk_make_their_pools(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    seeds = some(range(200, 225))
    plans = {n: booting(box_of_any(n, monkeypatch), n) for n in seeds}
    able = {n: plan for n, plan in plans.items() if plan}
    assert len(able) > 0.8 * len(seeds)
    for seed, plan in able.items():
        boots_from_data_and_holds(plan, tmp_path / str(seed))


@pytest.mark.parametrize("seed", [3, 4, 5, 13])
def test_what_was_read_back_is_put_together_on_a_system_installed_anew(
    seed: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The plan knows by then that its pools stand: each layer comes back, and what opens them."""
    plan = box_of_any(seed, monkeypatch)
    bare = BareHost(plan, "box", tmp_path, TODAY, wanted(plan))
    hold(bare.looked_at(bare.run()), plan)
    bare.script = setup_script(standing(plan), "box", "revision 2", TODAY)
    hold(bare.looked_at(bare.run()), plan)
    hold(bare.anew(), plan)


OF_THE_NIGHT = ("lab-jobs.json", "lab-job", "lab-look", "setup.sh", "nftables.conf")
NAMED = re.compile(r"(/srv/[^\s\"':,;%]+)|UUID=([-0-9a-f]{36})")


@pytest.mark.parametrize("which", ["demo", *SKETCHES, 3, 8, 40])
def test_what_the_files_of_a_box_name_is_there_once_its_script_ran(
    which: str | int, demo: Plan, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan = box_of_any(which, monkeypatch) if isinstance(which, int) else demo
    if isinstance(which, str) and which != "demo":
        plan, _ = with_serials(draw(which, {}))
    named = 0
    for host in scripted(plan):
        bare = BareHost(plan, host.id, tmp_path / host.id, TODAY, wanted(plan))
        bare.run()
        for name, (text, _) in host_files(plan, host.id, "revision 1", TODAY).items():
            rows = [] if name in OF_THE_NIGHT else text.splitlines()
            rows = [r for r in rows if " nfs4 " not in r]  # what another box has is not here
            for path, uuid in NAMED.findall("\n".join(r for r in rows if not r.startswith("#"))):
                there = bare.machine.inside(path).exists() if path else False
                assert there or uuid in bare.machine.filesystems, (name, path, uuid)
                named += 1
    assert named or which == "router_disk"


class Stopped(Exception):
    pass


def stopped_and_run_again(plan: Plan, folder: Path, after: int, done: bool) -> SetUp | None:
    """Killed at its n-th command, once that is `done` or before, and run again; None where it has fewer."""
    bare = BareHost(plan, "box", folder, TODAY, wanted(plan))
    plain, count = bare.root.command, 0

    def cut(words: list[str], reader: Reader) -> Said:
        nonlocal count
        count += 1
        if count == after:
            if done:
                with suppress(Refused):
                    plain(words, reader)
            raise Stopped
        return plain(words, reader)

    bare.root.command = cut
    try:
        bare.run()
    except Stopped:
        pass
    else:
        return None
    bare.root.command = plain
    return bare.looked_at(bare.run())


def killed_everywhere(plan: Plan, folder: Path, step: int, luck: random.Random) -> int:
    after = tried = 0
    while True:
        after += luck.randint(1, step)
        run = stopped_and_run_again(plan, folder / str(after), after, luck.random() < 0.5)
        if run is None:
            return tried
        hold(run, plan)
        tried += 1


def test_killed_at_a_command_it_ends_right_when_it_is_run_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan = box_of_any(5, monkeypatch)
    assert killed_everywhere(plan, tmp_path, 60, random.Random(3)) > 3


@pytest.mark.prove
@pytest.mark.parametrize("seed", [0, 3, 4])
def test_killed_at_any_command_it_ends_right_when_it_is_run_again(
    seed: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan = box_of_any(seed, monkeypatch)
    assert killed_everywhere(plan, tmp_path, 8, random.Random(seed)) > 12


def one_of_each(**changes: Any) -> Plan:
    """A box with a wanted mirror, a private folder, a group, and limits."""
    disks = (disk(1, serial="SN-1", capacity_bytes=8 * 10**12), disk(2, serial="SN-2"))
    pool = {"id": "main", "name": "main", "host": "box", "family": "mirror", "filesystem": "zfs"}
    fields: dict[str, Any] = {
        "pools": (Pool.model_validate(pool | {"groups": [["box1", "box2"]], "standing": False}),),
        "disks": disks,
        "datasets": (Dataset(id="files", name="files", pool="main", size_bytes=GB, quota_bytes=GB),),
        "accounts": (Account(id="ann", login="ann", full_name="Ann", number=3001),),
        "groups": (Group(id="us", name="us", members=("ann",)),),
        "quotas": (Quota(id="q", account="ann", dataset="files", bytes=10**8),),
        "shares": (), "grants": (), "exports": (), "jobs": (), "apps": (),
    }  # fmt: skip
    plan = lab()
    here = tuple(h for h in plan.hosts if h.id == "box")
    return plan.model_copy(update=fields | {"hosts": here, "links": ()} | changes)


@pytest.mark.parametrize(
    ("was", "becomes", "seen"),
    [
        ("zpool create -f", "zpool create", "ZFS pool main: it is not there"),  # 4 and 8 TB
        ("mirror ", "", "ZFS pool main: its groups is"),
        ("-o ashift=12 ", "-o ashift=9 ", "ashift is '9'"),
        ("usermod -a -G us", "true -a -G us", "what it is in is []"),
        ("new_account ann yes 3001", "new_account ann yes 3002", "its number is 3002"),
        ("quota=1000000000 ", "quota=none ", "quota is 'none'"),
        ("userquota@ann=100000000 ", "userquota@ann=1 ", "its limit is '1'"),
        (
            "run zfs set acltype=posixacl xattr=sa",
            "run zfs set acltype=off xattr=sa",
            "its list is ()",
        ),
        ("root:root 2770", "root:us 2770", "whose it is is 'root:us'"),
        ("other::---", "other::rwx", "its list is"),
    ],
)
def test_a_script_that_makes_something_else_is_seen(
    was: str, becomes: str, seen: str, tmp_path: Path
) -> None:
    plan = one_of_each()
    bare = BareHost(plan, "box", tmp_path, TODAY, {"main"})
    assert was in bare.script
    plain = bare.looked_at(bare.run())
    assert (plain.code, plain.left, plain.differs) == (0, (), ()), plain.said
    other = BareHost(plan, "box", tmp_path / "other", TODAY, {"main"})
    other.script = other.script.replace(was, becomes)
    found = other.looked_at(other.run())
    assert seen in " ".join(found.differs), found


def test_disks_that_a_person_does_not_give_are_not_wiped(tmp_path: Path) -> None:
    bare = BareHost(one_of_each(), "box", tmp_path, TODAY, ())
    found = bare.looked_at(bare.run())
    assert "its disks are as they were" in " ".join(found.left)
    assert bare.machine.zpools == {}
    assert (found.code, found.differs, found.pools) == (7, (), ())


TOUCHES = """
for file in /etc/passwd /usr/lib/mine /bin/mine /root/mine /srv/mine /dev/sda /proc/version; do
  (echo x >"$file") 2>/dev/null && echo "wrote $file"
done
ls / | tr '\\n' ' '; echo
command -v mkfs.ext4 mount zpool python3 perl curl ip || echo none of them
mkdir -p /srv/deep && cd /srv/deep && ls ../../../../../ | grep -c -e home -e boot -e proc
stand-in one 'two  words' '' 'ü; $(id)' && printf 'piped\\nwords' | stand-in all
"""


def test_a_script_sees_nothing_of_the_machine_and_changes_nothing_of_it(tmp_path: Path) -> None:
    heard: list[list[str]] = []

    def stand_in(words: list[str], reader: Reader) -> Said:
        heard.append(words)
        return lines(reader.all().decode()) if words == ["all"] else FINE

    before = {
        p: Path(p).stat().st_mtime_ns for p in ("/etc/passwd", "/usr/lib", "/root", "/srv", "/dev")
    }
    ran = shut_in(tmp_path, TOUCHES, **{"stand-in": stand_in})
    said = ran.said.splitlines()
    assert [x for x in said if x.startswith("wrote")] == [
        f"wrote {one}" for one in ("/etc/passwd", "/root/mine", "/srv/mine", "/dev/sda")
    ]
    assert "none of them" in said
    assert heard == [["one", "two  words", "", "ü; $(id)"], ["all"]]
    assert said[-2:] == ["piped", "words"]
    assert before == {p: Path(p).stat().st_mtime_ns for p in before}
    assert not Path("/root/mine").exists()
    assert (tmp_path / "root" / "root" / "mine").read_text() == "x\n"


KILLED = """
import os, signal, sys
from pathlib import Path
from kavrel.rig.bare.root import Root, text_tools
def command(words, reader): os.kill(os.getpid(), signal.SIGKILL)
there = Path(sys.argv[1])
root = Root(there / "root", ("stop",), command, lambda prompt: None, text_tools(there / "bin"))
root.make()
root.run("stop; sleep 600")
"""


def test_nothing_goes_on_once_what_started_it_was_killed(tmp_path: Path) -> None:
    (tmp_path / "root").mkdir()
    done = subprocess.run([sys.executable, "-c", KILLED, str(tmp_path)], check=False, timeout=240)
    assert done.returncode == -signal.SIGKILL
    deadline = time.monotonic() + 120
    while left := [p for p in Path("/proc").glob("[0-9]*/cmdline") if _names(p, str(tmp_path))]:
        assert time.monotonic() < deadline, left


def _names(file: Path, text: str) -> bool:
    with suppress(OSError):  # it has ended meanwhile
        return text.encode() in file.read_bytes()
    return False


def test_a_link_that_leads_out_of_its_root_is_not_followed(tmp_path: Path) -> None:
    bare = BareHost(one_of_each(), "box", tmp_path / "here", TODAY, {"main"})
    outside = tmp_path / "outside"
    outside.mkdir()
    (bare.machine.root / "srv" / "main").symlink_to(outside)
    bare.run()
    assert list(outside.iterdir()) == []


def test_where_no_namespace_is_given_that_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(shutil, "which", lambda name: None)
    made = made_by_scripts(one_of_each(), TODAY)
    assert (made.pools, made.left, made.set_up) == (("main",), (), ())
    assert "not installed" in made.not_set_up


def test_a_pool_that_its_script_does_not_make_is_none(monkeypatch: pytest.MonkeyPatch) -> None:
    plain = BareHost.__init__

    def broken(self: BareHost, *told: Any) -> None:
        plain(self, *told)
        self.script = self.script.replace("zpool create -f", "zpool create")

    monkeypatch.setattr(BareHost, "__init__", broken)
    made = made_by_scripts(one_of_each(), TODAY)
    assert made.pools == ()
    assert made.left[0].startswith("main: its setup.sh did not make it: pool main is not finished")
    assert [p.standing for p in made.plan.pools] == [False]


def test_where_no_program_runs_in_a_root_of_its_own_nothing_is_said_of_the_script(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(private, "LIBRARIES", ())  # as where they lie elsewhere
    with pytest.raises(CannotRun, match="No such file"):
        shut_in(tmp_path, "true")


def test_a_disk_over_the_network_is_rounded_up_to_whole_blocks(tmp_path: Path) -> None:
    """Source: zfs-create(8), -V."""
    lun = Export(id="e", name="cutter", protocol="iscsi", dataset="files", size_bytes=10**9)
    bare = BareHost(one_of_each(exports=(lun,)), "box", tmp_path, TODAY, {"main"})
    found = bare.looked_at(bare.run())
    assert (found.code, found.left, found.differs) == (0, (), ()), found.said
    size = int(bare.machine.datasets["main/files/cutter"]["volsize"])
    assert size - 10**9 == 5_632
    assert size % 8_192 == 0
