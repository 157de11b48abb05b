"""A disk dies in each layout: what the restore sheet says, typed on the stand-in, makes the pool whole again.

The same lines are typed on real kernels in tests/outside/test_pools_for_real.py.
"""

from datetime import UTC, datetime

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.paper.disk_dies import disks_that_die
from kavrel.core.paper.document import Section
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.plan import Plan
from kavrel.core.pools.families import FAMILIES
from kavrel.core.typed import commands
from kavrel.rig.box import Box, Store
from kavrel.rig.lab import CannotBuild, Lab
from kavrel.rig.live import rig
from kavrel.rig.restoring import piped
from kavrel.rig.said import Said
from tests.rig.test_found import layouts, made

BEGAN = datetime(2026, 11, 24, tzinfo=UTC)
LOCKED = {"mirror", "raid6", "slices1", "copies2", "raidz1"}


def section_of(plan: Plan, name: str) -> Section | None:
    sections = disks_that_die(Index(plan), evaluate(plan, BEGAN.date()))
    return next((s for s in sections if s.title.endswith(f"pool {name}")), None)


def lines_of(section: Section, label: str, old: str, new: str, number: int) -> list[str]:
    """What is typed for a disk that is gone already: all but what takes it out."""
    own = next(f.how for f in section.facts if f.text.startswith(f"{label}:"))
    steps = [s.text for s in section.steps if not s.text.startswith("if it still answers")]
    looked, *after = [one for text in steps for one in commands(text)]
    own = tuple(one for text in own for one in commands(text))
    typed = [t for t in (looked, *own, *after) if "ARRAY" not in t and "NAME" not in t]
    serial = new.rpartition("-")[2]
    for word, read in (("NEW", new), ("OLD", old), ("NUMBER", str(number)), ("SERIAL", serial)):
        typed = [t.replace(word, read) for t in typed]
    return typed


def killed(lab: Lab, store: Store, at: int) -> tuple[str, str]:
    """The disk that died and the serial of the one that was bought for it."""
    disk = store.pool.disks[at]
    lab.drives[disk].alive = False
    lab.changed()
    return disk, lab.bought(disk, lab.boxes["box"]).disk.serial


def type_all(box: Box, typed: list[str]) -> Said:
    said = Said()
    for line in typed:
        said = piped(box, line)
        assert said.code == 0, (line, said.err)
    return said


def test_every_layout_is_whole_again_by_what_the_sheet_says() -> None:
    mended = set()
    for family, system, _, plan in layouts():
        section = section_of(plan, "main")
        outlives = FAMILIES[family].outlives(len(plan.pools[0].groups[0]))
        if FAMILIES[family].apart or FAMILIES[family].by_hand:
            continue  # see test_apart; of a card: its own program
        if section is None:
            assert not outlives or FAMILIES[family].parity_at, (family, system)
            continue
        try:
            with rig(plan, BEGAN) as days:
                lab = days.lab
                box = lab.boxes["box"]
                store = next(s for s in box.stores.values() if s.pool.id == "main")
                store.locked = False
                for at in (0, len(store.pool.disks) - 1):
                    old, new = killed(lab, store, at)
                    assert lab.health(store.pool) == "DEGRADED", (family, system)
                    label, serial = lab.drives[old].disk.label, lab.drives[old].disk.serial
                    typed = lines_of(section, label, serial, f"/dev/disk/by-id/ata-{new}", at + 1)
                    assert typed, (family, system)
                    type_all(box, typed)
                    assert lab.health(store.pool) == "ONLINE", (family, system, typed)
                    # By now it has other disks than the sheet was printed for.
                    disks = tuple(d.disk for d in lab.drives.values())
                    pools = (store.pool, *plan.pools[1:])
                    section = section_of(
                        plan.model_copy(update={"disks": disks, "pools": pools}), "main"
                    )
                    assert section
                mended.add((family, system))
        except CannotBuild:
            continue
    assert {f for f, _ in mended} >= {"mirror", "raid6", "raid50", "raidz3", "slices2", "copies2"}
    assert len(mended) >= 20


@pytest.mark.parametrize(("family", "refused"), [("mirror", True), ("raid5", False)])
def test_md_keeps_the_last_disk_of_a_mirror_and_no_other(family: str, refused: bool) -> None:
    """Tried on Linux 6.1: a mirror refuses to fail its last member, a parity array does not."""
    plan = made(family, "ext4", False, (2,) if family == "mirror" else (3,))
    with rig(plan, BEGAN) as days:
        box = days.lab.boxes["box"]
        store = next(s for s in box.stores.values() if s.pool.id == "main")
        assert piped(box, "mdadm /dev/md/main --fail SN-1 --remove SN-1").code == 0
        assert "active sync" in piped(box, "mdadm --detail /dev/md/main").out.decode()
        said = piped(box, "mdadm /dev/md/main --fail SN-2")
        assert ("Device or resource busy" in said.err) == refused
        assert days.lab.health(store.pool) == ("DEGRADED" if refused else "LOST")
        if refused:
            assert "re-added" in piped(box, "mdadm /dev/md/main --add SN-1").out.decode()
            assert days.lab.health(store.pool) == "ONLINE"


def test_a_slow_disk_is_replaced_while_it_still_gives_what_it_has() -> None:
    with rig(made("raid5", "ext4", False, (3,)), BEGAN) as days:
        box = days.lab.boxes["box"]
        new = days.lab.bought("box2", box).disk.serial
        wrong = piped(box, f"mdadm /dev/md/main --replace {new} --with SN-2")
        assert "is no member" in wrong.err
        said = piped(box, f"mdadm /dev/md/main --replace SN-2 --with {new}")
        assert said.code == 0, said.err
        assert "SN-2" not in piped(box, "mdadm --detail /dev/md/main").out.decode()
        store = next(s for s in box.stores.values() if s.pool.id == "main")
        assert days.lab.health(store.pool) == "ONLINE"
        assert "box2" not in store.pool.disks


def test_a_disk_is_taken_out_of_a_zfs_pool_as_long_as_another_has_what_is_on_it() -> None:
    with rig(made("raidz1", "zfs", False, (3,)), BEGAN) as days:
        box = days.lab.boxes["box"]
        assert piped(box, "zpool offline main SN-1").code == 0
        assert "OFFLINE" in piped(box, "zpool status main").out.decode()
        refused = piped(box, "zpool offline main SN-2")
        assert "no valid replicas" in refused.err
        assert piped(box, "zpool online main SN-1").code == 0
        assert "healthy" in piped(box, "zpool status -x main").out.decode()
        listed = piped(box, "ls -l /dev/disk/by-id").out.decode()
        assert "ata-SN-1 -> ../../sda" in listed


def test_what_is_locked_after_a_cut_is_opened_by_what_the_sheet_has_typed() -> None:
    opened: set[tuple[str, str]] = set()
    for family, system, encrypted, drawn in layouts():
        if not encrypted or system == "none" or family not in LOCKED:
            continue
        pool = drawn.pools[0].model_copy(update={"passphrase_at": "the tin"})
        plan = drawn.model_copy(update={"pools": (pool, *drawn.pools[1:])})
        sheet = restore_sheet(plan, evaluate(plan, BEGAN.date()), "revision 1")
        (keys,) = [s for s in sheet.sections if s.title == "Where the keys are"]
        (main,) = [f for f in keys.facts if f.text.startswith("pool main")]
        told = [c for how in main.how for c in commands(how)]
        with rig(plan, BEGAN) as days:
            box = days.lab.boxes["box"]
            days.lab.restarted(box)
            store = next(s for s in box.stores.values() if s.pool.id == "main")
            assert store.locked, (family, system)
            assert not list(box.mounted())
            if system != "zfs":
                early = piped(box, f"mount {store.at}")
                assert "can't find UUID" in early.err, "what is locked cannot be mounted"
            if system != "zfs":
                listed, opens, *rest = told
                rows = [r.split() for r in type_all(box, [listed]).out.decode().splitlines()]
                told = [opens.replace("DEVICE", r[1]).replace("NAME", r[0]) for r in rows] + rest
                assert rows
            type_all(box, told)
            assert not store.locked, (family, system, told)
            assert store.at in {d.at for d in box.mounted()}
            if system != "zfs":
                assert "already exists" in piped(box, told[0]).err
        opened.add((family, system))
    assert {f for f, _ in opened} == LOCKED


def test_what_an_old_use_left_on_a_new_disk_goes_and_no_members_signature_does() -> None:
    """Source: wipefs(8): a device that is in use is not touched."""
    plan = next(p for family, system, _, p in layouts() if (family, system) == ("slices1", "ext4"))
    with rig(plan, BEGAN) as days:
        box = days.lab.boxes["box"]
        store = next(s for s in box.stores.values() if s.pool.id == "main")
        _, new = killed(days.lab, store, 0)
        device = f"/dev/disk/by-id/ata-{new}"
        type_all(box, [f"echo label: gpt | sfdisk -q -w always -W always {device}"])
        type_all(box, [f"echo start=1MiB, size=100MiB | sfdisk -q --append {device}"])
        drive = next(d for d in days.lab.drives.values() if d.disk.serial == new)
        assert drive.cut
        type_all(box, [f"wipefs -a {device}"])
        assert drive.cut == ()
        member = days.lab.drives[store.pool.disks[1]].disk.serial
        said = piped(box, f"wipefs -a /dev/disk/by-id/ata-{member}")
        assert (said.code, "busy" in said.err) == (1, True)
