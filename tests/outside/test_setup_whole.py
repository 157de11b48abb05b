"""setup.sh run whole, as root, in a namespace of its own: accounts, disks and folders afterwards.

Real useradd, groupadd, usermod, wipefs, mkfs, mount and btrfs on loop devices; /etc is a copy and
/srv a tmpfs, so that nothing of this machine changes. ZFS is a stand-in that keeps its rules.
Sources: the manual pages of those programs; udev's names in /dev/disk/by-id, value from memory.
"""

import hashlib
import json
import os
import re
import shlex
import shutil
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path

import pytest

from kavrel.core.edit import put
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import (
    Account,
    Dataset,
    Export,
    Grant,
    Group,
    LogEntry,
    Plan,
    Pool,
    Quota,
    Share,
)
from kavrel.core.shares.names import folders
from kavrel.core.works.volumes import volumes_of
from kavrel.formats.lab_jobs import lab_jobs, script
from kavrel.formats.readers import read_file
from kavrel.formats.servers.setup import setup_script
from kavrel.formats.servers.units import units
from tests.builders import GB, disk, job, lab
from tests.conftest import needs
from tests.outside import OWN_ETC

pytestmark = [
    needs("unshare"),
    needs("mkfs.btrfs"),
    needs("mkfs.ext4"),
    pytest.mark.skipif(os.geteuid() != 0, reason="namespaces and accounts need root"),
]
SMALL = 1_000_000_000  # bytes of the smallest disk that a plan can have
STAND_IN = Path(__file__).parent.parent / "formats" / "hostside" / "zfs_stand_in.py"
RUNNER = """
set -e
mkdir -p {folder}/room
mount -t tmpfs none {folder}/room
{own_etc}
mkdir {folder}/room/var {folder}/room/var-work
mount -t overlay overlay -o lowerdir=/var/lib,upperdir={folder}/room/var,workdir={folder}/room/var-work /var/lib
mount -t tmpfs -o mode=755 none /srv
{mounted}
{before}
set +e
printf '{answer}' | sh {folder}/setup.sh {args} >{folder}/said 2>&1
echo "rc=$?" >{folder}/code
{after}
"""


def each_mounted(plan: Plan, host: str) -> str:
    """Each dataset of a ZFS pool mounted by itself, as the servers' files look for it."""
    at = folders(plan)
    pools = {p.id for p in plan.pools if p.host == host and FILESYSTEMS[p.filesystem].by_name}
    mine = sorted(shlex.quote(at[d.id]) for d in plan.datasets if d.pool in pools)
    return "".join(f"mount --bind {folder} {folder}\n" for folder in mine)


@dataclass
class Ran:
    """What a run of the script said and left behind."""

    code: int
    said: str
    seen: str
    zfs: dict[str, object] = field(default_factory=dict)

    @property
    def left(self) -> list[str]:
        return [x.removeprefix("LEFT: ") for x in self.said.splitlines() if x.startswith("LEFT: ")]


class House:
    """A machine for one script: its disks are files on loop devices."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.loops: list[str] = []
        (folder / "bin").mkdir()
        (folder / "by-id").mkdir()
        for name, word in (("zfs", ""), ("zpool", "zpool")):
            self.command(name, f'exec {sys.executable} {STAND_IN} {word} "$@"')
        for name in ("mdadm", "cryptsetup", "pvcreate", "vgcreate", "lvcreate"):
            self.command(name, f'echo "{name} $*" >>{folder}/others')
        for n in (1, 2, 3):  # those of the pool that stands
            (folder / "by-id" / f"ata-X_SN-{n}").touch()
        self.pools()

    def command(self, name: str, text: str) -> None:
        path = self.folder / "bin" / name
        path.write_text(f"#!/bin/sh\n{text}\n", encoding="utf-8")
        path.chmod(0o755)

    def pools(self, *names: str) -> None:
        state = {"sets": {n: {} for n in names}, "content": {}, "tokens": {}, "cut": False}
        (self.folder / "zfs.json").write_text(json.dumps(state), encoding="utf-8")

    def plug_in(self, serial: str, usb: bool = False, size: int = SMALL) -> Path:
        """A disk of this size with a file system of long ago on it."""
        image = self.folder / f"disk-{serial}"
        with image.open("wb") as file:
            file.truncate(size)
        subprocess.run(["mkfs.ext4", "-q", "-F", str(image)], check=True)
        made = subprocess.run(
            ["losetup", "-f", "--show", str(image)], capture_output=True, text=True, check=False
        )
        if made.returncode:
            pytest.skip("this machine has no loop device to give")
        self.loops.append(made.stdout.strip())
        end = "-0:0" if usb else ""
        (self.folder / "by-id" / f"{'usb' if usb else 'ata'}-X_{serial}{end}").symlink_to(
            made.stdout.strip()
        )
        return image

    def run(
        self,
        plan: Plan,
        host: str = "box",
        *,
        answer: str = "",
        before: str = "",
        after: str = "",
        args: str = "",
        today: date = date.min,
        origin: str = "revision 1",
    ) -> Ran:
        text = setup_script(plan, host, origin, today)
        for old in ("code", "said"):  # of the run before: one that never began has neither
            (self.folder / old).unlink(missing_ok=True)
        (self.folder / "setup.sh").write_text(text, encoding="utf-8")
        # What is imported is mounted.
        sets = json.loads((self.folder / "zfs.json").read_text(encoding="utf-8"))["sets"]
        runner = RUNNER.format(
            folder=self.folder,
            own_etc=OWN_ETC.replace("ROOM", f"{self.folder}/room"),
            mounted="\n".join(
                f"mkdir -p /srv/{s}; mount --bind /srv/{s} /srv/{s}" for s in sorted(sets)
            ),
            before=before,
            after=after,
            answer=answer,
            args=args,
        )
        done = subprocess.run(
            # Processes of its own too: usermod lets nobody be who runs something on this machine.
            ["unshare", "-m", "-n", "-p", "-f", "--mount-proc", "sh", "-c", runner],
            capture_output=True,
            text=True,
            check=False,
            env={
                "PATH": f"{self.folder / 'bin'}:/usr/sbin:/usr/bin:/sbin:/bin",
                "KAVREL_BY_ID": str(self.folder / "by-id"),
                "BLKID_FILE": str(self.folder / "blkid.tab"),  # not the one of other tests
                "KAVREL_STATE": str(self.folder / "state"),
                "ZFS_STATE": str(self.folder / "zfs.json"),
                "ZFS_ROOT": "/srv",
                "LANG": "C",
            },
        )
        assert (self.folder / "code").exists(), done.stderr
        return Ran(
            code=int((self.folder / "code").read_text().partition("=")[2]),
            said=(self.folder / "said").read_text(encoding="utf-8"),
            seen=done.stdout,
            zfs=json.loads((self.folder / "zfs.json").read_text(encoding="utf-8")),
        )

    def unplug(self) -> None:
        # The kernel remembers file systems by their UUID, and those of the plan are the same each time.
        # Only these: to forget all would take a disk of another test's pool between its mkfs and its mount.
        for loop in self.loops:
            subprocess.run(
                ["btrfs", "device", "scan", "--forget", loop], check=False, capture_output=True
            )
            subprocess.run(["losetup", "-d", loop], check=True)


@pytest.fixture
def house(tmp_path: Path) -> Iterator[House]:
    found = House(tmp_path)
    yield found
    found.unplug()


def content(path: Path) -> str:
    """What is written in an image and where; its holes, nearly all of it, are not read."""
    seen, end, size = hashlib.sha256(), 0, path.stat().st_size
    with path.open("rb") as image:
        while end < size:
            try:
                start = os.lseek(image.fileno(), end, os.SEEK_DATA)
            except OSError:  # ENXIO: holes to the end
                break
            end = os.lseek(image.fileno(), start, os.SEEK_HOLE)
            image.seek(start)
            while start < end and (block := image.read(min(end - start, 4096))):
                if any(block):  # a hole by another name
                    seen.update(b"%d" % start + block)
                start += len(block)
    return seen.hexdigest()


def wanted(family: str, filesystem: str, *disks: str, **more: object) -> Pool:
    fields = {
        "id": "fresh",
        "name": "fresh",
        "host": "box",
        "family": family,
        "filesystem": filesystem,
        "groups": (disks,),
        "standing": False,
        **more,
    }
    return Pool.model_validate(fields)


def plan_with(pool: Pool, **more: object) -> Plan:
    """The lab with one more pool, on disks 4 and 5, and a dataset on it."""
    data = Dataset(id="new", name="new", pool="fresh", size_bytes=GB)
    fields: dict[str, object] = {
        "disks": (
            *(disk(n, serial=f"SN-{n}") for n in (1, 2, 3)),
            *(disk(n, serial=f"SN-{n}", capacity_bytes=SMALL) for n in (4, 5, 6)),
            *lab().disks[3:],
        ),
        "pools": (*lab().pools, pool),
        "datasets": (*lab().datasets, data),
        **more,
    }
    # File systems get their UUIDs from the plan's name. Two tests at once would make the same one,
    # and so would one after another whose loops the kernel has not let go yet: mkfs.btrfs refuses.
    test = os.environ["PYTEST_CURRENT_TEST"].rpartition(" ")[0]
    return lab(**fields).model_copy(update={"name": f"lab {os.getpid()} {test}"})


def test_the_demo_labs_own_scripts_run_to_the_end(house: House, demo: Plan) -> None:
    for one in demo.disks:
        (house.folder / "by-id" / f"ata-X_{one.serial}").touch()
    for host, pool in (("heron", "ridge"), ("wren", "anvil"), ("dipper", "burrow")):
        house.pools(pool)
        (house.folder / "state" / "limits").unlink(missing_ok=True)  # each is a box of its own
        logins = " ".join(a.login for a in demo.accounts if a.enabled)
        after = f"for one in {logins}; do id -nG $one; done"
        ran = house.run(demo, host, after=after)
        # The wanted pool of the demo stands on disks that hold data: it is made by the run sheet.
        for_hand = [x for x in ran.left if "loft" not in x]
        assert for_hand == [], ran.said
        assert ran.code == (7 if host == "heron" else 0)
        assert len(ran.seen.splitlines()) == sum(a.enabled for a in demo.accounts)
        assert "zpool create" not in ran.said
        sets = ran.zfs["sets"]
        assert isinstance(sets, dict)
        assert len([s for s in sets if "/" in s]) >= len(
            [d for d in demo.datasets if d.pool == pool]
        )
        if host == "heron":
            quotas = ran.zfs["set"]
            assert isinstance(quotas, dict)
            assert "userquota@ines=300000000000" in quotas["ridge/home-folders"]
        # Once more, over what is there: nothing is made again.
        again = house.run(demo, host)
        assert "+ zfs create" not in again.said


def test_a_standing_pool_that_is_not_here_is_named_and_nothing_is_made_in_its_place(
    house: House,
) -> None:
    ran = house.run(plan_with(wanted("mirror", "zfs", "box4", "box5")), after="ls -A /srv")
    assert ran.code == 7
    assert "zpool import main" in " ".join(ran.left)
    assert not [x for x in ran.said.splitlines() if x.startswith("+ zfs create")]
    assert ran.seen == ""  # no folder on the system disk either


def test_a_zfs_pool_with_a_key_file_keeps_its_passphrase_for_root_alone(house: House) -> None:
    house.plug_in("SN-4")
    house.plug_in("SN-5")
    pool = wanted("mirror", "zfs", "box4", "box5", encrypted=True, unlock="key_file")
    plan = plan_with(pool)
    house.pools("main")
    key = "/var/lib/kavrel/keys/fresh.key"
    after = f"stat -c '%U %a' {key} {key.rpartition('/')[0]}; printf 'is <%s>' \"$(cat {key})\""
    ran = house.run(plan, answer="fresh\n two words \n", after=after)
    assert (ran.code, ran.left) == (0, []), ran.said
    assert f"-O keyformat=passphrase -O keylocation=file://{key}" in ran.said
    assert ran.seen.split("\n") == ["root 600", "root 700", "is < two words >"]
    assert "two words" not in ran.said
    # The box opens it before anything is mounted; what is locked by hand waits.
    unit = units(plan, "box", "r")["kavrel-keys.service"]
    assert "ExecStart=-zfs load-key fresh\n" in unit
    assert "Before=zfs-mount.service" in unit
    typed = plan_with(pool.model_copy(update={"unlock": "typed"}))
    assert "kavrel-keys.service" not in units(typed, "box", "r")


def test_a_wanted_btrfs_pool_is_asked_for_by_name_wiped_and_limited(house: House) -> None:
    images = [house.plug_in("SN-4"), house.plug_in("SN-5", usb=True)]
    before = [content(i) for i in images]
    house.pools("main")
    data = Dataset(id="new", name="new", pool="fresh", size_bytes=GB, quota_bytes=10**8, owner="bo")
    plan = plan_with(wanted("copies2", "btrfs", "box4", "box5"), datasets=(*lab().datasets, data))
    refused = house.run(plan, answer="yes\\n")
    assert "its disks are as they were" in " ".join(refused.left)
    assert [content(i) for i in images] == before
    after = (
        "findmnt -n -o FSTYPE,UUID --mountpoint /srv/fresh; btrfs qgroup show -r --raw /srv/fresh; "
        "stat -c '%U:%G %a' /srv/fresh/new; btrfs filesystem usage /srv/fresh | grep RAID1; "
        "umount /srv/fresh"
    )
    house.pools("main")  # each run has a /srv of its own
    ran = house.run(plan, answer="fresh\\n", after=after)
    assert (ran.code, ran.left) == (0, []), ran.said
    assert "serial SN-5" in ran.said
    assert "btrfs" in ran.seen
    assert " 100000000" in ran.seen  # the limit is really there
    assert "bo:root 2770" in ran.seen
    assert "Data,RAID1" in ran.seen
    # What was made is read back: the pool stands, by its UUID, and the Log has it.
    done = (house.folder / "state" / "done").read_bytes()
    report = read_file("setup.done", done, plan, "box")
    assert not [x for x in report.lines if x.verdict == "not understood"]
    (stands,) = [p for p in report.proposals if p.collection == "pools"]
    assert (stands.what, stands.item["standing"]) == ("changed", True)
    entries = {p.item["about"]: p.item["kind"] for p in report.proposals if p.collection == "log"}
    assert entries == {"fresh": "set_up", "new": "set_up", "files": "set_up", "ana": "set_up"} | {
        "bo": "set_up"
    }
    after_it = put(plan, "pools", Pool.model_validate(stands.item))
    for one in report.proposals:
        if one.collection == "log":
            about = one.item["about"]
            entry = LogEntry.model_validate({**one.item, "id": f"done-{about}"}, strict=False)
            after_it = put(after_it, "log", entry)
    reread = read_file("setup.done", done, after_it, "box")
    assert {p.what for p in reread.proposals} == {"same"}
    assert stands.item["uuid"] in ran.seen
    # Run again with the pool mounted: nothing is asked, nothing is made.
    uuid = next(x.split()[-1] for x in ran.seen.splitlines() if x.startswith("btrfs "))
    before_again = f"mkdir -p /srv/fresh; mount UUID={uuid} /srv/fresh"
    house.pools("main")
    again = house.run(plan, before=before_again, after="umount /srv/fresh")
    assert (again.code, again.left) == (0, []), again.said
    assert "+ mkfs" not in again.said
    assert "dataset new is there" in again.said
    # The plan takes its limit back: it is lifted, and one that somebody set by hand stays.
    free = plan.model_copy(
        update={"datasets": (*lab().datasets, data.model_copy(update={"quota_bytes": None}))}
    )
    by_hand = f"{before_again}; btrfs subvolume create /srv/fresh/mine >/dev/null"
    by_hand += "; btrfs qgroup limit 50000000 /srv/fresh/mine"
    look = "btrfs qgroup show -r --raw /srv/fresh; umount /srv/fresh"
    house.pools("main")
    lifted = house.run(free, before=by_hand, after=look)
    assert (lifted.code, lifted.left) == (0, []), lifted.said
    assert "+ btrfs qgroup limit none /srv/fresh/new" in lifted.said, lifted.said
    assert " 100000000" not in lifted.seen
    assert " 50000000" in lifted.seen
    house.pools("main")
    assert "qgroup limit none" not in house.run(free, before=before_again, after=look).said


def test_a_disk_that_is_in_use_is_not_wiped(house: House) -> None:
    image = house.plug_in("SN-4")
    house.pools("main")
    plan = plan_with(wanted("single", "ext4", "box4"))
    before = f"mkdir /tmp/used-{os.getpid()}; mount {house.loops[0]} /tmp/used-{os.getpid()}"
    after = f"umount /tmp/used-{os.getpid()}; rmdir /tmp/used-{os.getpid()}; ls -A /srv"
    ran = house.run(plan, answer="fresh\\n", before=before, after=after)
    assert "pool fresh was not made" in " ".join(ran.left)
    assert subprocess.run(["blkid", str(image)], check=True, capture_output=True).stdout
    assert "fresh" not in ran.seen


@pytest.mark.prove
def test_what_it_may_not_make_it_refuses_and_wipes_nothing(house: House) -> None:
    images = [house.plug_in("SN-4"), house.plug_in("SN-5", size=SMALL - 1_000_000)]
    before = [content(i) for i in images]

    def refused(plan: Plan, why: str) -> None:
        house.pools("main")
        ran = house.run(plan, answer="fresh\\nWIPE\\n", after="ls -A /srv")
        assert ran.code == 7
        assert any(why in x for x in ran.left), ran.left
        assert any("without pool fresh there is no new" in x for x in ran.left)
        assert [content(i) for i in images] == before
        assert "fresh" not in ran.seen  # no data lands on the system disk
        assert not (house.folder / "others").exists()

    mirror = wanted("mirror", "ext4", "box4", "box5")
    refused(plan_with(mirror), "has 998999552 bytes, fewer than the 1000000000 of the plan")
    refused(plan_with(wanted("mirror", "ext4", "box4", "box6")), "no disk with serial SN-6")
    bare = wanted("mirror", "none", "box4", "box5")
    refused(plan_with(bare), "it has no file system by the plan; nothing was wiped")
    boots = plan_with(wanted("single", "ext4", "box4"))
    hosts = (boots.hosts[0].model_copy(update={"boot_disk": "box4"}), *boots.hosts[1:])
    refused(boots.model_copy(update={"hosts": hosts}), "the box boots from box 4")
    # Two disks that say the same serial: somebody would have to know which one is meant.
    (house.folder / "by-id" / "usb-Y_SN-4-0:0").symlink_to(house.loops[1])
    refused(plan_with(wanted("single", "ext4", "box4")), "serial SN-4 answers from /dev/loop")


def test_a_locked_ext4_pool_is_locked_before_it_has_a_file_system(house: House) -> None:
    house.plug_in("SN-4")
    house.pools("main")
    plan = plan_with(wanted("single", "ext4", "box4", encrypted=True))
    ran = house.run(plan, answer="fresh\\n", after="cat /etc/crypttab", args="--print")
    said = [x for x in ran.said.splitlines() if x.startswith("+ ")]
    order = [
        next(n for n, x in enumerate(said) if word in x)
        for word in ("wipefs", "luksFormat", "cryptsetup open", "mkfs.ext4", "+ mount")
    ]
    assert order == sorted(order)
    assert any("mkfs.ext4" in x and "/dev/mapper/fresh-0" in x for x in said)
    assert any("/etc/crypttab: fresh-0 UUID=" in x for x in said)


def test_people_as_they_are_on_a_machine_that_has_some_already(house: House) -> None:
    house.pools("main")
    accounts = (
        *lab().accounts,
        Account(id="crew", login="crew", full_name="Crew's own"),
        Account(id="gone", login="gone", full_name="Gone", enabled=False),
        Account(id="late", login="late", full_name="Late", expires_on=date(2026, 11, 1)),
        Account(id="soon", login="soon", full_name="Soon", expires_on=date(2027, 3, 1)),
    )
    groups = (
        Group(id="all", name="all", members=("ana", "bo", "soon")),
        Group(id="crew", name="crew", members=("bo",)),
        Group(id="boss", name="sudo", members=("bo",)),
    )
    base = lab(
        accounts=accounts,
        groups=groups[:2],
        datasets=(lab().datasets[0].model_copy(update={"owner": "gone"}),),
        grants=(Grant(id="g1", share="share", group="all", right="write"),),
        quotas=(Quota(id="q", account="ana", dataset="files", bytes=GB),),
    )
    plan = base.model_copy(update={"groups": groups})  # as an older plan may have it
    ran = house.run(
        plan,
        before="useradd -M -c Old ana; useradd -M late",
        after="for one in ana bo crew soon; do echo $one: $(id -nG $one); done; "
        "id gone 2>&1; passwd -S late | cut -d' ' -f2; chage -l soon | grep '^Account'; "
        "stat -c '%U:%G %a' /srv/main/files",
        today=date(2026, 11, 24),
    )
    lines = dict(x.split(": ", 1) for x in ran.seen.splitlines() if ": " in x)
    assert set(lines["ana"].split()) == {"ana", "all"}  # was there before, and joins
    assert set(lines["bo"].split()) == {"bo", "all", "crew"}  # not the system's sudo
    assert lines["crew"] == "nogroup"  # a group of that name has members of its own
    assert "no such user" in ran.seen  # what is switched off is not made
    assert "\nL\n" in ran.seen  # what has run out is locked
    assert "Mar 01, 2027" in lines["Account expires\t\t\t\t\t\t"]
    assert "root:all 2770" in ran.seen  # an owner who is switched off does not stop it
    assert [x for x in ran.left if "sudo" in x]
    assert ran.zfs["set"] == {"main/files": [f"userquota@ana={GB}"]}


def test_a_folder_that_is_there_keeps_what_it_has_and_lets_in_whom_the_plan_lets_in(
    house: House,
) -> None:
    house.pools("main")
    state = json.loads((house.folder / "zfs.json").read_text(encoding="utf-8"))
    state["sets"]["main/files"] = {}
    (house.folder / "zfs.json").write_text(json.dumps(state), encoding="utf-8")
    before = (
        "echo old >/srv/main/files/old.txt; chown 33:33 /srv/main/files; chmod 705 /srv/main/files"
    )
    after = "stat -c '%u:%g %a' /srv/main/files; getfacl -cpE /srv/main/files; cat /srv/main/files/old.txt"
    ran = house.run(lab(), before=before, after=after)
    assert ran.seen.startswith("33:33 7")  # its owner stays
    lines = ran.seen.splitlines()
    assert "user:ana:rwx" in lines  # the plan's grant
    assert "other::r-x" in lines  # nobody who got in before is shut out
    assert "old" in lines
    assert any("is of www-data:www-data 705" in x for x in ran.left)
    assert any("what is in /srv/main/files already keeps its rights" in x for x in ran.left)
    # Once it is so, a second run says nothing more of it.
    rights = "setfacl -m user:ana:rwx,default:user:ana:rwx,default:group::---,default:mask::rwx"
    again = house.run(
        lab(),
        before=f"{before}; useradd -M ana; {rights},default:other::--- /srv/main/files",
    )
    assert not [x for x in again.left if "already keeps" in x]
    assert "+ setfacl" not in again.said


def test_a_disk_is_shown_with_what_is_on_it_before_anybody_is_asked(house: House) -> None:
    image = house.plug_in("SN-4")
    house.pools("main")
    ask = ["blkid", "-p", "-o", "value", "-s", "UUID", str(image)]
    label = subprocess.run(ask, check=True, capture_output=True, text=True)
    ran = house.run(plan_with(wanted("single", "ext4", "box4")), answer="no\\n")
    before, _, after = ran.said.partition("Type fresh to wipe")
    assert "serial SN-4" in before
    assert "1000000000 bytes; on it now:" in before
    assert f"ext4 {label.stdout.strip()}" in " ".join(before.split())
    assert "+ wipefs" not in after


def test_files_of_an_older_revision_say_so_and_do_nothing_without_the_word(house: House) -> None:
    house.pools("main")
    assert house.run(lab(), origin="revision 7").code == 0
    older = house.run(lab(), origin="revision 6")
    assert older.code == 9
    assert "Revision 7 of this plan ran here, and this is 6" in older.said
    assert "useradd" not in older.said
    house.pools("main")
    assert "useradd" in house.run(lab(), origin="revision 6", args="--print").said
    assert house.run(lab(), origin="revision 6", args="--anyway").code == 0
    # Another plan has revisions of its own.
    other = lab(name="another lab")
    house.pools("main")
    assert house.run(other, origin="revision 2").code == 0
    assert house.run(lab(), args="--wipe").code == 2


def test_no_function_of_the_script_hides_a_program_that_it_calls(demo: Plan) -> None:
    text = setup_script(demo, "heron", "revision 1")
    names = re.findall(r"^([a-z_]+)\(\)", text, re.MULTILINE)
    assert len(names) > 20
    assert [n for n in names if shutil.which(n)] == []


def test_numbers_are_those_of_the_plan_and_nobody_gets_another_s(house: House) -> None:
    house.pools("main")
    names = {"ana": 3001, "bo": 3002, "eve": 3003}
    accounts = tuple(Account(id=n, login=n, full_name=n, number=x) for n, x in names.items())
    groups = (Group(id="all", name="kvall", number=4001, members=("ana", "bo")),)
    plan = lab(accounts=accounts, groups=groups)
    printed = house.run(plan, args="--print")
    assert "useradd -M -s /usr/sbin/nologin -N -g ana -u 3001" in printed.said
    people = "useradd -M -u 1500 bo; useradd -M -u 3003 other; "
    here = "for one in ana bo eve other; do id $one 2>&1; done; getent group kvall | cut -d: -f3"
    ran = house.run(plan, before=people, after=here)
    said = ran.seen.splitlines()
    assert said[0] == "uid=3001(ana) gid=3001(ana) groups=3001(ana),4001(kvall)"
    assert said[1].startswith("uid=1500(bo) gid=1500(bo)"), "nobody is renumbered without a word"
    assert "no such user" in said[2], "a number that is somebody's is not given twice"
    assert said[3].startswith("uid=3003(other)")
    assert said[4] == "4001"
    told = [x for x in ran.left if "by the plan" in x]
    assert [x.split(",")[0] for x in told if "has the number 1500 here" in x] == [
        "user bo has the number 1500 here",
        "group bo has the number 1500 here",
    ]
    assert any("3003" in x and "that of other here" in x for x in told)
    # What is said makes it so: his files come along.
    way = r"(?:user|group)mod -[ug] \d+ \w+|find .*? \{\} \+"
    doing = "; ".join(w for x in told if "1500" in x for w in re.findall(way, x))
    doing += "; usermod -u 3500 other; groupmod -g 3500 other"
    files = "mkdir -p /srv/main/files; touch /srv/main/files/his; chown bo:bo /srv/main/files/his; "
    again = house.run(
        plan, before=f"{people}{files}{doing}", after=f"stat -c %u:%g /srv/main/files/his; {here}"
    )
    assert not [x for x in again.left if "number" in x]
    assert again.seen.splitlines()[0] == "3002:3002"
    assert again.seen.splitlines()[3].startswith("uid=3003(eve) gid=3003(eve)")


def test_whoever_has_a_home_keeps_it_and_a_second_run_notes_nothing_twice(house: House) -> None:
    house.pools("main")
    inbox = Export(
        id="in", protocol="ftp", name="in", dataset="files", accounts=("ana", "bo"), port=2121
    )
    plan = lab(exports=(inbox,))
    homes = "useradd -m -d /srv/home-of-ana ana"
    after = "getent passwd ana bo | cut -d: -f1,6"
    ran = house.run(plan, before=homes, after=after)
    assert (ran.code, ran.left) == (0, []), ran.said
    assert ran.seen.splitlines() == ["ana:/srv/home-of-ana", "bo:/srv/main/files"]
    assert "invalid option" not in ran.said
    house.run(plan, before=homes)
    noted = (house.folder / "state" / "done").read_text(encoding="utf-8").splitlines()
    assert noted
    assert len({x.partition(" ")[2] for x in noted}) == len(noted)


def test_an_account_that_left_the_plan_is_locked_and_said(house: House) -> None:
    """One that the script made, and no other: who was there before is nobody's to lock."""
    house.pools("main")
    assert house.run(lab()).left == []
    people = "useradd -M ana; useradd -M bo; useradd -M eve; mount -t tmpfs none /root; mkdir /root/.ssh; "
    people += (
        "printf '# mine\\n\\nssh-ed25519 A me\\nssh-ed25519 B box\\n' >/root/.ssh/authorized_keys"
    )
    here = lab().accounts[:1]
    groups = tuple(
        g.model_copy(update={"members": tuple(m for m in g.members if m == here[0].id)})
        for g in lab().groups
    )
    ran = house.run(
        lab(accounts=here, groups=groups),
        before=people,
        after="for one in ana bo eve; do chage -l $one | grep '^Account'; done",
    )
    (said,) = [x for x in ran.left if "in the plan no more" in x]
    assert said.startswith("account bo is in the plan no more and is locked")
    assert [line.split(": ")[1] for line in ran.seen.splitlines()] == [
        "never",
        "Jan 02, 1970",
        "never",
    ]
    assert (
        "root is let in by 2 keys of its authorized_keys; by the plan from: no other box."
        in ran.said
    )


def test_whoever_the_plan_let_in_once_and_lets_in_no_more_is_named(house: House) -> None:
    family = Group(id="all", name="kvall", members=("ana", "bo"))
    share = Share(id="share", name="files", dataset="files")
    let_in = Grant(id="g", share="share", account="bo", right="write")
    plan = lab(groups=(family,), shares=(share,), grants=(let_in,))
    house.pools("main")
    assert house.run(plan).left == []
    # Both are made again in each run's own /etc and /srv: as the first left them.
    people = "useradd -M ana; useradd -M bo; useradd -M eve; groupadd kvall"
    state = json.loads((house.folder / "zfs.json").read_text(encoding="utf-8"))
    before = f"{people}; for one in ana bo eve; do usermod -a -G kvall $one; done; "
    before += "chmod 2770 /srv/main/files; setfacl -m u:bo:rwx,g:kvall:r-x,u:ana:--x,d:u:bo:rwx /srv/main/files"
    out = plan.model_copy(
        update={"grants": (), "groups": (family.model_copy(update={"members": ("ana",)}),)}
    )
    assert "main/files" in state["sets"]
    ran = house.run(out, before=before, after="id -nG bo; getfacl -cpE /srv/main/files")
    assert [x for x in ran.left if "not by the plan" in x] == [
        "bo is in group kvall and not by the plan: gpasswd -d bo kvall",
        "eve is in group kvall and not by the plan: gpasswd -d eve kvall",
    ]
    assert [x.split(" may open")[0] for x in ran.left if "not let in" in x] == [
        "user:bo",
        "group:kvall",
    ]
    assert "user:bo:rwx" in ran.seen, "nobody is thrown out without being asked"
    # What is said takes them out.
    told = "; ".join(x.split(": ", 1)[1] for x in ran.left if "plan: " in x)
    again = house.run(out, before=f"{before}; {told}")
    assert not [x for x in again.left if "by the plan:" in x]


def test_a_folder_whose_rights_could_not_be_given_is_open_to_nobody(house: House) -> None:
    """What a file system makes can be read by all; another program may hold the list of groups just now."""
    family = Group(id="all", name="kvall", members=("ana", "bo"))
    share = Share(id="share", name="files", dataset="files")
    let_in = Grant(id="g", share="share", group="all", right="write")
    house.pools("main")
    look = "stat -c '%U:%G %a' /srv/main/files"
    again = f"rm /etc/group.lock; sh {house.folder}/setup.sh >/dev/null 2>&1"
    ran = house.run(
        lab(groups=(family,), shares=(share,), grants=(let_in,)),
        before="echo $$ >/etc/group.lock",
        after=f"{look}; {again}; {look}",
    )
    assert "dataset files is not finished: see the last line above" in ran.left, ran.said
    assert ran.seen.splitlines() == ["root:root 700", "root:kvall 2770"]


def test_of_a_pool_that_was_made_twice_the_later_is_what_stands() -> None:
    """By a note of each: a disk was wiped by hand, and the script made its pool anew."""
    plan = plan_with(wanted("mirror", "ext4", "box4", "box5"))
    now = volumes_of(Index(plan), next(p for p in plan.pools if p.id == "fresh"))[0].uuid
    old = "00000000-0000-4000-8000-000000000000"
    said = f"2026-01-02 pool/fresh uuid={old}\n2026-03-04 pool/fresh uuid={now}\n"
    report = read_file("setup.done", said.encode(), plan, "box")
    (pool,) = [p for p in report.proposals if p.collection == "pools"]
    assert (pool.item["standing"], pool.item["uuid"]) == (True, now)
    (entry,) = [p for p in report.proposals if p.collection == "log"]
    assert entry.item["on"] == "2026-03-04"


def test_what_was_made_empty_waits_for_its_first_copy() -> None:
    """A job that says its first copy is done says it of a pool that was not there."""
    far = job("far", "replication", target_pool="fresh")
    plan = plan_with(wanted("mirror", "ext4", "box4", "box5")).model_copy(
        update={"jobs": (far.model_copy(update={"kind": "backup"}), job("snap"))}
    )
    now = volumes_of(Index(plan), next(p for p in plan.pools if p.id == "fresh"))[0].uuid
    said = f"2026-03-04 pool/fresh uuid={now}\n".encode()
    report = read_file("setup.done", said, plan, "box")
    (job_item,) = [p for p in report.proposals if p.collection == "jobs"]
    assert (job_item.name, job_item.item["first_copy"]) == ("far", "over_link")
    (pool_item,) = [p for p in report.proposals if p.collection == "pools"]
    stands = put(plan, "pools", Pool.model_validate(pool_item.item))
    # Whoever takes the pool first is still told; a run that went well since settles it.
    again = read_file("setup.done", said, stands, "box")
    assert [p.name for p in again.proposals if p.collection == "jobs"] == ["far"]
    run = LogEntry(
        id="e", on=date(2026, 3, 5), kind="backup_run", about_kind="job", about="far", result="ok"
    )
    later = read_file("setup.done", said, put(stands, "log", run), "box")
    assert not [p for p in later.proposals if p.collection == "jobs"]


TREE = """
findmnt -n -l -o TARGET,FSTYPE,UUID | grep /srv/fresh
as() {{ who=$1; shift; setpriv --reuid=$who --regid=$who --init-groups sh -c "$*"; }}
for n in 1 2 3 4 5 6; do as ana "head -c 300000 /dev/urandom >/srv/fresh/new/$n"; done
as bo 'cat /srv/fresh/new/1 >/dev/null && echo bo reads; echo x >>/srv/fresh/new/1 && echo bo writes'
(cd /srv/fresh/new && sha256sum 1 2 3 4 5 6) >{folder}/sums
export LAB_JOBS={folder}/lab-jobs.json LAB_JOB_STATE={folder}/job-state
python3 {folder}/lab-job upkeep-parity-fresh; echo "parity $?"
echo newer >/srv/fresh-disk1/new/newer
umount /srv/fresh /srv/fresh-disk1 && mkfs.ext4 -q -F -U {uuid} {loop}
python3 {folder}/lab-job upkeep-parity-fresh; echo "nothing mounted $?"
mount UUID={uuid} /srv/fresh-disk1
snapraid -q -c /etc/snapraid-fresh.conf fix -d d1 >/dev/null 2>&1; echo "fix $?"
mount -t fuse.mergerfs -o posix_acl=true,allow_other /srv/fresh-disk1:/srv/fresh-disk2 /srv/fresh
(cd /srv/fresh/new && sha256sum -c --quiet {folder}/sums && echo all back; ls newer 2>&1)
umount /srv/fresh /srv/fresh-disk1 /srv/fresh-disk2 /srv/fresh-parity1
"""


@needs("mergerfs")
@needs("snapraid")
def test_parity_over_separate_disks_brings_back_what_was_there_at_night_and_no_more(
    house: House,
) -> None:
    for serial in ("SN-4", "SN-5", "SN-6"):
        house.plug_in(serial)
    house.pools("main")
    pool = wanted("parity1", "ext4", groups=(("box4", "box5"), ("box6",)))
    share = Share(id="tree", name="tree", dataset="new")
    grants = (
        Grant(id="g2", share="tree", account="ana", right="write"),
        Grant(id="g3", share="tree", account="bo", right="read"),
    )
    plan = plan_with(pool, shares=(*lab().shares, share), grants=(*lab().grants, *grants), jobs=())
    files = {"lab-jobs.json": lab_jobs(plan, "box", "revision 1"), "lab-job": script()}
    for name, text in files.items():
        (house.folder / name).write_text(text, encoding="utf-8")
    index = Index(plan)
    first = volumes_of(index, index.pools["fresh"])[0]
    after = TREE.format(folder=house.folder, uuid=first.uuid, loop=house.loops[0])
    ran = house.run(plan, answer="fresh\\n", after=after)
    assert (ran.code, ran.left) == (0, []), ran.said
    seen = ran.seen.splitlines()
    mounted = {x.split()[0]: x.split()[1] for x in seen if x.startswith("/srv/fresh")}
    assert mounted["/srv/fresh"] == "fuse.mergerfs"
    assert mounted["/srv/fresh-parity1"] == "ext4"
    assert "bo reads" in seen
    assert "bo writes" not in seen
    assert "parity 0" in seen, ran.seen
    assert "nothing mounted 0" not in seen  # an empty folder is not taken for a disk without files
    assert "all back" in seen, ran.seen
    assert not any(x.endswith("new/newer") for x in seen)
    assert any(
        "No such file" in x for x in seen
    )  # what had no parity yet is lost, as the proof says


TIER = """
export LAB_JOBS={folder}/lab-jobs.json LAB_JOB_STATE={folder}/job-state
as() {{ who=$1; shift; setpriv --reuid=$who --regid=$who --init-groups sh -c "$*"; }}
as ana 'mkdir /srv/fresh/new/deep; echo one >/srv/fresh/new/deep/one; echo two >/srv/fresh/new/two'
cd /srv/fresh-fast && find . -type f | sort | sed 's/^/landed /'; cd /
mkdir -m 777 /tmp/held-$$; pid=/tmp/held-$$/pid
as ana "exec 9>>/srv/fresh/new/two; echo \\$\\$ >$pid; exec sleep 60" &
until ls -l /proc/[0-9]*/fd 2>/dev/null | grep -q fresh-fast/new/two; do :; done
python3 {folder}/lab-job upkeep-mover-fresh; echo "mover $?"
kill $(cat $pid); wait; rm -r /tmp/held-$$
cd /srv/fresh-slow && find . -type f | sort | sed 's/^/moved /'; cd /
cat /srv/fresh/new/deep/one; stat -c '%U %n' /srv/fresh-slow/new/deep/one
getfacl -cpE /srv/fresh-slow/new/deep | grep -c '^default:user:bo:r-x'
as bo 'cat /srv/fresh/new/deep/one >/dev/null && echo bo reads on'
umount /srv/fresh /srv/fresh-fast /srv/fresh-slow
"""


@needs("mergerfs")
def test_new_files_land_on_the_fast_tier_and_are_moved_on_but_those_that_are_open(
    house: House,
) -> None:
    for serial in ("SN-4", "SN-5"):
        house.plug_in(serial)
    house.pools("main")
    pool = wanted("single", "ext4", "box4", tier=("box5",), tier_mirrored=False)
    share = Share(id="tree", name="tree", dataset="new")
    grants = (
        Grant(id="g2", share="tree", account="ana", right="write"),
        Grant(id="g3", share="tree", account="bo", right="read"),
    )
    plan = plan_with(pool, shares=(*lab().shares, share), grants=(*lab().grants, *grants), jobs=())
    files = {"lab-jobs.json": lab_jobs(plan, "box", "revision 1"), "lab-job": script()}
    for name, text in files.items():
        (house.folder / name).write_text(text, encoding="utf-8")
    ran = house.run(plan, answer="fresh\\n", after=TIER.format(folder=house.folder))
    assert (ran.code, ran.left) == (0, []), ran.said
    seen = ran.seen.splitlines()
    assert {"landed ./new/deep/one", "landed ./new/two"} <= set(seen), ran.seen
    assert "mover 0" in seen
    moved = [x for x in seen if x.startswith("moved ") and ".kavrel-numbers" not in x]
    assert moved == ["moved ./new/deep/one"]
    assert "one" in seen
    assert "ana /srv/fresh-slow/new/deep/one" in seen
    assert seen[-2:] == ["1", "bo reads on"]  # who may what went with it


@needs("shellcheck")
def test_the_scripts_are_clean_by_shellcheck(tmp_path: Path, demo: Plan) -> None:
    scripts = [("demo", demo, h.id) for h in demo.hosts]
    every = (("slices1", "ext4", True), ("mirror", "zfs", False), ("copies2", "btrfs", True))
    for family, filesystem, locked in every:
        pool = wanted(family, filesystem, "box4", "box5", encrypted=locked)
        scripts.append((family, plan_with(pool), "box"))
    for name, plan, host in scripts:
        path = tmp_path / f"{name}-{host}.sh"
        path.write_text(setup_script(plan, host, "revision 1"), encoding="utf-8")
        # 2015: chains with && and || are meant so, the last one is for whatever failed.
        command = ["shellcheck", "-s", "sh", "-e", "SC2015", str(path)]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        assert done.stdout == ""


def test_a_file_system_that_stands_is_mounted_as_it_is_at_its_own_place(house: House) -> None:
    image = house.plug_in("SN-4")
    ask = ["blkid", "-p", "-o", "value", "-s", "UUID", str(image)]
    uuid = subprocess.run(ask, check=True, capture_output=True, text=True).stdout.strip()
    house.pools("main")
    pool = wanted("single", "ext4", "box4", standing=True, uuid=uuid, path="/srv/kept/here")
    before = f"mount {house.loops[0]} /mnt; mkdir /mnt/new; echo old >/mnt/new/old.txt; umount /mnt"
    at = "/srv/kept/here"
    after = f"findmnt -n -o UUID --mountpoint {at}; cat {at}/new/old.txt; umount {at}"
    ran = house.run(plan_with(pool), before=before, after=after)
    assert ran.seen.splitlines() == [uuid, "old"], ran.said
    assert "+ mkfs" not in ran.said
    assert "+ wipefs" not in ran.said


def test_nothing_is_mounted_over_files_that_are_there_already(house: House) -> None:
    """They would be out of sight below it: an empty share, which a PC that syncs with it empties too."""
    images = [house.plug_in("SN-4"), house.plug_in("SN-5")]
    before = [content(i) for i in images]
    house.pools("main")
    files = (
        "mkdir -p /srv/main/files /srv/fresh; echo mine >/srv/main/files/a; echo old >/srv/fresh/b"
    )
    after = "cat /srv/main/files/a /srv/fresh/b; ls /srv/main"
    for pool in (
        wanted("copies2", "btrfs", "box4", "box5"),
        wanted("mirror", "zfs", "box4", "box5"),
    ):
        house.pools("main")
        ran = house.run(plan_with(pool), answer="fresh\\n", before=files, after=after)
        assert ran.seen.split() == ["mine", "old", "files"], ran.said
        assert [x for x in ran.said.splitlines() if x.startswith("+ z") and "create" in x] == []
        assert "mv /srv/main/files /srv/main/files.before, run this again" in ran.said
        assert "dataset files is not finished: see the last line above" in ran.left
        assert "pool fresh was not made: see the last line above" in ran.left
        assert "WIPED" not in ran.said
        assert [content(i) for i in images] == before
    # As it says: moved aside, and run again.
    house.pools("main")
    aside = f"{files}; mv /srv/main/files /srv/main/files.before; rm /srv/fresh/b"
    ran = house.run(
        lab(), before=aside, after="ls -A /srv/main/files; cat /srv/main/files.before/a"
    )
    assert (ran.code, ran.left, ran.seen.strip()) == (0, [], "mine"), ran.said


def test_a_subvolume_takes_the_place_of_an_empty_folder_and_of_no_other(house: House) -> None:
    house.plug_in("SN-4")
    house.plug_in("SN-5")
    pair = house.loops
    make = f"mkfs.btrfs -q -f -m raid1 -d raid1 {pair[0]} {pair[1]} >/dev/null; mkdir /srv/fresh"
    mounted = f"{make}; mount {pair[0]} /srv/fresh; mkdir /srv/fresh/new"
    plan = plan_with(wanted("copies2", "btrfs", "box4", "box5", standing=True))
    look = "btrfs subvolume show /srv/fresh/new >/dev/null 2>&1 && echo yes; ls /srv/fresh/new"
    look += "; umount /srv/fresh"
    house.pools("main")
    ran = house.run(plan, before=f"{mounted}; echo mine >/srv/fresh/new/a", after=look)
    assert ran.seen.split() == ["a"], ran.said
    assert "/srv/fresh/new is no file system of its own and has files in it" in ran.said
    house.pools("main")
    ran = house.run(plan, before=mounted, after=look)
    assert (ran.left, ran.seen.split()) == ([], ["yes"]), ran.said


@pytest.mark.prove
def test_a_pool_that_only_has_to_be_imported_is_not_made_again_over_itself(house: House) -> None:
    images = [house.plug_in("SN-4"), house.plug_in("SN-5")]
    before = [content(i) for i in images]
    # As zpool-import(8) lists what is there.
    house.command(
        "zpool",
        'if [ "$*" = import ]; then echo "   pool: fresh"; exit 0; fi\n'
        f'exec {sys.executable} {STAND_IN} zpool "$@"',
    )
    house.pools("main")
    ran = house.run(plan_with(wanted("mirror", "zfs", "box4", "box5")), answer="fresh\\n")
    assert any("zpool import fresh; nothing was wiped" in x for x in ran.left), ran.said
    assert "Type fresh" not in ran.said
    assert [content(i) for i in images] == before


def test_a_folder_that_was_begun_and_not_finished_gets_its_rights_all_the_same(
    house: House,
) -> None:
    house.pools("main")
    state = json.loads((house.folder / "zfs.json").read_text(encoding="utf-8"))
    state["sets"]["main/files"] = {}
    (house.folder / "zfs.json").write_text(json.dumps(state), encoding="utf-8")
    (house.folder / "state").mkdir()
    (house.folder / "state" / "making").write_text("/srv/other\n/srv/main/files\n")
    ran = house.run(lab(), before="chmod 755 /srv/main/files", after="stat -c %a /srv/main/files")
    assert (ran.code, ran.left) == (0, []), ran.said
    assert ran.seen.strip() == "2770"
    assert (house.folder / "state" / "making").read_text() == "/srv/other\n"
