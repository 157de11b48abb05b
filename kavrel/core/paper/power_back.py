"""The restore sheet's part for the night after a power cut: what starts by itself, what waits for a hand.

Nothing is restored here: boxes are started in their order, pools opened, what was cut is looked at.
"""

from collections.abc import Iterator

from kavrel.core.copies.carrier import runs_on
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.paper.document import Fact, Section, SheetStep
from kavrel.core.paper.machines import served_again, unlocking, waits
from kavrel.core.plan import Host, Pool, Site
from kavrel.core.shares.brought import Brought, brought
from kavrel.core.shares.names import pool_names, pool_roots
from kavrel.core.typed import typed
from kavrel.core.works.machine import AFTER_A_CUT

TITLE = "the power was away"
STEADY = (
    "Wait until the power has been steady for some minutes: it often comes and goes, and a second cut in a "
    "start does more harm than the first.",
    "A UPS that beeps runs on its battery: it is no socket to plug more into. Swollen, hot or smelling: do not "
    "touch it; switch off at the fuse, by whoever may.",
)

# Source: nfs-server-generator of nfs-utils 2.6, tried: each folder is required, but for what is noauto.
NFS_WAITS = (
    "NFS starts only once every folder in /etc/exports is mounted: take those of a pool that is not there out "
    "of it "
    "until it is, then `systemctl daemon-reload && systemctl start nfs-server`."
)

TARGET_RESTARTS = (
    "The target is restarted for all of its disks at once: their clients wait a moment, and come back by "
    "themselves."
)


def after_a_power_cut(index: Index) -> list[Section]:
    """A section for each site where boxes with pools stand, in the order in which they come back."""
    sections = []
    for site in index.plan.sites:
        here = [h for h in index.plan.hosts if h.site == site.id and not h.personal]
        with_pools = {p.host for p in index.plan.pools if p.standing}
        if any(h.id in with_pools for h in here):
            here.sort(key=lambda h: h.start_order)
            sections.append(_section(index, site, here))
    return sections


def _section(index: Index, site: Site, hosts: list[Host]) -> Section:
    facts = [Fact(text=f"{h.name} {AFTER_A_CUT[h.after_power_cut]}") for h in hosts]
    for supply in index.plan.supplies:
        fed = [index.hosts[h].name for h in supply.hosts if index.hosts[h].site == site.id]
        if fed:
            facts.append(Fact(text=f"UPS {supply.name} feeds {', '.join(fed)}"))
    steps = [SheetStep(text="see that the router and the switch run, before any box", minds=STEADY)]
    for host in hosts:
        steps += _of_box(index, host)
    return Section(
        title=f"{TITLE}: {site.name}",
        intro="What was written in the last seconds may be missing or by half; what is older is as it was. A "
        "copy that was cut short is made again by the next run.",
        facts=tuple(facts),
        steps=tuple(steps),
    )


def _of_box(index: Index, host: Host) -> Iterator[SheetStep]:
    pools = [p for p in index.plan.pools if p.host == host.id and p.standing]
    start = {
        "by_itself": f"{host.name}: look whether it came up; its button, if it did not within ten minutes",
        "over_network": f"{host.name}: wake it over the network, or press its button",
        "by_hand": f"{host.name}: press its button",
    }[host.after_power_cut]
    yield SheetStep(text=start)
    locked = [p for p in pools if waits(index, p)]
    for pool in locked:
        place = pool.passphrase_at or "____________"
        how = "; ".join(unlocking(index, pool))
        yield SheetStep(
            text=f"{host.name}: open pool {pool.name}, passphrase at {place}: {how}",
            minds=(
                "Until then its shares show nothing, and no job writes there.",
                *_over_an_empty_folder(index, pool),
            ),
        )
    if host.closed:
        if pools:
            yield SheetStep(text=f"{host.name}: look in its web page whether every store is well")
        return
    names, roots = pool_names(index.plan), pool_roots(index.plan)
    if pools:
        named = [names[p.id] for p in pools if FILESYSTEMS[p.filesystem].by_name]
        mounted = [roots[p.id] for p in pools if not FILESYSTEMS[p.filesystem].by_name]
        looks = [f"zpool status -x {' '.join(named)}"] if named else []
        looks += [f"findmnt {root}" for root in mounted]
        if mounted:
            looks.append("cat /proc/mdstat")
        yield SheetStep(
            text=f"{host.name}: see that its pools are there and whole: {typed(*looks)}",
            minds=(
                "One that is not whole has a part of its own below: a disk dies, or one disk. It comes before "
                "its jobs.",
                *([NFS_WAITS] if _pools_served(index, host) > 1 else []),
            ),
        )
    if locked:
        again = served_again(index, {p.id for p in locked})
        once = typed(*again) + "; " if again else ""
        yield SheetStep(
            text=f"{host.name}: start what found its folder missing: {once}whatever else `systemctl --failed` "
            "names, by `systemctl restart NAME`",
            minds=((TARGET_RESTARTS,) if any("rtslib" in line for line in again) else ()),
        )
    apps = {a.id: a.name for a in index.plan.apps}
    for far in brought(index, host.id):
        named_apps = ", ".join(dict.fromkeys(apps[m.app] for m in far.mounts))
        yield SheetStep(
            text=f"{host.name}: once {_home_of(index, far)} is up: {typed(f'findmnt {far.folder}')}, `mount "
            f"{far.folder}` where it prints nothing; then start {named_apps} again",
            minds=("What was started before sees the empty folder until it is started again.",),
        )
    if any(runs_on(index, j) == host.id and KINDS[j.kind].copies for j in index.plan.jobs):
        yield SheetStep(
            text=f"{host.name}: `lab-job overdue` names what has to be copied again: `lab-job NAME`"
        )


def _home_of(index: Index, far: Brought) -> str:
    return index.hosts[index.pools[index.datasets[far.export.dataset].pool].host].name


def _over_an_empty_folder(index: Index, pool: Pool) -> Iterator[str]:
    """What started before the pool was there: a container makes the folder that it misses, and fills it."""
    on_it = {m.app for m in index.plan.mounts if index.datasets[m.dataset].pool == pool.id}
    apps = [a.name for a in index.plan.apps if a.id in on_it]
    if apps:
        yield (
            f"Before that stop {', '.join(apps)}, and start again once the pool is open: what starts over an "
            "empty folder writes to the system disk, below the mount, where nobody looks and no job reads."
        )


def _pools_served(index: Index, host: Host) -> int:
    """How many pools of a box give something over NFS."""
    pools = {index.datasets[e.dataset].pool for e in index.plan.exports if e.protocol == "nfs"}
    return sum(index.pools[p].host == host.id for p in pools)
