"""Trees over several disks, and parity beside them: one pool each, whatever wrote them.

Sources: mergerfs(1), snapraid(1), fstab(5); texts from memory of both manuals.
"""

import json

import pytest

from kavrel.core.edit import EditError, put
from kavrel.core.index import Index
from kavrel.core.plan import Plan, Pool
from kavrel.core.seen.drift import drift
from kavrel.core.seen.machine import Machine, SeenPool
from kavrel.formats.lab_jobs import upkeep
from kavrel.formats.looks.joined import joined
from kavrel.formats.looks.listing import Notes
from kavrel.formats.looks.read import read_look
from kavrel.formats.looks.taking import takes
from kavrel.formats.servers.files import fstab
from kavrel.formats.servers.setup import setup_script
from tests.builders import TODAY, lab
from tests.builders import disk as disk_of
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


def test_a_tree_says_of_its_parts_what_each_of_them_says() -> None:
    """The worst of their states, who is busy, what waits as a spare, what was found wrong."""
    parts = [
        SeenPool(name="a", filesystem="ext4", family="single", groups=(("/dev/sde",),), state="degraded",
                 path="/mnt/loose", scrubbed_at=5.0),
        SeenPool(name="b", filesystem="ext4", family="raid5", groups=(("/dev/sda", "/dev/sdb", "/dev/sdc"),),
                 spares=("/dev/sdd",), state="faulted", path="/mnt/disk1", busy="recovery, 0.3% done",
                 errors="3 sectors differ", scrubbed_at=3.0),
    ]  # fmt: skip
    source = {"source": "/mnt/loose:/mnt/disk1", "options": "rw,category.create=ff"}
    notes = Notes(mounts={"/mnt/all": TREE | source})
    (tree,) = joined(notes, parts)
    assert (tree.state, tree.busy, tree.spares) == ("faulted", "recovery, 0.3% done", ("/dev/sdd",))
    assert (tree.errors, tree.scrubbed_at) == ("3 sectors differ", 3.0)
    (never,) = joined(notes, [parts[0], parts[1].model_copy(update={"scrubbed_at": None})])
    assert never.scrubbed_at is None, "one part was never read through"


def test_parity_without_a_tree_and_a_parity_disk_that_is_not_mounted() -> None:
    one = "parity /mnt/parity1/p.parity\ndata d1 /mnt/disk1\nwhat of it\n"
    (pool,) = [p for p in seen(*DISKS, conf=one).pools if p.path == "/mnt/disk1"]
    assert (pool.family, pool.groups) == ("parity1", (("/dev/sda",), ("/dev/sdc",)))
    (pool,) = [p for p in seen(*DISKS, conf=CONF).pools if p.family == "parity2"]
    assert (pool.name, pool.path) == ("disk1", ""), "nobody said where all of it is one folder"
    (pool,) = [p for p in seen(DISKS[0], conf=one).pools if p.path == "/mnt/disk1"]
    assert (pool.state, pool.gone) == ("degraded", ("/mnt/parity1 (not mounted)",))


UUIDS = tuple(f"00000000-0000-4000-8000-00000000000{n}" for n in range(5))


def test_a_tree_is_taken_over_where_its_parts_are_and_its_files_name_them_so() -> None:
    named = [d | {"uuid": u} for d, u in zip(DISKS, UUIDS, strict=True)]
    fstab_there = "/mnt/disk1:/mnt/disk2 /mnt/all fuse.mergerfs category.create=mfs 0 0\n"
    machine = seen(*named, TREE, fstab=fstab_there, conf=CONF)
    empty = Plan(name="mine")
    plan = takes(empty, machine, None, TODAY).into(empty)
    (pool,) = [p for p in plan.pools if p.family == "parity2"]
    assert pool.branch_paths == ("/mnt/disk1", "/mnt/disk2", "/mnt/parity1", "/mnt/parity2")
    assert pool.branch_uuids == UUIDS[:4]
    host = plan.hosts[0].id
    written = fstab(plan, host, "revision 1").splitlines()
    assert (
        f"UUID={UUIDS[1]} /mnt/disk2 ext4 defaults,noatime,nofail,x-systemd.before=local-fs.target 0 2"
        in written
    )
    assert any(x.startswith("/mnt/disk1:/mnt/disk2 /mnt/all fuse.mergerfs ") for x in written)
    # What its jobs ask for before they touch it is what is mounted there.
    (chore,) = [c for n, c in upkeep(plan, host).items() if n.startswith("upkeep-parity")]
    assert [(m["at"], m.get("uuid")) for m in chore["mounted"]] == [
        *zip(pool.branch_paths, UUIDS, strict=False),
        ("/mnt/all", None),
    ]
    said = setup_script(plan, host, "revision 1")
    assert f"UUID={UUIDS[0]} /mnt/disk1" in said, "what is not mounted is mounted as it was"
    assert "left 'parity of pool all: link the settings" in said
    rows = drift(Index(plan), host, machine).differences
    assert not [r for r in rows if r.collection == "pools"]
    # A disk that was put in another's place is another file system.
    changed = [*named[:1], named[1] | {"uuid": UUIDS[4]}, *named[2:4]]
    other = seen(*changed, TREE, fstab=fstab_there, conf=CONF)
    (row,) = [r for r in drift(Index(plan), host, other).differences if r.about == pool.id]
    assert (row.field, row.seen.split(", ")[1]) == ("UUIDs of its parts", UUIDS[4])
    # Known by nothing but its folder, it is mounted by whoever does so now.
    bare = pool.model_copy(update={"branch_uuids": (), "branch_paths": ()})
    text = fstab(put(plan, "pools", bare), host, "revision 1")
    assert "# /mnt/all: keep the line that joins its parts now" in text
    assert "fuse.mergerfs" not in text


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"branch_uuids": UUIDS[:3]}, "it has 4 file systems, and here are 3"),
        ({"branch_paths": ("/a", "/b", "/c", "/a")}, "each of its file systems is another"),
        ({"family": "raid10", "branch_uuids": UUIDS[:4]}, "it has one file system"),
    ],
)
def test_parts_that_cannot_be_are_refused_at_their_field(
    changed: dict[str, object], said: str
) -> None:
    base = lab()
    hosts = (base.hosts[0].model_copy(update={"bays_35": 20}), *base.hosts[1:])
    plan = lab(hosts=hosts, disks=(*base.disks, *(disk_of(n) for n in (11, 12, 13, 14))))
    fields: dict[str, object] = {
        "id": "tree", "name": "tree", "host": "box", "family": "union", "filesystem": "ext4",
        "groups": (("box11", "box12", "box13", "box14"),), **changed,
    }  # fmt: skip
    with pytest.raises(EditError, match=said) as refused:
        put(plan, "pools", Pool.model_validate(fields))
    assert {p.field for p in refused.value.problems} <= {"branch_paths", "branch_uuids"}


def test_a_tree_says_itself_what_it_is_over() -> None:
    """As mergerfs 2.33 answers getfattr(1) on its control file."""
    said = (
        "# file: /mnt/all/.mergerfs\n"
        'user.mergerfs.branches="/mnt/loose=RW:/mnt/disk1=NC:/mnt/disk2"\n'
        'user.mergerfs.category.create="ff"\nuser.mergerfs.func.create="ff"\n\n'
    )
    rows = (
        ("lsblk", "lsblk", lsblk(*(disk(f"sd{c}", f"S-{c}") for c in "abcde"))[2]),
        ("findmnt", "findmnt", json.dumps({"filesystems": [*DISKS, TREE]})),
        ("mergerfs", "getfattr", said),
    )
    (tree,) = [p for p in read_look(look("box", *rows), NOON).machine.pools if p.path == "/mnt/all"]
    assert tree.tier == ("/dev/sde",)
    assert tree.branch_paths == ("/mnt/loose", "/mnt/disk1", "/mnt/disk2")
    alone = read_look(said.encode(), NOON)
    assert [(h.listing, h.understood) for h in alone.heard] == [("mergerfs", 3)]


def test_folders_that_no_plan_can_hold_stop_no_look() -> None:
    """A disk that a desktop mounted by its label, and a tree over two such."""
    blank = [mount("/media/My Disk 1", "/dev/sda1"), mount("/media/My Disk 2", "/dev/sdb1")]
    alone = mount("/media/Old Films", "/dev/sdc1", uuid=UUIDS[0])
    over = (
        '# file: /mnt/all/.mergerfs\nuser.mergerfs.branches="/media/My Disk 1:/media/My Disk 2"\n'
    )
    rows = (
        ("lsblk", "lsblk", lsblk(*(disk(f"sd{c}", f"S-{c}") for c in "abc"))[2]),
        ("findmnt", "findmnt", json.dumps({"filesystems": [*blank, alone, TREE]})),
        ("mergerfs", "getfattr", over),
    )
    machine = read_look(look("box", *rows), NOON).machine
    offer = takes(Plan(name="mine"), machine, None, TODAY)
    (tree,) = [t for t in offer.things if t.collection == "pools" and t.name == "all"]
    assert tree.item["family"] == "union"
    assert not tree.item.get("branch_paths")
    base = lab()
    drift(Index(base), base.hosts[0].id, machine)
