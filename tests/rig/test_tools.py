"""The stand-ins' commands say what the real ones on this machine say, and refuse what they refuse.

Source: the very tools, run beside: GNU coreutils, rsync; sshd's 255 and the shell's 127 from their
manuals. zfs and zpool are asked beside OpenZFS itself in `tests/outside/test_openzfs_words.py`.
"""

import os
import re
import subprocess
from datetime import UTC, datetime
from pathlib import Path

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.plan import Plan
from kavrel.core.typed import commands
from kavrel.formats.hostside import lab_job
from kavrel.formats.looks.read import read_look
from kavrel.rig.box import Box
from kavrel.rig.days import Days
from kavrel.rig.lab import CannotBuild, Lab
from kavrel.rig.layers import drives
from kavrel.rig.live import rig
from kavrel.rig.restoring import piped
from kavrel.rig.said import FINE
from kavrel.rig.tools.btrfs import TAKES
from tests.builders import dataset, job, lab
from tests.conftest import needs
from tests.rig.labs import drawn

BEGAN = datetime(2026, 11, 24, tzinfo=UTC)
PLAIN = lab(jobs=(job("snap"),))


@pytest.fixture
def box(tmp_path: Path) -> Box:
    return Lab.built(PLAIN, tmp_path / "lab", BEGAN).boxes["box"]


SCENES: tuple[tuple[str, ...], ...] = (
    ("mkdir -p T/a/b", "ls -1 T", "ls -1 T/a", "test -d T/a/b"),
    ("mkdir T/x/y", "mkdir -p T/x/y", "mkdir T/x/y"),
    ("touch -d @1767225600 T/f", "stat -c %s_%Y T/f", "ls -1A T"),
    ("touch T/none/f", "stat -c %s T/none/f", "cat T/none"),
    ("touch T/f", "rm T/f", "rm T/f", "rm -f T/f", "test -e T/f"),
    ("mkdir -p T/d", "touch T/d/f", "rm T/d", "rm -rf --one-file-system T/d", "ls -1 T/d"),
    ("touch -d @5 T/f", "mv T/f T/g", "ls -1 T", "mv T/f T/h"),
    ("touch T/.hidden", "ls -1 T", "ls -1A T", "ls -1A T/.hidden"),
    ("sha256sum T/none", "test -f T", "ls T/none"),
)


@pytest.mark.parametrize("scene", SCENES, ids=lambda s: s[0])
def test_files_and_folders_are_handled_as_by_the_real_tools(
    scene: tuple[str, ...], box: Box, tmp_path: Path
) -> None:
    real, ours = tmp_path / "real", "/srv/main/t"
    real.mkdir()
    box.command(["mkdir", "-p", ours])
    for line in scene:
        words = [w.replace("T", str(real), 1) if w.startswith("T") else w for w in line.split()]
        theirs = subprocess.run(
            words, check=False, capture_output=True, text=True, env={**os.environ, "LC_ALL": "C"}
        )
        said = box.command([w.replace(str(real), ours) for w in words])
        assert said.code == theirs.returncode, line
        assert said.out.decode().replace(ours, "T") == theirs.stdout.replace(str(real), "T"), line
        assert said.err.replace(ours, "T") == theirs.stderr.replace(str(real), "T"), line


@needs("rsync")
def test_a_mirror_with_a_trash_can_ends_as_with_the_real_rsync(box: Box, tmp_path: Path) -> None:
    real, ours = tmp_path / "real", "/srv/main"

    def both(line: str) -> None:
        words = line.split()
        subprocess.run([w.replace("T/", f"{real}/") for w in words], check=True)
        assert box.command([w.replace("T/", f"{ours}/") for w in words]).code == 0

    def listed(folder: str) -> tuple[set[str], set[str]]:
        there = real / folder
        mine, name = box.find(f"{ours}/{folder}")
        return (
            {str(p.relative_to(there)) for p in there.rglob("*") if p.is_file()},
            set(mine.below(name)),
        )

    real.mkdir()
    both("mkdir -p T/from/deep T/to")
    for name in ("a", "b.part", "deep/c", "deep/d"):
        both(f"touch -d @1000 T/from/{name}")
    mirror = "rsync -aHAX --delete --partial --exclude=*.part --backup --backup-dir=T/can/{} T/from/ T/to/"
    both(mirror.format("one"))
    both("rm T/from/deep/c")
    both("touch -d @2000 T/from/a")
    both(mirror.format("two"))
    for folder in ("to", "can/two"):
        theirs, mine = listed(folder)
        assert mine == theirs, folder
    said = box.command(["rsync", "-a", "/srv/main/none/", "/srv/main/to/"])
    theirs_code = subprocess.run(
        ["rsync", "-a", f"{real}/none/", f"{real}/to/"], check=False, capture_output=True
    )
    assert said.code == theirs_code.returncode == 23


@needs("rsync")
def test_rsync_tells_what_it_does_and_would_do_as_the_real_one_tells_it(
    box: Box, tmp_path: Path
) -> None:
    """Its list of items, names and statistics; sizes of its protocol and speeds are guessed."""
    ours = "/srv/main"

    def real(line: str) -> subprocess.CompletedProcess[str]:
        words = [w.replace("T/", f"{tmp_path}/") for w in line.split()]
        return subprocess.run(words, capture_output=True, text=True, check=False)

    def both(line: str) -> None:
        real(line)
        assert box.command([w.replace("T/", f"{ours}/") for w in line.split()]).code == 0

    def alike(text: str) -> list[str]:
        for way, instead in (
            (r"(sent|received|Total bytes \w+:) [\d,]+( bytes)?", r"\1 N"),
            (r"[\d,.]+ bytes/sec", "S"),
            (r"speedup is [\d.,]+", "speedup"),
            (r"(File list [a-z ]+: )[\d.]+", r"\1N"),
        ):
            text = re.sub(way, instead, text.replace(str(tmp_path), ours))
        # Which folder it clears first hangs on how its lists travel.
        return sorted(text.splitlines())

    def same(line: str) -> None:
        theirs, said = (
            real(line),
            box.command([w.replace("T/", f"{ours}/") for w in line.split()]),
        )
        assert said.code == theirs.returncode, line
        assert alike(said.out.decode()) == alike(theirs.stdout), line
        why = theirs.stderr.replace(str(tmp_path), ours).partition("\n")[0]
        assert why in said.err or said.code in (1, 23), line

    both("mkdir -p T/from/deep/er T/to")
    for name in ("a", "b.part", "deep/c", "deep/d", "deep/er/e"):
        both(f"touch -d @1000 T/from/{name}")
    for folder in ("from", "from/deep", "from/deep/er", "to"):
        real(f"touch -d @{2000 if folder == 'to' else 3000} T/{folder}")
    same("rsync -ain --exclude=*.part T/from/ T/to/")
    assert box.command(["ls", "-1", f"{ours}/to"]).out == b"", "nothing was done"
    same("rsync -avn T/from/ T/to/")
    same("rsync -aHAXi --stats T/from/ T/to/")
    same("rsync -aHAXiv --stats T/from/ T/to/")
    both("rm T/from/deep/d")
    both("rm T/from/deep/er/e")
    both("touch -d @7000 T/from/deep/c")
    both("touch -d @7000 T/from/new")
    real("rmdir T/from/deep/er")
    for folder in ("from", "from/deep"):
        real(f"touch -d @8000 T/{folder}")
    same("rsync -ai --delete --dry-run T/from/ T/to/")
    same("rsync -av --del -n T/from/ T/to/")
    same("rsync -aq --delete -n T/from/ T/to/")
    same("rsync -ai --stats --delete-during T/from/ T/to/")
    same("rsync -ai --delete T/from/ T/to/")
    # Of the folders that lead to its target it makes the last one, and no other.
    same("rsync -avn T/from/ T/some/where/")
    same("rsync -ai T/from/ T/some/where/")
    same("rsync -a T/from/a T/some/where/a")
    same("rsync -a T/from/a T/some/where/")
    same("rsync -ai --stats T/from/ T/fresh/")
    same("rsync -a T/from/a T/alone/")
    same("rsync -av --mkpath T/from/ T/some/where/")
    for folder, lies in (("fresh", b"a\n"), ("alone", b"a\n"), ("some/where", b"a\n")):
        assert box.command(["ls", "-1", f"{ours}/{folder}"]).out.startswith(lies), folder
    # What any system has is there: /mnt without anybody's making it.
    assert box.command(["rsync", "-a", f"{ours}/from/", "/mnt/back/"]).code == 0
    assert box.command(["rsync", "-a", f"{ours}/from/", "/mnt/back/none/er/"]).code == 11
    for wrong in ("rsync -a --bogus T/from/ T/to/", "rsync -ai T/none/ T/to/"):
        same(wrong)


def test_another_box_answers_by_ssh_or_not_at_all(box: Box) -> None:
    far = box.lab.boxes["far"]
    assert box.command(["ssh", "-o", "BatchMode=yes", "far", "hostname"]).out == b"far\n"
    assert box.command(["ssh", "far", "frobnicate"]).code == 127
    assert box.command(["ssh", "nobody", "true"]).code == 255
    far.up = False
    said = box.command(["ssh", "far", "true"])
    assert (said.code, "No route to host" in said.err) == (255, True)
    with pytest.raises(FileNotFoundError):
        box.command(["frobnicate"])


def test_no_shell_is_behind_what_is_asked(box: Box) -> None:
    assert box.command(["sh", "-c", "rm -rf /srv/main", "sh"]).code == 126
    assert box.command(["ls", "-1", "/srv/main/files; touch /tmp/hit"]).code == 2
    assert not Path("/tmp/hit").exists()


def zfs(box: Box, line: str, stdin: bytes = b"") -> tuple[int, str, str]:
    said = box.command(["zfs", *line.split()], stdin)
    return said.code, said.out.decode(), said.err


def test_zfs_sends_differences_and_refuses_what_does_not_match(box: Box) -> None:
    far = box.lab.boxes["far"]
    assert zfs(box, "snapshot main/files@one")[0] == 0
    assert zfs(box, "snapshot main/files@one")[2].endswith("dataset already exists\n")
    whole = box.command(["zfs", "send", "main/files@one"]).out
    assert zfs(far, "receive -u second/j/files", whole)[2] == (
        "cannot receive new filesystem stream: parent of 'second/j/files' does not exist\n"
    )
    zfs(far, "create -p second/j")
    assert zfs(far, "receive -u -o readonly=on second/j/files", whole)[0] == 0
    box.lab.now += 3 * 3600
    zfs(box, "snapshot main/files@two")
    before = far.stores["second"].room.used
    more = box.command(["zfs", "send", "-i", "@one", "main/files@two"]).out
    assert zfs(far, "receive second/j/files", more)[0] == 0
    # Three hours of 2 GB a day, each version once.
    assert far.stores["second"].room.used - before == pytest.approx(0.25e9, rel=0.01)
    assert "most recent snapshot" in zfs(far, "receive second/j/files", more)[2]
    assert zfs(far, "list -H -t snapshot -o name second/j/files")[1].split() == [
        "second/j/files@one", "second/j/files@two",
    ]  # fmt: skip
    assert zfs(box, "list -H -o name main/none")[0] == 1
    assert zfs(box, "destroy main/files@none")[0] == 1


def test_a_start_mounts_what_was_received_and_forgets_a_typed_key(box: Box) -> None:
    far = box.lab.boxes["far"]
    zfs(box, "snapshot main/files@one")
    zfs(far, "create -p second/j")
    whole = box.command(["zfs", "send", "main/files@one"]).out
    assert zfs(far, "receive -u second/j/files", whole)[0] == 0
    assert zfs(far, "get -H -o value mounted second/j/files")[1] == "no\n"
    far.lab.restarted(far)
    assert zfs(far, "get -H -o value mounted second/j/files")[1] == "yes\n"
    sealed = far.datas["second/j/files"]
    sealed.props["raw"] = "open"
    far.lab.restarted(far)
    assert zfs(far, "get -H -o value mounted second/j/files")[1] == "no\n"
    assert "key not loaded" in zfs(far, "mount second/j/files")[2]


def test_a_pool_outlives_what_its_layout_outlives_and_says_so(box: Box) -> None:
    box_lab = box.lab
    said = box.command(["zpool", "status", "-x", "main"])
    assert said.out == b"pool 'main' is healthy\n"
    for disk, state in (("box1", "DEGRADED"), ("box2", "LOST")):
        box_lab.drives[disk].alive = False
        box_lab.changed()
        assert box_lab.health(box.stores["main"].pool) == state
    assert b" state: SUSPENDED" in box.command(["zpool", "status", "main"]).out
    assert box.command(["zfs", "list"]).err == "no datasets available\n"
    box_lab.restarted(box)
    assert box.command(["zpool", "status", "main"]).err == "cannot open 'main': no such pool\n"
    assert box.command(["ls", "-1", "/srv/main/files"]).code == 2


def test_a_wrong_replacement_is_refused_and_a_right_one_heals(tmp_path: Path) -> None:
    spare = (
        lab()
        .disks[-1]
        .model_copy(update={"serial": "NEW", "shelf": None, "host": "box", "bay": "3.5-6"})
    )
    plan = lab(disks=(*lab().disks[:-1], spare))
    box = Lab.built(plan, tmp_path / "lab", BEGAN).boxes["box"]
    box.lab.drives["box1"].alive = False
    box.lab.changed()
    assert (
        "part of active pool 'main'"
        in box.command(["zpool", "replace", "main", "box1", "box2"]).err
    )
    assert "no such device in pool" in box.command(["zpool", "replace", "main", "NEW", "NEW"]).err
    assert box.command(["zpool", "replace", "main", "box1", "NEW"]).code == 0
    assert box.lab.health(box.stores["main"].pool) == "ONLINE"


def test_a_full_pool_takes_nothing_more_and_says_so(box: Box) -> None:
    box.command(["zfs", "snapshot", "main/files@now"])
    room = box.stores["main"].room
    room.used = room.capacity - 10
    box.lab.now += 30 * 86_400
    said = box.command(["touch", "-d", "@5", "/srv/main/files/x"])
    assert said.code == 0  # nothing in it
    data = box.current(box.datas["main/files"])
    assert room.used <= room.capacity
    assert any("full" in m.text for m in box.lab.mail)
    assert data.files


def test_the_tools_of_one_file_system_know_nothing_of_another(box: Box) -> None:
    """Found when an md array was listed by zpool: the wrong tool has to say so, as on a real box."""
    zfs = box.stores["main"]
    for words in (
        ["btrfs", "subvolume", "snapshot", "-r", f"{zfs.at}/files", f"{zfs.at}/.points/files/x"],
        ["btrfs", "scrub", "start", "-B", zfs.at],
        ["btrfs", "device", "stats", zfs.at],
        ["mdadm", "--detail", "/dev/md127"],
    ):
        assert box.command(words).code, words
    zfs.pool = zfs.pool.model_copy(update={"filesystem": "ext4", "family": "raid5"})
    assert box.command(["zpool", "list", "-H"]).out == b""
    assert box.command(["zfs", "snapshot", "main/files@x"]).code
    assert box.command(["mdadm", "--detail", "/dev/md127"]).code == 0
    assert b"raid5" in box.command(["lsblk"]).out


def test_points_on_btrfs_are_read_by_the_scripts_own_eyes(tmp_path: Path) -> None:
    plan = next(
        p
        for p in map(drawn, range(40))
        if p.pools[0].filesystem == "btrfs" and any(j.kind == "replication" for j in p.jobs)
    )
    with rig(plan, BEGAN) as days:
        days.until(days.lab.now + 3 * 86_400)
        key = next(j for j in plan.jobs if j.kind == "replication")
        for box in days.lab.boxes.values():
            for data in box.datas.values():
                mine = [n for n in data.points if f"lab-{key.id}-" in n]
                if not mine:
                    continue
                above, _, leaf = data.at.rpartition("/")
                said = box.command(["sh", "-c", lab_job.LOOK, "sh", f"{above}/.points/{leaf}"])
                assert said.out.decode().count("Name:") >= len(mine)


def test_what_no_stand_in_behaves_as_is_refused_in_words(tmp_path: Path, demo: Plan) -> None:
    told = {"family": "mirror", "filesystem": "none", "groups": (("box1", "box2"),)}
    bare = lab().pools[0].model_copy(update=told)
    with pytest.raises(CannotBuild, match="pool main: no stand-in for "):
        Lab.built(lab().model_copy(update={"pools": (bare, lab().pools[1])}), tmp_path, BEGAN)
    flash = lab().pools[0].model_copy(update={"tier": ("box4",)})
    with pytest.raises(CannotBuild, match="no stand-in for a fast tier of zfs"):
        Lab.built(lab().model_copy(update={"pools": (flash, lab().pools[1])}), tmp_path, BEGAN)


def test_a_disk_tests_itself_and_the_look_takes_it_at_its_word(box: Box) -> None:
    """Its health passes all the while; a short test reads a small part only. Source: smartctl(8)."""
    path, drive = next(iter(drives(box)))
    drive.disk, drive.bad_sectors = drive.disk.model_copy(update={"serial": "SN-9"}), 8

    def seen() -> tuple[bool | None, int | None]:
        said = box.command(["smartctl", "-j", "-a", "-l", "ssd", path])
        (disk,) = read_look(said.out, box.lab.now).machine.disks
        return disk.healthy, disk.failed_tests

    for kind, code, failed in (("short", 0, 0), ("long", 128, 1), ("short", 128, 1)):
        assert box.command(["smartctl", "-q", "errorsonly", "-t", kind, path]) == FINE
        assert box.command(["smartctl", "-a", path]).code == code
        assert seen() == (True, failed)
    drive.bad_sectors = 0
    box.command(["smartctl", "-t", "long", path])
    assert seen() == (True, 0)
    assert b"1 of 1 failed self-tests are outdated" in box.command(["smartctl", "-a", path]).out
    gone = box.command(["smartctl", "-a", "/dev/sdq"])
    assert (gone.code, b"/dev/sdq failed: No such device" in gone.out) == (2, True)


def test_two_at_once_share_nothing_and_leave_nothing() -> None:
    plan = lab(jobs=(job("snap"),), datasets=(dataset(),))
    with rig(plan, BEGAN) as one, rig(plan, BEGAN) as two:
        assert isinstance(one, Days)
        one.until(one.lab.now + 3 * 86_400)
        assert one.told["snap"].ended["ok"] == 3
        assert not two.told
        folders = (one.lab.folder, two.lab.folder)
        assert folders[0] != folders[1]
    assert not any(f.exists() for f in folders)


def test_what_was_sent_encrypted_comes_back_as_the_sheet_says() -> None:
    """Nobody at the far end has its key: without --raw ZFS refuses to send it (zfs-send(8))."""
    first, second = lab().pools
    pools = (first.model_copy(update={"encrypted": True, "passphrase_at": "the tin"}), second)
    sealed = job(
        "r", kind="replication", target_pool="second", encrypted=True, credentials="target",
        key_kept_at=("home", "away"),
    )  # fmt: skip
    with rig(lab(pools=pools, jobs=(sealed,)), BEGAN) as days:
        days.lab.boxes["box"].stores["main"].locked = False
        days.until(days.lab.now + 3 * 86_400)
        box, far = days.lab.boxes["box"], days.lab.boxes["far"]
        point = next(reversed(far.datas["second/r/files"].points))
        plain = piped(
            far, f"zfs send second/r/files@{point} | ssh box zfs receive -u main/files-back"
        )
        assert "dataset key must be loaded" in plain.err
        told = next(v.fetch for v in evaluate(days.lab.plan, BEGAN.date()).jobs if v.id == "r")
        (send,) = [c for t in told for c in commands(t) if "zfs send" in c]
        assert piped(far, send.replace("POINT", point)).code == 0
        assert "main/files-back" in box.datas
        opened, as_its_pool = [c for t in told for c in commands(t) if "-key" in c]
        assert opened == "zfs load-key -L prompt main/files-back"
        assert as_its_pool == "zfs change-key -i main/files-back"
        assert piped(box, as_its_pool).code, "its own key comes first"
        again = f"zfs send main/files-back@{point} | zfs receive -u main/once-more"
        assert piped(box, again).code, "it is locked until its passphrase was typed"
        assert piped(box, opened).code == 0
        assert piped(box, as_its_pool).code == 0
        assert piped(box, again).code == 0
        (placed,) = [t for t in told if t.startswith("put it into place")]
        for command in commands(placed)[:2]:
            assert piped(box, command).code == 0, command
        assert point in box.datas["main/files"].points


def test_after_an_older_point_came_back_the_job_goes_on_once_the_far_end_went_back_too() -> None:
    """What came after is at the far end, and an increment fits its newest point alone (zfs-receive(8))."""
    sent = job("r", kind="replication", target_pool="second", credentials="target")
    with rig(lab(jobs=(sent,)), BEGAN) as days:
        days.until(days.lab.now + 4 * 86_400)
        box, far = days.lab.boxes["box"], days.lab.boxes["far"]
        told = next(v.fetch for v in evaluate(days.lab.plan, BEGAN.date()).jobs if v.id == "r")
        point = list(far.datas["second/r/files"].points)[-3]  # from before the damage
        (send,) = [c for t in told for c in commands(t) if "zfs send" in c]
        (placed,) = [t for t in told if t.startswith("put it into place")]
        for command in (send, *commands(placed)[:2]):
            start = far if command == send else box
            assert piped(start, command.replace("POINT", point)).code == 0, command
        days.lab.now += 86_400
        refused = days.hands["far"].run("r")
        assert refused.code == 1
        assert f"zfs rollback -r second/r/files@{point} there" in refused.err
        (back,) = [re.search(r"zfs rollback -r \S+@POINT", t) for t in told if "rollback -r" in t]
        assert back
        assert piped(far, back[0].replace("POINT", point)).code == 0
        days.lab.now += 86_400
        again = days.hands["far"].run("r")
        assert again.code == 0, again.err
        assert list(far.datas["second/r/files"].points)[-1] > point


@needs("btrfs")
def test_btrfs_says_what_was_left_out_as_the_tool_does(box: Box) -> None:
    """btrfs-progs of this machine: the first line of each complaint, and its code."""
    for asked in (
        *(" ".join(command) for command in TAKES),
        "subvolume snapshot x",
        "device add x",
    ):
        words = ["btrfs", *asked.split()]
        theirs = subprocess.run(words, capture_output=True, text=True, check=False)
        ours = box.command(words)
        assert (ours.code, ours.err.splitlines()[:1]) == (
            theirs.returncode,
            theirs.stderr.splitlines()[:1],
        ), asked
