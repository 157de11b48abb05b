"""A disk dies of a pool whose disks have a file system each: its own files are away, the others' are there.

Where parity is kept over the files they are reckoned back. A fast tier is such a disk of any pool.
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
    system_first,
    written,
)
from kavrel.core.paper.document import Fact, Section, SheetStep
from kavrel.core.paper.whose import TITLE as WHOSE
from kavrel.core.plan import Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import has_tier
from kavrel.core.shares.names import pool_names
from kavrel.core.typed import typed
from kavrel.core.works.chores import ChoreRuns, chore_works
from kavrel.core.works.pools import key_file, parity_file
from kavrel.core.works.volumes import Volume, tree_of, volumes_of

LOG = "/root/fix.log"
ANEW = "`sh setup.sh`: what lay on that disk alone of the datasets’ folders is made again"
JOBS_WAIT = (
    "Its jobs refuse to run while a disk’s folder is empty: what they copied now would carry the loss over. "
    "Leave them so."
)
ONLY_ONE = "Nothing is left to outlive another: no other disk is pulled until this is over."


def disk_apart(index: Index, pool: Pool, view: PoolView, title: str) -> Section:
    """The section of one pool."""
    box, layout = index.hosts[pool.host], view.layout
    more = layout.survives_any - 1
    left = f"any {more} more may die" if more > 0 else "no other may die"
    hour, hours = FAMILIES[pool.family].parity_at, layout.rebuild_hours or 0
    intro = f"{layout.title} on {box.name}: the files of the dead disk are gone, those of the others stay."
    if hour:
        intro = (
            f"{layout.title} on {box.name}: the files of the dead disk are away until they are reckoned back, "
            "and "
            f"until then {left}. What came after the parity of {hour} is lost. It takes about {hours:.0f} h "
            "when "
            "the disk is full."
        )
    own = box.closed or box.personal
    return Section(
        title=title,
        intro=intro,
        facts=(*_disks(index, pool, own), *spares(index, pool)),
        steps=elsewhere(pool, "in its web page, under storage")
        if own
        else tuple(_steps(index, pool, more)),
    )


def tier_disks(index: Index, pool: Pool) -> Iterator[Fact]:
    """The disks of a fast tier that stands on none that outlives another."""
    if not has_tier(pool):
        return
    fast = next(v for v in volumes_of(index, pool) if v.fast)
    tree = tree_of(index, pool)
    seen = (typed(f"mount {tree.folder}"), ANEW) if tree else ()
    for disk in fast.disks if len(fast.disks) == 1 else ():
        yield Fact(
            text=f"{named(index.disks[disk])}: the fast tier at {fast.folder}; what the mover had not taken on "
            "is gone",
            how=(*_made(index, fast), *seen),
        )


def _disks(index: Index, pool: Pool, own: bool) -> Iterator[Fact]:
    if own:
        yield from (Fact(text=named(index.disks[d])) for d in pool.disks)
        return
    yield from tier_disks(index, pool)
    settings = parity_file(pool_names(index.plan)[pool.id])
    data, parity = 0, 0
    for volume in (v for v in volumes_of(index, pool) if not v.fast):
        told, name = named(index.disks[volume.disks[0]]), ""
        how = (*system_first(index, pool, volume.disks[0]), *_made(index, volume))
        if FAMILIES[pool.family].parity_at:
            data, parity = data + (not volume.parity), parity + volume.parity
            name = (
                ("parity" if parity == 1 else f"{parity}-parity") if volume.parity else f"d{data}"
            )
            how += (
                typed(f"snapraid -c {settings} -d {name} -l {LOG} fix"),
                typed(f"snapraid -c {settings} -d {name} -a check"),
            )
        yield Fact(text=f"{told}: {name + ', ' if name else ''}at {volume.folder}", how=how)


def _made(index: Index, volume: Volume) -> tuple[str, ...]:
    """What is typed for this disk alone, once the new one is there: it is called as the dead one was."""
    pool, system = volume.pool, FILESYSTEMS[volume.pool.filesystem]
    device, locked = "NEW", tuple[str, ...]()
    if pool.encrypted:
        device = "/dev/mapper/OPENED"
        key = key_file(pool, pool_names(index.plan)[pool.id])
        locked = (
            "by the same passphrase, OPENED and NUMBER as the dead one’s line in /etc/crypttab begins and has "
            "behind UUID=: "
            + typed(
                "cryptsetup luksFormat --type luks2 --uuid NUMBER NEW",
                "cryptsetup open NEW OPENED",
                f"cryptsetup luksAddKey NEW {key}" if key else "",
            ),
        )
    asked = typed(f"grep ' {volume.folder} ' /etc/fstab")
    where = "" if volume.uuid else f" (UUID as {asked} has it)"
    return (
        *locked,
        typed(f"mkfs.{system.id} {system.made}{volume.uuid or 'UUID'} {device}") + where,
        typed(f"mount {volume.folder}"),
    )


def _steps(index: Index, pool: Pool, more: int) -> Iterator[SheetStep]:
    settings, tree = parity_file(pool_names(index.plan)[pool.id]), tree_of(index, pool)
    kept = bool(FAMILIES[pool.family].parity_at)
    names = f"Its name in the parity stands beside it here; hold it against {settings}."
    yield SheetStep(
        text="see which one it is: `lsblk -o NAME,SIZE,SERIAL,MOUNTPOINTS`: its folder has no disk any more",
        minds=(CABLE, names) if kept else (CABLE,),
    )
    if more == 0:
        said = "".join(f"; {one}" for one in newest_copies(index, pool))
        text = f"if it is one of the parity, have everything copied once more before anything else{said}"
        yield SheetStep(text=text, minds=(ONLY_ONE,))
    living = typed("rsync -aHAX FOLDER/ OTHER/")
    yield SheetStep(
        text="if it has data, copy what is nowhere else onto another disk, from each folder that is still "
        f"there: {living}",
        minds=(JOBS_WAIT, ONLY_ONE) if more == 0 else (JOBS_WAIT,),
    )
    chores = [w for w in chore_works(index, pool.host) if w.pool and w.pool.id == pool.id]
    timers = " ".join(f"lab-{w.name}.timer" for w in chores)
    if kept:
        yield SheetStep(
            text="let nothing change until all is back, and no parity be written: "
            + typed(f"systemctl disable --now {timers}"),
            minds=("What is deleted or changed meanwhile can spoil what is reckoned back.",),
        )
    yield SheetStep(text="switch the box off, change the disk, switch it on again", minds=FIT)
    if pool.encrypted:
        yield SheetStep(text="open and mount the other disks, as under “Where the keys are”")
    unsaid = f"; what could not be reckoned back is named in {LOG}" if kept else ""
    yield SheetStep(
        text=f"make the new disk what the dead one was: the lines beside that disk, above{unsaid}"
    )
    if tree:
        yield SheetStep(text=f"have all of it seen again: {typed(f'mount {tree.folder}')}")
    if kept:
        yield from _reckoned(tree.folder if tree else "the pool’s", chores, timers)
    else:
        yield SheetStep(text=ANEW)
        yield SheetStep(
            text=f"bring back what was on it, as under “one disk: pool {pool.name}”: into the folder beside, "
            "then what is not there any more"
        )
    yield written()


def _reckoned(folder: str, chores: list[ChoreRuns], timers: str) -> Iterator[SheetStep]:
    yield SheetStep(
        text=f"give what came back to its people: the lines under “{WHOSE}”, with the folder of the new disk "
        f"in the place of {folder}",
        minds=(
            "Until then it is root’s, and nobody else opens it: parity keeps no owner and no right.",
        ),
    )
    parity = next(w.name for w in chores if w.kind == "parity")
    yield SheetStep(
        text="have the parity brought up to date, then by night as before: "
        + typed(f"lab-job {parity}", f"systemctl enable --now {timers}")
    )
