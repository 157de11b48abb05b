"""A disk of a pool dies whose parity is kept over files: its own are away until they are reckoned back.

Sources: snapraid(1), Recovering; mkfs.ext4(8), mkfs.xfs(8), mkfs.btrfs(8), cryptsetup(8): with the dead one's
UUID the new disk is mounted, and unlocked, by the lines that are there. Typed on real disks in the tests.
"""

from collections.abc import Iterator

from kavrel.core.evaluate import PoolView
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.paper.changed_disk import (
    CABLE,
    FIT,
    elsewhere,
    named,
    newest_copies,
    spares,
    written,
)
from kavrel.core.paper.document import Fact, Section, SheetStep
from kavrel.core.paper.whose import TITLE as WHOSE
from kavrel.core.plan import Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.shares.names import pool_names
from kavrel.core.typed import typed
from kavrel.core.works.chores import chore_works
from kavrel.core.works.pools import key_file, parity_file
from kavrel.core.works.volumes import Volume, tree_of, volumes_of

LOG = "/root/fix.log"
ONLY_ONE = "Nothing is left to outlive another: no other disk is pulled until this is over."


def reckoned_back(index: Index, pool: Pool, view: PoolView, title: str) -> Section:
    """The section of one pool."""
    box, layout = index.hosts[pool.host], view.layout
    more = layout.survives_any - 1
    left = f"any {more} more may die" if more else "no other may die"
    own = box.closed or box.personal
    hour, hours = FAMILIES[pool.family].parity_at, layout.rebuild_hours or 0
    return Section(
        title=title,
        intro=f"{layout.title} on {box.name}: the files of the dead disk are away until they are reckoned "
        f"back, and until then {left}. What came after the parity of {hour} is lost. It takes about "
        f"{hours:.0f} h when the disk is full.",
        facts=(*_disks(index, pool, own), *spares(index, pool)),
        steps=elsewhere(pool, "in its web page, under storage")
        if own
        else tuple(_steps(index, pool, more)),
    )


def _disks(index: Index, pool: Pool, own: bool) -> Iterator[Fact]:
    data, parity = 0, 0
    for volume in volumes_of(index, pool):
        for disk in volume.disks:
            told = named(index.disks[disk])
            if own:
                yield Fact(text=told)
            elif volume.fast:
                yield Fact(text=f"{told}: the fast tier at {volume.folder}, in no parity")
            elif volume.parity:
                parity += 1
                name = "parity" if parity == 1 else f"{parity}-parity"
                yield Fact(
                    text=f"{told}: {name}, at {volume.folder}", how=_made(index, volume, name)
                )
            else:
                data += 1
                yield Fact(
                    text=f"{told}: d{data}, at {volume.folder}",
                    how=_made(index, volume, f"d{data}"),
                )


def _made(index: Index, volume: Volume, name: str) -> tuple[str, ...]:
    """What is typed for this disk alone, once the new one is there."""
    system, settings = (
        FILESYSTEMS[volume.pool.filesystem],
        parity_file(index.once(pool_names)[volume.pool.id]),
    )
    device = "/dev/mapper/OPENED" if volume.pool.encrypted else "NEW"
    flags = system.made + (volume.uuid or "UUID")
    asked = typed(f"grep ' {volume.folder} ' /etc/fstab")
    where = "" if volume.uuid else f" (UUID as {asked} has it)"
    return (
        typed(f"mkfs.{system.id} {flags} {device}") + where,
        typed(f"mount {volume.folder}"),
        typed(f"snapraid -c {settings} -d {name} -l {LOG} fix"),
        typed(f"snapraid -c {settings} -d {name} -a check"),
    )


def _steps(index: Index, pool: Pool, more: int) -> Iterator[SheetStep]:
    name = index.once(pool_names)[pool.id]
    settings, tree = parity_file(name), tree_of(index, pool)
    yield SheetStep(
        text="see which one it is: `lsblk -o NAME,SIZE,SERIAL,MOUNTPOINTS`: its folder has no disk any more",
        minds=(CABLE, f"Its name in the parity stands beside it here; hold it against {settings}."),
    )
    if not more:
        said = "".join(f"; {one}" for one in newest_copies(index, pool))
        yield SheetStep(
            text=f"have everything copied once more before anything else{said}", minds=(ONLY_ONE,)
        )
    chores = [
        w for w in chore_works(index, pool.host) if w.pool is not None and w.pool.id == pool.id
    ]
    timers = " ".join(f"lab-{w.name}.timer" for w in chores)
    yield SheetStep(
        text="let nothing change until all is back, and no parity be written: "
        + typed(f"systemctl disable --now {timers}"),
        minds=("What is deleted or changed meanwhile can spoil what is reckoned back.",),
    )
    yield SheetStep(text="switch the box off, change the disk, switch it on again", minds=FIT)
    if pool.encrypted:
        yield from _locked(pool, name)
    yield SheetStep(
        text="make the new disk what the dead one was: the lines beside that disk, above; what could not be "
        f"reckoned back is named in {LOG}"
    )
    if tree:
        yield SheetStep(text=f"have all of it seen again: {typed(f'mount {tree.folder}')}")
    yield SheetStep(
        text=f"give what came back to its people: the lines under “{WHOSE}”, with the folder of the new disk "
        f"in the place of {tree.folder if tree else 'the pool’s'}",
        minds=(
            "Until then it is root’s, and nobody else opens it: parity keeps no owner and no right.",
        ),
    )
    parity = next(w.name for w in chores if w.kind == "parity")
    yield SheetStep(
        text=f"have the parity brought up to date, then by night as before: "
        f"{typed(f'lab-job {parity}', f'systemctl enable --now {timers}')}"
    )
    yield written()


def _locked(pool: Pool, name: str) -> Iterator[SheetStep]:
    """The dead one's line in /etc/crypttab stays: the new one gets its number, and is opened by its name."""
    yield SheetStep(
        text="open and mount the other disks, as under “Where the keys are”; OPENED and NUMBER are what the "
        "dead one’s line in /etc/crypttab begins with and has behind UUID="
    )
    keyed = f"cryptsetup luksAddKey NEW {key_file(pool, name)}" if pool.opens_alone else ""
    yield SheetStep(
        text="lock the new disk by the same passphrase: "
        + typed(
            "cryptsetup luksFormat --type luks2 --uuid NUMBER NEW",
            "cryptsetup open NEW OPENED",
            keyed,
        )
    )
