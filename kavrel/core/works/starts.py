"""What comes back when a box starts: its mounts, the keys of pools that it opens by itself, its volumes.

`setup.sh` mounts what it makes, for as long as the box runs: without these works the next start finds
empty folders.
"""

from collections.abc import Iterator

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Pool
from kavrel.core.shares.brought import brought
from kavrel.core.shares.names import pool_names
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.shares.protocols.protocol import Service
from kavrel.core.works.services import ServiceRuns
from kavrel.core.works.shut_in import shut_in
from kavrel.core.works.volumes import Tree, Volume, trees, volumes

KEYS = "kavrel-keys.service"
DISKS = "kavrel-disks.service"
# Source: systemd.mount(5) and systemd-system.conf(5), DefaultDeviceTimeoutSec; tried on a whole system.
WAITS = "A start waits a minute and a half for a disk that is dead or pulled out, and comes up without it."
# Source: systemd-fstab-generator(8): a second entry for a folder is passed over.
OLD_LINES = "Lines of an earlier bundle are taken out first: of two for one folder the first holds."
# Source: libmount of util-linux 2.38, tried: what is there was mounted by another name than fstab's.
BUSY = "`mount -a` calls a Btrfs of several disks busy that is mounted already: that is well."
FAR = (
    "What other boxes give over NFS is there when they are: until then its folder takes no files, so that an "
    "application fails instead of filling this box's own disk."
)
FULL = (
    "`mount -a` says of a tree over several disks that its folder is not empty, when it is there: that is "
    "well."
)


def opened_alone(index: Index, host: str) -> list[str]:
    """What ZFS calls the pools of a host whose key lies on it."""
    return [
        pool_names(index.plan)[p.id]
        for p in index.plan.pools
        if p.host == host and p.opens_alone and FILESYSTEMS[p.filesystem].by_name
    ]


def volumes_given(index: Index, host: str) -> list[Pool]:
    """Pools of ZFS on a host of whose volumes it gives disks over iSCSI."""
    pools = {
        index.datasets[e.dataset].pool
        for e in index.plan.exports
        if PROTOCOLS[e.protocol].gives == "disk"
    }
    mine = [p for p in index.plan.pools if p.host == host and p.id in pools]
    return [p for p in mine if FILESYSTEMS[p.filesystem].by_name]


def start_works(index: Index, host: str) -> Iterator[ServiceRuns]:
    """Mounts, and keys before them; nothing on a box that takes no files."""
    box = index.hosts[host]
    if box.closed:
        return
    opened = opened_alone(index, host)
    if opened:
        yield _goes_before(
            "keys",
            f"keys of {', '.join(opened)} on {box.name}",
            [p for p in index.plan.pools if p.host == host and p.opens_alone],
            KEYS,
            "Without it the next start finds the pool locked.",
        )
    given = volumes_given(index, host)
    if given:
        yield _goes_before(
            "disks",
            f"volumes of {', '.join(p.name for p in given)} on {box.name}, before they are given over iSCSI",
            given,
            DISKS,
            "Without it a start may give no disk whose volume was not there in time.",
        )
    lines: list[Volume | Tree] = [v for v in volumes(index, host) if v.uuid is not None]
    lines += [t for t in trees(index, host) if t.known]
    bound = list(shut_in(index, host))
    by_hand = "".join(f"; mount {one.folder}" for one in bound if one.waits)
    # One that waits for its passphrase is opened by hand.
    folders = [one.folder for one in lines if not one.pool.waits]
    folders += [one.folder for one in bound if not one.waits]
    far = list(brought(index, host))
    folders += [one.folder for one in far]
    if lines or bound or far:
        busy = any(isinstance(v, Volume) and len(v.disks) > 1 and _by_many(v) for v in lines)
        again = (
            "Start the box once, before anything is on it, and see that each is there again: "
            f'`for one in {" ".join(folders)}; do findmnt -n $one || echo "$one: not there"; done`.'
        )
        yield _comes_back(
            "mounts",
            f"mounts of {box.name}",
            list({one.pool.id: one.pool for one in lines}.values()),
            Service(
                package="nfs-common" if far else "",
                files=(("fstab", "/etc/fstab"),),
                before=_kept_empty([one.folder for one in far]),
                check="findmnt --verify",
                start=f"systemctl daemon-reload; mount -a{by_hand}",
                minds=(
                    OLD_LINES,
                    *([BUSY] if busy else []),
                    *([FULL] if any(isinstance(one, Tree) for one in lines) else []),
                    *([again] if folders else []),
                    *([WAITS] if lines else []),
                    *([FAR] if far else []),
                ),
                appended=True,
            ),
            "take its lines out of /etc/fstab",
            tuple(("mounts", m.id) for one in far for m in one.mounts),
        )


def _kept_empty(folders: list[str]) -> str:
    """What is typed first, so that nothing is written where nothing is mounted: chattr(1), immutable."""
    if not folders:
        return ""
    each = "{ mkdir -p $one && chattr +i $one; }"
    typed_first = f"for one in {' '.join(folders)}; do mountpoint -q $one || {each}; done"
    return f"see that its folders take no files before something is mounted there (`{typed_first}`)"


def _by_many(volume: Volume) -> bool:
    """Whether its file system itself lies on several disks, not on an array of them."""
    return FILESYSTEMS[volume.pool.filesystem].subvolumes


def _goes_before(key: str, what: str, pools: list[Pool], unit: str, without: str) -> ServiceRuns:
    """A unit of its own that a start runs before what needs it; and what is missed without it."""
    service = Service(
        package="",
        files=((f"systemd/{unit}", f"/etc/systemd/system/{unit}"),),
        check=f"systemctl cat {unit}",
        start=f"systemctl daemon-reload; systemctl enable {unit}",
        minds=(without,),
    )
    return _comes_back(key, what, pools, service, f"systemctl disable {unit}")


def _comes_back(
    key: str,
    what: str,
    pools: list[Pool],
    service: Service,
    back: str,
    also: tuple[tuple[str, str], ...] = (),
) -> ServiceRuns:
    return ServiceRuns(
        key=f"service/{key}",
        what=what,
        makes=(*(("pools", p.id) for p in pools), *also),
        needs=(),
        see=service.check,
        back=back,
        by_hand="",
        protocol="",
        service=service,
    )
