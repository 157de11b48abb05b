"""The restore sheet's part for the commonest misfortune: one disk of a pool dies, and the pool works on.

What is typed follows from the works that the pool is made by. OLD and NEW stand for what the person reads
off the two disks. Sources: zpool-replace(8), mdadm(8), sfdisk(8), btrfs-replace(8), btrfs-balance(8),
cryptsetup(8); tried on real kernels and against ZFS's rules.
"""

from collections.abc import Iterator, Sequence

from kavrel.core.evaluate import Evaluation, PoolView
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.paper.changed_disk import (
    CABLE,
    FIT,
    LAST,
    elsewhere,
    named,
    newest_copies,
    spares,
    system_first,
    written,
)
from kavrel.core.paper.disks_apart import disk_apart, tier_disks
from kavrel.core.paper.document import Fact, Section, SheetStep
from kavrel.core.paper.machines import served_again
from kavrel.core.plan import Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.shares.names import pool_names, pool_roots
from kavrel.core.typed import typed
from kavrel.core.works.pools import (
    ArrayRuns,
    DeviceLocked,
    DiskCut,
    FilesystemMade,
    ZpoolMade,
    layers_of,
)
from kavrel.core.works.volumes import volumes_of
from kavrel.core.works.work import Work

TITLE = "a disk dies"
LINUX_RAID = "A19D880F-05FC-4D3B-A006-743F0F84911E"  # in a GPT; source: sfdisk -T


def disks_that_die(index: Index, evaluation: Evaluation) -> list[Section]:
    """A section for each pool that outlives a disk and is mended by its own means, in the plan's order."""
    views = {v.id: v for v in evaluation.pools}
    return [
        _section(index, pool, views[pool.id])
        for pool in index.plan.pools
        if pool.standing and (views[pool.id].layout.survives_any or _several(index, pool))
    ]


def _several(index: Index, pool: Pool) -> bool:
    """Whether its disks have a file system each: one of them takes its own files, and the others go on."""
    return FAMILIES[pool.family].apart and len(volumes_of(index, pool)) > 1


def _section(index: Index, pool: Pool, view: PoolView) -> Section:
    title = f"{TITLE}: pool {pool.name}"
    if FAMILIES[pool.family].apart:
        return disk_apart(index, pool, view, title)
    box, layout = index.hosts[pool.host], view.layout
    more = layout.survives_any - 1
    left = f"any {more} more may die" if more else "no other may die"
    intro = (
        f"{layout.title} on {box.name}: it works on, and until the new disk is filled {left}. "
        f"Filling it takes about {layout.rebuild_hours or 0:.0f} h when the pool is full."
    )
    works = _works(index, pool)
    facts = [
        Fact(
            text=named(index.disks[d]),
            how=(*system_first(index, pool, d), *_only_it(works, d)),
        )
        for d in pool.disks
    ]
    if not (box.closed or box.personal):
        mirrored = pool.tier if len(pool.tier) > 1 else ()
        facts += [Fact(text=named(index.disks[d]), how=tuple(_only_it(works, d))) for d in mirrored]
        facts += tier_disks(index, pool)
    facts += spares(index, pool)
    steps: tuple[SheetStep, ...]
    if box.closed or box.personal:
        steps = elsewhere(pool, "in its web page, under storage")
    elif FAMILIES[pool.family].by_hand or FILESYSTEMS[pool.filesystem].bare:
        steps = elsewhere(pool, "in the card's own program, or at the start of the box")
    else:
        steps = tuple(_steps(index, pool, works, more))
    return Section(title=title, intro=intro, facts=tuple(facts), steps=steps)


def _works(index: Index, pool: Pool) -> tuple[Work, ...]:
    """What the pool is made by, as if it were yet to be made."""
    wanted = pool.model_copy(update={"standing": False})
    return tuple(layers_of(index, wanted, pool_names(index.plan)[pool.id]))


def _of(works: Sequence[Work], disk: str) -> list[tuple[str, int]]:
    """Arrays that a disk is in, with the part of it that is."""
    return [
        (w.name, m.part)
        for w in works
        if isinstance(w, ArrayRuns)
        for m in w.members
        if m.disk == disk
    ]


def _only_it(works: Sequence[Work], disk: str) -> Iterator[str]:
    """What is typed for this disk alone, where each has its own."""
    arrays = _of(works, disk)
    cut = next((w for w in works if isinstance(w, DiskCut) and w.disk == disk), None)
    alone = len([w for w in works if isinstance(w, ArrayRuns)]) == 1
    if cut:
        yield typed("echo label: gpt | sfdisk -q -w always -W always NEW")
        for start, size in cut.parts:
            row = f"start={start}MiB, size={size}MiB, type={LINUX_RAID}"
            yield typed(f"echo {row} | sfdisk -q --append NEW")
    if cut or (arrays and not alone):
        for name, part in arrays:
            yield typed(f"mdadm /dev/md/{name} --add NEW{f'-part{part}' if part else ''}")


def _steps(index: Index, pool: Pool, works: Sequence[Work], more: int) -> Iterator[SheetStep]:
    name = pool_names(index.plan)[pool.id]
    folder = pool_roots(index.plan)[pool.id]
    words = _words(pool, works, name, folder)
    first = [words.first] if words.first else []
    again = served_again(index, {pool.id}) if first else []
    if again:
        first += [f"What is served of it started without it: {typed(*again)}"]
    yield SheetStep(text=f"see which one it is: {words.look}", minds=(*first, CABLE))
    if not more:
        said = "".join(f"; {one}" for one in newest_copies(index, pool))
        yield SheetStep(
            text=f"have everything copied once more before anything else{said}", minds=(LAST,)
        )
    if words.out:
        yield SheetStep(text=f"if it still answers, take it out of the pool: {words.out}")
    yield SheetStep(text="change the disk", minds=FIT)
    for text in words.into:
        yield SheetStep(text=text)
    yield SheetStep(text=f"wait until it is filled: {words.wait}", minds=words.minds)
    yield SheetStep(text=f"have all of it read once: {words.check}")
    yield written()


class _Words:
    """What is typed: to `look`, to take a disk `out`, to put the new one `into` it, to `wait` and `check`.

    `first`: what comes before all of it, where the box was started since.
    """

    def __init__(
        self,
        look: str,
        out: str,
        into: Sequence[str],
        wait: str,
        check: str,
        *minds: str,
        first: str = "",
    ) -> None:
        self.look, self.out, self.into = look, out, tuple(into)
        self.wait, self.check, self.minds, self.first = wait, check, minds, first


def _words(pool: Pool, works: Sequence[Work], name: str, folder: str) -> _Words:
    arrays = [w for w in works if isinstance(w, ArrayRuns)]
    if any(isinstance(w, ZpoolMade) for w in works):
        return _of_zfs(pool, name)
    if arrays:
        return _of_md(pool, arrays, works, folder)
    made = next(w for w in works if isinstance(w, FilesystemMade))
    return _of_btrfs(made, works, name, folder)


def _of_zfs(pool: Pool, name: str) -> _Words:
    spare = (
        "A spare of the pool may have stepped in: it goes back to being one when the new disk is filled.",
    )
    return _Words(
        f"`zpool status {name}`; the line that is not ONLINE is OLD, a name or a number",
        typed(f"zpool offline {name} OLD"),
        [typed(f"zpool replace {name} OLD NEW")],
        # A scrub is refused as long as it goes on.
        f"`zpool wait -t resilver {name}` waits for it; `zpool status {name}` says how far it is",
        typed(f"zpool scrub -w {name}", f"zpool status {name}"),
        *(spare if pool.spares else ()),
    )


def _of_md(pool: Pool, arrays: Sequence[ArrayRuns], works: Sequence[Work], folder: str) -> _Words:
    one, cut = len(arrays) == 1, any(isinstance(w, DiskCut) for w in works)
    name = f"/dev/md/{arrays[0].name}" if one else "/dev/md/NAME"
    look = (
        f"`cat /proc/mdstat`, then `mdadm --detail {name}`: what is faulty or removed there is OLD"
    )
    if not one:
        look = "`cat /proc/mdstat`: where a _ stands in brackets; `mdadm --detail ARRAY` names what is "
        look += "faulty, OLD"
    out = typed(f"mdadm {name} --fail OLD --remove OLD")
    into = [typed(f"mdadm {name} --add NEW")]
    if cut:
        out += ", in each array that has a part of it (OLD is that part)"
        into = [
            "cut the new disk as the dead one was, and add each part: the lines beside that disk, above"
        ]
    elif not one:
        into = ["add the new disk to the array of the dead one: the line beside that disk, above"]
    spare = (
        ("The spare steps in by itself; the new disk is the spare then.",) if pool.spares else ()
    )
    return _Words(
        look, out, into, "`cat /proc/mdstat` says how far it is, and [UU] at its end",
        typed(
            f"mdadm --action=check {' '.join(f'/dev/md/{a.name}' for a in arrays)}",
            "cat /proc/mdstat",
        ),
        *spare,
    )  # fmt: skip


def _of_btrfs(made: FilesystemMade, works: Sequence[Work], name: str, folder: str) -> _Words:
    locked = [w for w in works if isinstance(w, DeviceLocked)]
    profile = made.profile.split()
    kept = profile[profile.index("-d") + 1] if "-d" in profile else "raid1"
    new, into = "NEW", []
    if locked:
        new = f"/dev/mapper/{name}-SERIAL"
        into += [
            "lock the new disk by the same passphrase: "
            + typed("cryptsetup luksFormat --type luks2 NEW", f"cryptsetup open NEW {name}-SERIAL")
            + " (SERIAL is its own)",
            f"in /etc/crypttab, in the place of the dead one's line: {name}-SERIAL UUID=..., which "
            "`cryptsetup luksUUID NEW` says, and the rest as it stands in the others",
        ]
        if any(w.key_file for w in locked):
            key = next(w.key_file for w in locked)
            into.append(f"let the key file open it, too: `cryptsetup luksAddKey NEW {key}`")
    into.append(typed(f"btrfs replace start -B NUMBER {new} {folder}"))
    return _Words(
        f"{typed(f'btrfs filesystem show {folder}', f'btrfs device stats {folder}')}: NUMBER is the devid "
        "that is missing or has errors",
        "",
        into,
        typed(f"btrfs replace status {folder}"),
        typed(
            f"btrfs balance start -dconvert={kept},soft -mconvert={kept},soft {folder}",
            f"btrfs scrub start -B {folder}",
        ),
        first="If the box was started without the dead disk it is not mounted. Once, first of all: "
        + typed(f"mount -o degraded {folder}"),
    )
