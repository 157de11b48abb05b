"""Listings of machines: what is understood of each, and what is said of the rest."""

import json
import os
import re
import subprocess
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from kavrel.core.seen.machine import Machine
from kavrel.formats.looks import LISTINGS
from kavrel.formats.looks.listing import Heard
from kavrel.formats.looks.read import LARGEST, Unreadable, read_look
from tests.formats.looks.machines import NOON, STATUS, disk, look, lsblk, nas, smart, system_disk

# As OpenZFS prints a pool of two mirrors of which one lacks a disk: value from memory, zpool-status(8).
DEGRADED = """  pool: second
 state: DEGRADED
status: One or more devices could not be used because the label is missing or
\tinvalid.  Sufficient replicas exist for the pool to continue functioning.
action: Replace the device using 'zpool replace'.
  scan: resilver in progress since Mon Mar  9 20:00:00 2026
\t1.20T scanned at 400M/s, 300G issued at 100M/s, 3.10T total
config:

\tNAME                       STATE     READ WRITE CKSUM
\tsecond                     DEGRADED     0     0     0
\t  mirror-0                 ONLINE       0     0     0
\t    /dev/sda1              ONLINE       0     0     0
\t    /dev/sdb1              ONLINE       0     0     0
\t  mirror-1                 DEGRADED     0     0     0
\t    /dev/sdc1              ONLINE       0     0     0
\t    1234567890123456789    UNAVAIL      0     0     0  was /dev/sdd1
\tlogs
\t  /dev/nvme0n1p3           ONLINE       0     0     0

errors: Permanent errors have been detected in the following files:

        /second/a file
"""
MDSTAT = """Personalities : [raid1] [raid6] [raid5] [raid4] [raid10]
md0 : active raid5 sdd1[4](S) sdc1[3] sdb1[1](F) sda1[0]
      7813772288 blocks super 1.2 level 5, 512k chunk, algorithm 2 [3/2] [U_U]
      [==>..................]  recovery = 12.6% (492/3906) finish=300.0min speed=100K/sec

unused devices: <none>
"""


FINDMNT = (
    "findmnt",
    "-J",
    "-b",
    "--real",
    "-o",
    "TARGET,SOURCE,FSTYPE,OPTIONS,UUID,SIZE,USED,AVAIL",
)


def read(*listings: tuple[str, str, str]) -> tuple[Machine, tuple[Heard, ...]]:
    found = read_look(look("box", *listings), NOON)
    return found.machine, found.heard


def paste(text: str) -> tuple[Machine, tuple[Heard, ...]]:
    found = read_look(text.encode(), NOON)
    return found.machine, found.heard


def test_a_whole_look_gives_disks_pool_data_and_points() -> None:
    reading = read_look(nas(), NOON)
    machine = reading.machine
    assert reading.whole
    assert not any(h.not_understood for h in reading.heard)
    assert (machine.host, machine.at) == ("nas", NOON)
    by_serial = {d.serial: d for d in machine.disks}
    first = by_serial["H1"]
    assert (first.capacity_bytes, first.form, first.sector, first.hours) == (
        4_000_787_030_016, "3.5", "512e", 9000,
    )  # fmt: skip
    assert by_serial["SYS-1"].system
    assert by_serial["SYS-1"].boots == "nvme"
    assert not first.system
    (pool,) = machine.pools
    assert (pool.family, pool.groups) == (
        "raidz1",
        (("/dev/sda", "/dev/sdb", "/dev/sdc", "/dev/sdd"),),
    )
    assert (pool.spares, pool.path, pool.ashift) == (("/dev/sde",), "/tank", 12)
    assert datetime.fromtimestamp(pool.scrubbed_at or 0, UTC).date().isoformat() == "2026-03-08"
    photos = next(d for d in machine.datasets if d.name == "photos")
    # Its own bytes, without what lies below it and in its points.
    assert (photos.used_bytes, photos.quota_bytes, photos.record_kib) == (
        2 * 10**12,
        3 * 10**12,
        1024,
    )
    (hourly,) = machine.points
    assert (hourly.place, hourly.maker, hourly.ours, len(hourly.times)) == (
        "tank/photos",
        "auto",
        False,
        48,
    )


def test_a_degraded_pool_says_who_is_gone_and_what_it_is_busy_with() -> None:
    disks = [disk(f"sd{x}", f"S{x}") for x in "abc"]
    machine, _ = read(lsblk(*disks), ("zpool-status", "zpool status -P", DEGRADED))
    (pool,) = machine.pools
    assert (pool.state, pool.gone, pool.family) == ("degraded", ("/dev/sdd1",), "striped_mirror")
    assert pool.groups == (("/dev/sda", "/dev/sdb"), ("/dev/sdc",))
    assert "Permanent errors" in pool.errors
    assert "resilver in progress" in pool.busy
    machine, heard = read(("mdstat", "/proc/mdstat", MDSTAT), lsblk(*disks))
    assert not any(h.not_understood for h in heard)


def test_an_array_says_what_differed_and_which_member_was_hard_to_read() -> None:
    """Files of the kernel, one number each. Source: md(4), SYSFS INTERFACE; its admin-guide/md."""
    main = {"target": "/srv/main", "source": "/dev/md0", "fstype": "ext4"}
    machine, heard = read(
        lsblk(system_disk(), *md_on("a", "b", "c", "d")),
        ("mdstat", "/proc/mdstat", MDSTAT),
        ("findmnt", "findmnt", json.dumps({"filesystems": [main]})),
        ("md-counts", "/sys/block/md0/md/mismatch_cnt", "1280\n"),
        ("md-counts", "/sys/block/md0/md/dev-sda1/errors", "0\n"),
        ("md-counts", "/sys/block/md0/md/dev-sdc1/errors", "20\n"),
    )
    assert not [h for h in heard if h.not_understood]
    (pool,) = machine.pools
    assert pool.errors == "1,280 sectors of /dev/md0 differ between its disks"
    assert [(c.device, c.errors) for c in pool.counted] == [("/dev/sdc", "20 read")]


def md_on(*letters: str) -> list[dict[str, Any]]:
    array = {
        "name": "md0", "path": "/dev/md0", "type": "raid5", "size": 8_001_302_822_912,
        "fstype": "ext4", "uuid": "11111111-2222-3333-4444-555555555555", "mountpoint": "/srv/main",
    }  # fmt: skip
    disks = [disk(f"sd{x}", f"S{x}") for x in letters]
    for one in disks:
        one["children"][0]["children"] = [array]
    return disks


def test_an_array_below_a_file_system_with_its_spare_and_its_rebuild() -> None:
    main = {"target": "/srv/main", "source": "/dev/md0", "fstype": "ext4", "used": 3 * 10**12}
    root = {"target": "/", "source": "/dev/nvme0n1p2", "fstype": "ext4", "children": [main]}
    mounts = {"filesystems": [root]}
    machine, _ = read(
        lsblk(system_disk(), *md_on("a", "b", "c", "d")),
        ("mdstat", "/proc/mdstat", MDSTAT),
        ("findmnt", "findmnt", json.dumps(mounts)),
    )
    (pool,) = machine.pools
    assert (pool.family, pool.filesystem, pool.path) == ("raid5", "ext4", "/srv/main")
    assert set(pool.groups[0]) == {"/dev/sda", "/dev/sdc"}
    assert pool.spares == ("/dev/sdd",)
    assert (pool.state, pool.gone, pool.used_bytes) == (
        "degraded",
        ("/dev/sdb1",),
        3_000_000_000_000,
    )
    assert pool.busy == "recovery, 12.6% done"


def test_a_single_listing_is_told_by_its_looks_and_a_screenful_by_its_prompts() -> None:
    machine, heard = paste(lsblk(disk("sda", "H1"))[2])
    assert [d.serial for d in machine.disks] == ["H1"]
    assert heard[0].listing == "lsblk"
    tree = lsblk(disk("sda", "H1"))[2]
    screen = f"root@nas:~# zpool status -P\n{STATUS}\nroot@nas:~# lsblk -J -b -O\n{tree}\n"
    machine, heard = paste(screen)
    assert [h.listing for h in heard] == ["zpool-status", "lsblk"]
    assert machine.pools[0].name == "tank"
    assert machine.disks[0].serial == "H1"
    machine, _ = paste(smart("/dev/sda", "H9")[2])
    assert (machine.disks[0].serial, machine.disks[0].capacity_bytes) == ("H9", 4_000_787_030_016)


@pytest.mark.parametrize("parted", [",", ".", "\u202f", "\u00a0", "'", " "])
def test_sizes_in_the_words_of_another_language(parted: str) -> None:
    """The thousands of smartctl's text are parted as the locale has it (source: localeconv(3))."""
    text = (
        "smartctl 7.3\n=== START OF INFORMATION SECTION ===\n"
        "Device Model:     HERON 4000\nSerial Number:    H7\n"
        f"User Capacity:    4{parted}000{parted}787{parted}030{parted}016 bytes [4.00 TB]\n"
        "Sector Sizes:     512 bytes logical, 4096 bytes physical\nRotation Rate:    5400 rpm\n"
        "Form Factor:      3.5 inches\n"
        "  5 Reallocated_Sector_Ct   0x0033   100   100   010    Pre-fail  Always       -       8\n"
        "197 Current_Pending_Sector  0x0012   100   100   000    Old_age   Always       -       2\n"
    )
    (one,) = paste(text)[0].disks
    assert (one.capacity_bytes, one.serial, one.sector) == (4_000_787_030_016, "H7", "512e")
    assert (one.kind, one.reallocated, one.pending) == ("hdd", 8, 2)


def test_the_table_of_lsblk_gives_the_size_that_is_sold_and_says_that_it_is_one() -> None:
    text = (
        "NAME        MAJ:MIN RM   SIZE RO TYPE MOUNTPOINTS\n"
        "sda           8:0    0   3,6T  0 disk \n└─sda1        8:1    0   3,6T  0 part /srv/main\n"
        "nvme0n1     259:0    0 465.8G  0 disk \n"
    )
    machine, heard = paste(text)
    assert [d.capacity_bytes for d in machine.disks] == [4_000_787_030_016, 500_107_862_016]
    assert "rounded" in heard[0].why


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "nothing in it"),
        (b"\0\1\2", "NUL bytes"),
        (b"Dear diary", "paste what lab-look prints"),
        (nas()[:-2000], "cut off or damaged"),
        (b'{"lab-look": 9, "host": "x"}', "another version"),
        (b'{"lab-look": 1, "host": "x"}', "lacks what lab-look writes"),
        (
            b'{"lab-look": 1, "host": "x", "at": "soon", "root": true, "listings": [], "unseen": []}',
            "lacks",
        ),
        (b"x" * (LARGEST + 1), "MiB"),
    ],
)
def test_what_is_no_listing_gets_a_clear_answer(content: bytes, words: str) -> None:
    with pytest.raises(Unreadable, match=words):
        read_look(content, NOON)


@pytest.mark.parametrize("name", ["'; rm -rf /", "a\nb", "../../etc", "\u202eevil", "x" * 5000])
def test_hostile_names_stay_text_and_long_ones_are_cut(name: str) -> None:
    machine, _ = read(lsblk(disk("sda", name)), ("zpool-status", "zpool status", STATUS))
    assert all("\n" not in d.serial and len(d.serial) <= 80 for d in machine.disks)


def test_half_a_listing_is_said_and_the_others_are_read() -> None:
    machine, heard = read(
        ("lsblk", "lsblk -J -b -O", lsblk(disk("sda", "H1"))[2][:-40]),
        ("zpool-status", "zpool status", "a line of a megabyte " + "x" * 2**20),
        ("meminfo", "/proc/meminfo", "MemTotal: 1024 kB\n"),
        ("novel", "novel", "It was a dark night"),
    )
    said = {h.listing: h for h in heard}
    assert "cut off" in said["lsblk"].why
    assert said["novel"].not_understood == ("It was a dark night",)
    assert len(said["zpool-status"].not_understood[0]) < 300
    assert machine.ram_bytes == 2**20
    assert "disks" not in machine.looked_at


@pytest.mark.parametrize("reader", LISTINGS)
@pytest.mark.parametrize(
    "text",
    [
        "null",
        "[]",
        "{}",
        "[1, [2]]",
        '{"a": {"b": null}}',
        "a b c\td\n",
        "\x00\ud800"[:1],
        "x" * 70_000,
    ],
)
def test_no_reader_breaks_on_what_is_not_its_own(reader: str, text: str) -> None:
    heard = read_look(
        look("box", (reader, reader, text), ("meminfo", "m", "MemTotal: 8 kB\n")), NOON
    ).heard
    assert heard[0].listing == reader


@pytest.fixture
def two_disks(tmp_path: Path) -> Iterator[Path]:
    """A Btrfs of two loops, mounted."""
    loops = []
    for n in (1, 2):
        file = tmp_path / f"{n}.img"
        with file.open("wb") as out:
            out.truncate(320 * 2**20)
        done = subprocess.run(
            ["losetup", "-f", "--show", file], capture_output=True, text=True, check=False
        )
        if done.returncode:
            pytest.skip("no loop devices here")
        loops.append(done.stdout.strip())
    place = tmp_path / "mnt"
    place.mkdir()
    try:
        subprocess.run(
            ["mkfs.btrfs", "-q", "-d", "raid1", "-m", "raid1", "-L", "main", *loops], check=True
        )
        subprocess.run(["btrfs", "device", "scan", *loops], check=True, capture_output=True)
        subprocess.run(["mount", loops[0], place], check=True)
        yield place
    finally:
        subprocess.run(["umount", place], check=False)
        for loop in loops:
            subprocess.run(["losetup", "-d", loop], check=False)


def said(*command: object) -> str:
    done = subprocess.run([str(c) for c in command], capture_output=True, text=True, check=True)
    return done.stdout


def test_a_real_btrfs_with_subvolumes_points_and_quotas(two_disks: Path) -> None:
    """btrfs-progs of this machine: what it prints is read to the byte; a cut-off receive is no point."""
    place = two_disks
    said("btrfs", "quota", "enable", place)
    said("btrfs", "subvolume", "create", place / "files")
    said("btrfs", "qgroup", "limit", "50M", place / "files")
    said("mkdir", "-p", place / ".points/files")
    point = place / ".points/files/lab-hourly-20260310T110000Z"
    said("btrfs", "subvolume", "snapshot", "-r", place / "files", point)
    # What a receive leaves that was cut off: a writable one, without its source's mark.
    said(
        "btrfs",
        "subvolume",
        "snapshot",
        place / "files",
        place / ".points/files/lab-hourly-20260310T120000Z",
    )
    asked = {
        "btrfs-show": ["filesystem", "show", "--raw"],
        "btrfs-usage": ["filesystem", "usage", "-b"],
        "btrfs-subvolumes": ["subvolume", "list", "-u", "-q", "-R"],
        "btrfs-snapshots": ["subvolume", "list", "-s", "-r", "-u", "-q", "-R"],
        "btrfs-quotas": ["qgroup", "show", "--raw", "-r"],
    }
    machine, heard = read(
        lsblk(*(disk(n, n.upper(), children=[]) for n in _loops(place))),
        *(
            (i, f"btrfs {' '.join(words)} {place}", said("btrfs", *words, place))
            for i, words in asked.items()
        ),
        ("findmnt", "findmnt", said(*FINDMNT)),
    )  # fmt: skip
    assert not [h for h in heard if h.not_understood], heard
    pool = next(p for p in machine.pools if p.path == str(place))
    assert (pool.name, pool.family, len(pool.groups[0])) == ("main", "copies2", 2)
    files = next(d for d in machine.datasets if d.folder == str(place / "files"))
    assert (files.quota_bytes, files.pool) == (50 * 2**20, "main")
    points = [p for p in machine.points if p.place == str(place / "files")]
    assert [(p.maker, p.ours, len(p.times)) for p in points] == [("hourly", True, 1)]


def test_errors_that_a_real_btrfs_counted_stand_at_their_device(
    two_disks: Path, tmp_path: Path
) -> None:
    """One of its disks is spoiled below it, and all of it is read."""
    first, second = _loops(two_disks)
    files = (two_disks / "data").open("wb")
    with files:
        files.write(os.urandom(20 * 2**20))
        os.fsync(files.fileno())
    said("umount", two_disks)
    with (tmp_path / "2.img").open("r+b") as disk_of_it:
        disk_of_it.seek(40 * 2**20)
        disk_of_it.write(bytes(200 * 2**20))
    said("mount", f"/dev/{first}", two_disks)
    said("btrfs", "scrub", "start", "-B", two_disks)
    machine, heard = read(
        lsblk(*(disk(n, n.upper(), children=[]) for n in (first, second))),
        ("btrfs-show", "btrfs filesystem show --raw", said("btrfs", "filesystem", "show", "--raw")),
        (
            "btrfs-stats",
            f"btrfs device stats {two_disks}",
            said("btrfs", "device", "stats", two_disks),
        ),
        ("findmnt", "findmnt", said(*FINDMNT)),
    )
    assert not [h for h in heard if h.not_understood], heard
    pool = next(p for p in machine.pools if p.path == str(two_disks))
    (counted,) = pool.counted
    assert counted.device == f"/dev/{second}"
    assert re.fullmatch(r"[1-9]\d* checksum", counted.errors)


def _loops(place: Path) -> list[str]:
    lines = said("btrfs", "filesystem", "show", "--raw", place).splitlines()
    return [line.rpartition("/dev/")[2] for line in lines if "devid" in line]


def test_readers_of_what_this_machine_prints_leave_nothing_out() -> None:
    """Real runs of lsblk, findmnt, df, ip, testparm, crontab's files: every line is understood."""
    commands = {
        "lsblk": ("lsblk", "-J", "-b", "-O"),
        "findmnt": FINDMNT,
        "df": ("df", "-B1", "-T", "-P"),
        "ip-addr": ("ip", "-j", "addr"),
        "ip-route": ("ip", "-j", "route"),
        "meminfo": ("cat", "/proc/meminfo"),
        "passwd": ("cat", "/etc/passwd"),
        "crontab": ("cat", "/etc/crontab"),
    }  # fmt: skip
    machine, heard = read(
        *((k, "/etc/crontab" if k == "crontab" else k, said(*c)) for k, c in commands.items())
    )
    assert not [h for h in heard if h.not_understood]
    assert machine.ram_bytes
    assert machine.disks
    assert any(t.on == "17 * * * *" for t in machine.tasks)


def test_a_disk_of_which_smartctl_can_say_nothing_says_why() -> None:
    """As smartctl 7.3 printed it on this machine, whose disk is a virtual one."""
    said_so = {
        "json_format_version": [1, 0],
        "smartctl": {
            "version": [7, 3],
            "argv": ["smartctl", "-j", "-a", "/dev/vda"],
            "messages": [{"string": "/dev/vda: Unable to detect device type", "severity": "error"}],
            "exit_status": 1,
        },
    }
    machine, heard = read(
        lsblk(disk("vda", "")), ("smartctl", "smartctl -j -a /dev/vda", json.dumps(said_so))
    )
    assert heard[1].why == "/dev/vda: Unable to detect device type"
    # Nothing is known of how it is: that is no reading of zero.
    assert machine.disks[0].hours is None
    assert "smart" not in machine.looked_at


def test_a_btrfs_that_its_mount_names_by_another_device_is_one_pool() -> None:
    """LVM gives a volume two names: /dev/vg/lv and /dev/mapper/vg-lv (lvm(8))."""
    uuid = "eb709225-e25b-51bc-b72c-26fbe8bb1975"
    mounted = {"target": "/srv/all", "source": "/dev/vg-all/data", "fstype": "btrfs", "uuid": uuid}
    shown = (
        f"Label: none  uuid: {uuid}\n\tTotal devices 1 FS bytes used 163840\n"
        "\tdevid    1 size 1992294400 used 224395264 path /dev/mapper/vg--all-data\n\n"
    )
    physical = {"pv_name": "/dev/sda", "vg_name": "vg-all", "pv_size": "1992294400"}
    logical = {"lv_name": "data", "vg_name": "vg-all", "lv_path": "/dev/vg-all/data"}
    machine, _ = read(
        lsblk(system_disk(), disk("sda", "A", children=[])),
        ("findmnt", "findmnt -J -b", json.dumps({"filesystems": [mounted]})),
        ("pvs", "pvs --reportformat json", json.dumps({"report": [{"pv": [physical]}]})),
        ("lvs", "lvs --reportformat json", json.dumps({"report": [{"lv": [logical]}]})),
        ("btrfs-show", "btrfs filesystem show --raw", shown),
    )
    (pool,) = machine.pools
    assert (pool.path, pool.uuid, pool.groups) == ("/srv/all", uuid, (("/dev/sda",),))


def test_a_btrfs_that_lacks_a_disk_is_degraded_and_the_next_one_is_not() -> None:
    """Printed by btrfs-progs 6.2 over two loops of which one was detached, then a whole one."""
    lacking, whole = "eec1fc43-b1be-44f9-9935-07e33c59e87f", "eb709225-e25b-51bc-b72c-26fbe8bb1975"
    shown = (
        f"warning, device 2 is missing\nLabel: none  uuid: {lacking}\n"
        "\tTotal devices 2 FS bytes used 147456\n"
        "\tdevid    1 size 209715200 used 109051904 path /dev/sda\n\t*** Some devices missing\n\n"
        f"Label: none  uuid: {whole}\n\tTotal devices 1 FS bytes used 163840\n"
        "\tdevid    1 size 1992294400 used 224395264 path /dev/sdb\n\n"
    )
    machine, (_, heard) = read(
        lsblk(system_disk(), disk("sda", "A"), disk("sdb", "B")),
        ("btrfs-show", "btrfs filesystem show --raw", shown),
    )
    assert heard.not_understood == ()
    assert {p.uuid: p.state for p in machine.pools} == {lacking: "degraded", whole: "online"}
