"""The restore sheet's part for a mail that comes more often than any death: errors were found.

A scrub, a file system or a disk reports; most of it was mended already, and what was not is named. Sources:
zpool-status(8), zpool-clear(8), btrfs-scrub(8), btrfs-device(8), md(4), snapraid(1), smartctl(8); common
practice for which part is at fault.
"""

from collections.abc import Iterator

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.paper.disk_dies import TITLE as DISK_DIES
from kavrel.core.paper.document import Section, SheetStep
from kavrel.core.plan import Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.shares.names import pool_names, pool_roots
from kavrel.core.typed import typed
from kavrel.core.works.pools import parity_file

TITLE = "errors are reported"
FAULT = (
    "CRC errors that count up (attribute 199): the cable or its plug. With the mains plug out reseat or change "
    "it, and look again.",
    f"Pending, reallocated or uncorrectable sectors (197, 5, 187): the disk. See: {DISK_DIES}.",
    "Several disks at once: what they share, so memory, controller, power supply. Let a memory test run for a "
    "night before anything is written.",
)


def errors_found(index: Index) -> list[Section]:
    """One section: where to look on each pool, what is at fault, what becomes of damaged files."""
    steps: list[SheetStep] = []
    for host in index.plan.hosts:
        pools = [p for p in index.plan.pools if p.host == host.id and p.standing]
        if not pools or host.personal:
            continue
        if host.closed:
            text = f"{host.name}: in its web page, under storage, see which disk has errors, and how many"
            steps.append(SheetStep(text=text))
            continue
        steps += [
            SheetStep(text=f"{host.name}: {text}", minds=minds)
            for text, minds in _looks(index, pools)
        ]
    if not steps:
        return []
    alone = all(h.closed for h in index.plan.hosts)
    where = "what the page says of" if alone else "`smartctl -a DISK`, of"
    fault = f"see what is at fault: {where} the disk whose counters are not 0"
    steps.append(SheetStep(text=fault, minds=FAULT))
    steps.append(
        SheetStep(
            text="bring back each file that was named, from a point or a copy of before: see where the copies "
            "lie",
            minds=("Keep the damaged one beside it until the other was opened.",),
        )
    )
    for pool in (p for p in index.plan.pools if p.standing and not index.hosts[p.host].closed):
        steps += [SheetStep(text=text) for text in _once_more(index, pool)]
    return [
        Section(
            title=TITLE,
            intro="A scrub, a file system or a disk says so by mail. Where a second copy of a block was, it is "
            "mended already; a file that could not be mended is named. Nothing is pulled yet.",
            steps=tuple(steps),
        )
    ]


def _looks(index: Index, pools: list[Pool]) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Where errors are counted, pool by pool, with what the counters leave unsaid."""
    names, roots = pool_names(index.plan), pool_roots(index.plan)
    for pool in pools:
        system, family = FILESYSTEMS[pool.filesystem], FAMILIES[pool.family]
        name, root = names[pool.id], roots[pool.id]
        if system.by_name:
            yield f"`zpool status -v {name}`: files that are lost stand at its end", ()
        elif system.checksums:
            told = typed(f"btrfs scrub status {root}", f"btrfs device stats {root}")
            yield f"{told}; `journalctl -k` names damaged paths", ()
        elif family.parity_at:
            yield (
                f"`snapraid -c {parity_file(name)} status`: it names what is bad on pool {pool.name}",
                (),
            )
        elif family.md_level or family.cuts:
            blind = "It has no checksums: md sees that two disks differ, and not which of them is right."
            yield (
                f"{typed('cat /proc/mdstat', 'cat /sys/block/md*/md/mismatch_cnt')} (pool {pool.name})",
                (blind,),
            )
        else:
            blind = "It has no checksums: what was spoiled is found by holding it against a copy."
            yield f"`journalctl -k`, for I/O errors of the disks of pool {pool.name}", (blind,)


def _once_more(index: Index, pool: Pool) -> Iterator[str]:
    """What resets the counters and reads all of it again."""
    name, root = pool_names(index.plan)[pool.id], pool_roots(index.plan)[pool.id]
    box, system = index.hosts[pool.host].name, FILESYSTEMS[pool.filesystem]
    if system.by_name:
        yield f"{box}: " + typed(
            f"zpool clear {name}", f"zpool scrub -w {name}", f"zpool status -v {name}"
        )
    elif FAMILIES[pool.family].parity_at:
        file = parity_file(name)
        yield f"{box}: {typed(f'snapraid -c {file} -e fix', f'snapraid -c {file} -p bad scrub')}"
    elif system.checksums:
        yield f"{box}: {typed(f'btrfs device stats -z {root}', f'btrfs scrub start -B {root}')}"
