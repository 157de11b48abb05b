"""Trees over several disks, and parity beside them: one pool each, whatever wrote them.

Sources: mergerfs(1), snapraid(1), fstab(5); texts from memory of both manuals.
"""

import json

from kavrel.core.seen.machine import Machine
from kavrel.formats.looks.read import read_look
from tests.formats.looks.machines import NOON, disk, look, lsblk, system_disk

CONF = """# made by hand
parity /mnt/parity1/snapraid.parity,/mnt/other/snapraid.2.parity
2-parity /mnt/parity2/snapraid.2-parity
content /var/snapraid.content
content /mnt/disk1/.snapraid.content
data d1 /mnt/disk1/
disk d2 /mnt/disk2
exclude *.tmp
autosave 500
new_word of another version
"""


def mount(place: str, device: str, kind: str = "ext4", **more: object) -> dict[str, object]:
    return {"target": place, "source": device, "fstype": kind, "options": "rw", **more}


def seen(*mounts: dict[str, object], fstab: str = "", conf: str = "") -> Machine:
    names = [f"sd{c}" for c in "abcde"]
    rows = [
        ("lsblk", "lsblk", lsblk(system_disk(), *(disk(n, f"S-{n}") for n in names))[2]),
        ("findmnt", "findmnt", json.dumps({"filesystems": list(mounts)})),
    ]
    rows += [("fstab", "cat /etc/fstab", fstab)] if fstab else []
    rows += [("snapraid.conf", "cat /etc/snapraid.conf", conf)] if conf else []
    found = read_look(look("box", *rows), NOON)
    if conf:
        (heard,) = [h for h in found.heard if h.listing == "snapraid.conf"]
        assert len(heard.not_understood) == 1, "the word of another version, and no more"
    return found.machine


DISKS = tuple(
    mount(f"/mnt/{n}", f"/dev/sd{c}1")
    for n, c in zip(("disk1", "disk2", "parity1", "parity2", "loose"), "abcde", strict=True)
)
TREE = mount("/mnt/all", "all", "fuse.mergerfs", size=8 * 10**12, used=10**12)


def test_two_data_disks_and_two_of_parity_are_one_pool() -> None:
    fstab = "/mnt/disk1:/mnt/disk2=NC /mnt/all fuse.mergerfs fsname=all,category.create=mfs 0 0\n"
    machine = seen(*DISKS, TREE, fstab=fstab, conf=CONF)
    whole, loose = sorted(machine.pools, key=lambda p: p.path)
    assert (whole.path, whole.family, whole.filesystem) == ("/mnt/all", "parity2", "ext4")
    assert whole.groups == (("/dev/sda", "/dev/sdb"), ("/dev/sdc", "/dev/sdd"))
    assert (whole.size_bytes, whole.state, whole.gone) == (8 * 10**12, "online", ())
    assert (loose.path, loose.family) == ("/mnt/loose", "single")


def test_a_tree_by_a_pattern_and_one_whose_source_says_its_branches() -> None:
    patterned = seen(*DISKS, TREE, fstab="/mnt/disk* /mnt/all fuse.mergerfs allow_other 0 0\n")
    said = seen(*DISKS, TREE | {"source": "/mnt/disk1:/mnt/disk2"})
    for machine in (patterned, said):
        (tree,) = [p for p in machine.pools if p.path == "/mnt/all"]
        assert (tree.family, tree.groups) == ("union", (("/dev/sda", "/dev/sdb"),))
        assert len(machine.pools) == 4
    # What nobody says the branches of stays what it is: four disks and a mount.
    assert len(seen(*DISKS, TREE).pools) == 5


def test_the_first_branch_is_the_tier_where_new_files_land_on_it() -> None:
    fstab = "/mnt/loose:/mnt/disk1 /mnt/all mergerfs category.create=ff,minfreespace=4G 0 0\n"
    (tree,) = [p for p in seen(*DISKS, TREE, fstab=fstab).pools if p.path == "/mnt/all"]
    assert (tree.family, tree.groups, tree.tier) == ("single", (("/dev/sda",),), ("/dev/sde",))


def test_parity_without_a_tree_and_a_parity_disk_that_is_not_mounted() -> None:
    one = "parity /mnt/parity1/p.parity\ndata d1 /mnt/disk1\nwhat of it\n"
    (pool,) = [p for p in seen(*DISKS, conf=one).pools if p.path == "/mnt/disk1"]
    assert (pool.family, pool.groups) == ("parity1", (("/dev/sda",), ("/dev/sdc",)))
    (pool,) = [p for p in seen(*DISKS, conf=CONF).pools if p.family == "parity2"]
    assert (pool.name, pool.path) == ("disk1", ""), "nobody said where all of it is one folder"
    (pool,) = [p for p in seen(DISKS[0], conf=one).pools if p.path == "/mnt/disk1"]
    assert (pool.state, pool.gone) == ("degraded", ("/mnt/parity1 (not mounted)",))
