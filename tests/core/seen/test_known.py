"""What a machine can tell one layout from another by."""

from kavrel.core.index import Index
from kavrel.core.pools.families import FAMILIES
from kavrel.core.seen.known import is_made_alike
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
