"""What a machine can tell one layout from another by."""

from kavrel.core.index import Index
from kavrel.core.pools.families import FAMILIES
from kavrel.core.seen.known import Known, is_made_alike
from kavrel.core.seen.machine import Machine, SeenDisk, SeenPool
from tests.builders import GB, disk, lab


def test_slices_of_one_part_are_an_ordinary_array_and_those_of_several_are_not() -> None:
    sizes = {"box1": 2000 * GB, "box2": 3000 * GB, "box3": 3000 * GB, "box4": 3000 * GB}
    disks = tuple(disk(n, capacity_bytes=size) for n, size in enumerate(sizes.values(), 1))
    index = Index(lab().model_copy(update={"disks": disks}))

    def alike(family: str, seen: str, *members: str) -> bool:
        changed = lab().pools[0].model_copy(update={"family": family, "groups": (members,)})
        return is_made_alike(index, changed, seen)

    assert alike("slices1", "mirror", "box1", "box2")
    assert alike("slices2", "mirror", "box2", "box3", "box4")  # three whole copies
    assert alike("slices1", "raid5", "box2", "box3", "box4")
    assert not alike("slices1", "raid5", "box1", "box2", "box3")  # the upper parts are a mirror
    assert not alike("slices1", "raid6", "box2", "box3", "box4")
    assert alike("span", "single", "box1")
    # Of every other family the machine tells which it is.
    others = [f for f in FAMILIES.values() if f.cuts is None and not f.card]
    assert not any(alike(f.id, g.id, "box1", "box2") for f in others for g in others if f != g)
    # A card shows one disk, whatever is behind it; an array of the system is none of a card's.
    assert alike("card_mirror", "single", "box1", "box2")
    assert not alike("card_mirror", "mirror", "box1", "box2")


def test_a_pool_is_told_from_the_systems_own_file_system_on_the_same_disk() -> None:
    base = lab()
    pool = base.pools[0].model_copy(
        update={"family": "single", "filesystem": "ext4", "groups": (("box1",),)}
    )
    disks = (base.disks[0].model_copy(update={"serial": "SN-1"}), *base.disks[1:])
    plan = base.model_copy(update={"pools": (pool, base.pools[1]), "disks": disks})
    there = [
        SeenPool(name=name, path=path, filesystem="ext4", groups=(("/dev/sda",),))
        for name, path in (("home", "/home"), ("main", "/srv/main"), ("work", "/work"))
    ]
    for order in (there, there[::-1]):
        machine = Machine(
            host="box",
            at=0.0,
            disks=(SeenDisk(device="/dev/sda", capacity_bytes=GB, serial="SN-1"),),
            pools=tuple(order),
        )
        known = Known(Index(plan), machine, "box")
        assert {name: p.id for name, p in known.pools.items()} == {"main": "main"}
