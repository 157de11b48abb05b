"""What every section of the restore sheet says in which a disk is changed for another."""

from kavrel.core.copies.carrier import runs_on
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.paper.document import Fact, SheetStep
from kavrel.core.plan import Disk, Job, Pool
from kavrel.core.pools.pool import fitting_spares
from kavrel.core.quantities import size_words
from kavrel.core.shares.names import job_names, pool_names
from kavrel.core.typed import typed
from kavrel.core.works.pools import rest_of

FIT = (
    "Hold the serial on the tray against the listing, read it aloud, and only then pull. With the mains plug "
    "out, unless the bay is made for swapping while it runs; touch bare metal of the case first.",
    "The new disk's name: `ls -l /dev/disk/by-id` shows it by its serial; that is NEW. Look at it first, with "
    "`smartctl -i NEW`; what is on it goes. Where a command says that it holds something already, and its "
    "serial is the right one, `wipefs -a NEW` comes first.",
)
CABLE = (
    "A disk that is not seen at all may be whole: reseat its cable at both ends, and look again, before one is "
    "bought."
)
LAST = "Nothing is left to outlive another: no scrub, no restart, no other disk pulled until this is over."


def named(disk: Disk) -> str:
    """Where it is and what is written on it."""
    where = f"bay {disk.bay}" if disk.bay else "in no bay"
    serial = (
        f"serial {disk.serial}"
        if disk.serial
        else "serial not in the plan: read it off the disk now"
    )
    return f"{disk.label}: {where}, {serial}, {size_words(disk.capacity_bytes)}"


def system_first(index: Index, pool: Pool, disk: str) -> tuple[str, ...]:
    """What comes first where the disk that is changed is the one that its box boots from."""
    wanted = pool.model_copy(update={"standing": False})
    rest = rest_of(index, wanted, pool_names(index.plan)[pool.id])
    box = index.hosts[pool.host]
    if box.boot_disk != disk:
        return ()
    behind = "what is left of it behind the system"
    if rest:
        cut = f"echo size={rest.mib}MiB | sfdisk -q --append --no-reread --no-tell-kernel NEW"
        behind += f", which is a part of its own after {typed(cut, 'partx -u NEW')}"
    return (
        f"{box.name} boots from it: the system is installed onto the new one first, as where the boot device "
        f"dies. In the lines of this section NEW is then {behind}; `lsblk NEW` shows its name. Never the whole "
        "disk, and no `wipefs` on it.",
    )


def spares(index: Index, pool: Pool) -> list[Fact]:
    """What there is to put in, or how large it has to be."""
    hot, shelf = fitting_spares(index, pool)
    facts = [Fact(text=f"spare in the box: {named(d)}") for d in hot]
    facts += [Fact(text=f"spare on the shelf: {named(d)}") for d in shelf]
    if facts:
        return facts
    least = min(index.data_bytes(d) for d in pool.disks)
    said = (
        "no spare by the plan: a new one is as large as the one that died; the smallest here has "
    )
    return [Fact(text=f"{said}{least:,} bytes")]


def elsewhere(pool: Pool, where: str) -> tuple[SheetStep, ...]:
    """A box with a page of its own, or a card that does it by itself."""
    return (
        SheetStep(text=f"{where}, see which disk is marked as failed, and its serial"),
        SheetStep(text="change that disk", minds=FIT[:1]),
        SheetStep(text=f"{where}, have {pool.name} filled anew with it, and wait until it is done"),
        written(),
    )


def written() -> SheetStep:
    """The last step: the plan knows the new one, and the old one tells nobody anything."""
    return SheetStep(
        text="on the Bench give that disk its new serial and the day it was bought; wipe or break the old one "
        "before it leaves the house",
        minds=("What was on it can be read by whoever finds it, unless the pool is encrypted.",),
    )


def newest_copies(index: Index, pool: Pool) -> list[str]:
    """Box by box the jobs that carry what is on a pool elsewhere, as they are started.

    What a job sends on has to be taken first: a job of the pool's own points, or the hop before it.
    """
    mine = {d.id for d in index.plan.datasets if d.pool == pool.id}
    order: dict[str, Job] = {}

    def with_source(job: Job) -> None:
        if job.reads_from and job.reads_from not in order:
            with_source(index.jobs[job.reads_from])
        order.setdefault(job.id, job)

    for job in index.plan.jobs:
        kind = KINDS[job.kind]
        carries = kind.copies and not kind.by_hand and not kind.in_place
        if carries and mine & set(job.datasets) and job.target_pool != pool.id:
            with_source(job)
    names, told = job_names(index.plan), list[tuple[str, list[str]]]()
    for job in order.values():
        box = index.hosts.get(runs_on(index, job) or "")
        if box is None:
            continue
        own = box.closed or box.personal
        if not told or told[-1][0] != box.name:
            told.append((box.name, []))
        told[-1][1].append(f"task {job.name}" if own else typed(f"lab-job {names[job.id]}"))
    return [f"on {box}: {', '.join(started)}" for box, started in told]
