"""A plan's machines set up from nothing by their setup.sh, and what that leaves held against the works."""

from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Disk, Host, Plan, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.quantities import MIB
from kavrel.core.shares.names import pool_names, pool_roots
from kavrel.core.works import bill
from kavrel.core.works.pools import parity_file
from kavrel.core.works.volumes import UNION, tree_of, volumes_of
from kavrel.formats.servers.setup import setup_script
from kavrel.rig.bare.commands import COMMANDS
from kavrel.rig.bare.disks import SECTOR, cut
from kavrel.rig.bare.holds import LOOKED_AT, Bare, lacking
from kavrel.rig.bare.machine import Device, Filesystem, Machine, Mount, Part, Zpool
from kavrel.rig.bare.restart import brought_back, imported, installed_anew, mounted
from kavrel.rig.bare.root import OF_A_COMMAND, Ran, Root, text_tools
from kavrel.rig.bare.said import Reader, Refused
from kavrel.rig.bare.serves import shared
from kavrel.rig.layers import letters
from kavrel.rig.said import Said
from kavrel.rig.shared import Shared

PASSPHRASE = "correct horse battery staple"  # noqa: S105  # of pools that are made here and go again
WIPE, OPEN = "Type ", "Passphrase for "


@dataclass(frozen=True)
class SetUp:
    """How the setup.sh of a host fared on a bare machine.

    `works`: each thing that it must make true, with what is there instead, empty where it holds. `left` is
    what the script itself leaves to the hand. `code`: how it ended; `said`: all that it printed. `pools`: ids
    of those that stand whole. `anew`: after its system disk died and another was installed, on the pools as
    they are; `by_hand`: what hands did there that the script leaves to them. `shared`: what its SMB server
    finds there.
    """

    host: str
    code: int
    works: tuple[tuple[str, str], ...]
    left: tuple[str, ...]
    said: str
    pools: tuple[str, ...]
    anew: bool = False
    by_hand: tuple[str, ...] = ()
    shared: Shared | None = None

    @property
    def differs(self) -> tuple[str, ...]:
        """Those that do not hold, in words."""
        return tuple(f"{what}: {why}" for what, why in self.works if why)


def set_up(
    plan: Plan, host: str, folder: Path, today: date, make: Collection[str]
) -> tuple[SetUp, SetUp]:
    """Runs the setup.sh of one host from nothing, and on a system that was installed anew after that.

    `make`: ids of the wanted pools that it is told to make; the disks of every other one it may not wipe.
    Raises CannotRun.
    """
    bare = BareHost(plan, host, folder, today, make)
    return bare.looked_at(bare.run()), bare.anew()


class BareHost:
    """One host of a plan on which nothing is set up yet; what is to be made on it is told, see `set_up`."""

    def __init__(
        self, plan: Plan, host: str, folder: Path, today: date, make: Collection[str]
    ) -> None:
        self.index, self.host, self.make = Index(plan), host, make
        self.machine = machine = Machine(folder / "root", today)
        machine.root.mkdir(parents=True, exist_ok=True)
        self.hand = hand = _Hand(machine, {pool_names(plan)[p] for p in make})
        self.root = Root(
            machine.root, COMMANDS, hand.command, hand.typed, text_tools(folder / "bin")
        )
        self.root.make()
        self.script = setup_script(plan, host, "revision 1", today)
        _plugged_in(self.index, host, machine)
        for pool in plan.pools:
            if pool.host == host and pool.standing:
                _stands(self.index, pool, machine)

    def run(self) -> Ran:
        """Its setup.sh, on what is there now. Raises CannotRun."""
        return self.root.run(self.script)

    def looked_at(self, ran: Ran) -> SetUp:
        """What is there after a run."""
        return _looked_at(self.index, self.index.hosts[self.host], self.machine, self.make, ran)

    def anew(self) -> SetUp:
        """After its system disk died: the script, what it leaves to the hand, and the script once more."""
        installed_anew(self.machine)
        self.hand.make = ()  # there is nothing to wipe any more
        ran = self.run()
        did = tuple(self._by_hand())
        if did:
            ran = self.run()
        return replace(self.looked_at(ran), anew=True, by_hand=did)

    def _by_hand(self) -> Iterator[str]:
        for pool in self.index.plan.pools:
            name = pool_names(self.index.plan)[pool.id]
            if pool.host != self.host or not (pool.standing or pool.id in self.make):
                continue
            if name in self.machine.importable:
                yield f"zpool import -f {name}"
                imported(self.machine, name, force=True)
                if self.machine.zpools[name].key:
                    yield f"zfs load-key -r {name}; zfs mount -a"
                    mounted(self.machine, name)
            elif pool.standing:
                yield from _mounted_by_hand(self.index, pool, self.machine)


def scripted(plan: Plan) -> Iterator[Host]:
    """The hosts that are set up by a script: a closed box, and a PC, are set up by hand."""
    for host in plan.hosts:
        if not (host.closed or host.personal):
            yield host


def with_serials(plan: Plan) -> tuple[Plan, tuple[str, ...]]:
    """The plan with a serial number for each disk that has none yet, and the labels of those.

    setup.sh wipes no disk by its order, so that it makes nothing of disks that nobody bought yet.
    """
    bare = [d for d in plan.disks if not d.serial]
    made = {d.id: f"TO-BE-READ-{n}" for n, d in enumerate(bare, 1)}
    disks = tuple(
        d.model_copy(update={"serial": made[d.id]}) if d.id in made else d for d in plan.disks
    )
    return plan.model_copy(update={"disks": disks}), tuple(d.label for d in bare)


class _Hand:
    """Commands as the machine obeys them, and what a person types."""

    def __init__(self, machine: Machine, make: Collection[str]) -> None:
        self.machine, self.make = machine, make

    def command(self, words: list[str], reader: Reader) -> Said:
        try:
            return COMMANDS[words[0]](self.machine, words[1:], reader)
        except OSError as why:
            raise Refused(f"{words[0]}: {why.strerror}") from None

    def typed(self, prompt: str) -> str | None:
        if prompt == OF_A_COMMAND or (prompt.startswith(OPEN) and prompt.endswith(": ")):
            return PASSPHRASE
        if prompt.startswith(WIPE) and prompt.endswith("make that pool: "):
            name = prompt.removeprefix(WIPE).partition(" ")[0]
            return name if name in self.make else ""
        return None


def _plugged_in(index: Index, host: str, machine: Machine) -> None:
    """The disks in the box, each by its serial; what it holds already has a file system on it."""
    by_id = machine.root / "dev" / "disk" / "by-id"
    by_id.mkdir(parents=True)
    mine = [d for d in index.plan.disks if d.host == host]
    for name, disk in _named(mine):
        device = machine.plug_in(
            Device(f"/dev/{name}", disk.capacity_bytes, "disk", serial=disk.serial)
        )
        box = index.hosts[host]
        if box.boot_disk == disk.id and box.system_bytes is not None:
            _system_on(machine, device, box.system_bytes)
        if index.held.get(disk.id):
            device.signs["ext4"] = f"of-{disk.id}"
        if disk.serial:
            (by_id / f"ata-X_{disk.serial}").symlink_to(f"../../{name}")


def _system_on(machine: Machine, disk: Device, size: int) -> None:
    """The system on the disk that it boots from: what its firmware reads, and itself, which is in use."""
    disk.signs["gpt"] = f"of-system-{disk.path}"
    first = min(512 * MIB, size // 2)
    cut(machine, disk, Part(MIB, first)).signs["vfat"] = "of-firmware"
    root = cut(machine, disk, Part(first, -(-size // SECTOR) * SECTOR))
    root.signs["ext4"], root.user = "of-system", "mount /"


def _named(disks: Collection[Disk]) -> Iterator[tuple[str, Disk]]:
    others = nvmes = 0
    for disk in disks:
        if disk.kind == "nvme":
            yield f"nvme{nvmes}n1", disk
            nvmes += 1
        else:
            yield f"sd{letters(others)}", disk
            others += 1


def _mounted_by_hand(index: Index, pool: Pool, machine: Machine) -> Iterator[str]:
    """File systems that the plan knows no UUID of, or whose lock somebody else made."""
    places = {v.folder: v.uuid or f"of-{v.folder}" for v in volumes_of(index, pool)}
    tree = tree_of(index, pool)
    kinds = dict.fromkeys(places, pool.filesystem) | ({tree.folder: UNION} if tree else {})
    for folder, what in (places | ({tree.folder: tree.what} if tree else {})).items():
        if folder not in machine.mounts:
            yield f"mount {folder}"
            machine.inside(folder).mkdir(parents=True, exist_ok=True)
            machine.mounts[folder] = Mount(what, kinds[folder])
            brought_back(machine, folder, machine.mounts[folder])


def _stands(index: Index, pool: Pool, machine: Machine) -> None:
    """A pool that is there before the script comes: what it is of is in use, and it is mounted."""
    name, system = pool_names(index.plan)[pool.id], FILESYSTEMS[pool.filesystem]
    serials = {index.disks[d].serial for d in (*pool.disks, *pool.spares, *pool.tier)}
    boots = index.disks.get(index.hosts[pool.host].boot_disk or "")
    for device in [d for d in machine.devices.values() if d.serial in serials and d.serial]:
        if boots and boots.serial == device.serial and machine.parts_of(device.path):
            end = max(d.part.end for d in machine.parts_of(device.path) if d.part)
            end = -(-end // MIB) * MIB
            room = index.data_bytes(boots.id)
            device = cut(machine, device, Part(end, end + room))  # noqa: PLW2901
        device.user = f"pool {name}"
        device.signs = {pool.filesystem if pool.filesystem != "zfs" else "zfs_member": f"of-{name}"}
    root = pool_roots(index.plan)[pool.id]
    if system.by_name:
        machine.zpools[name] = Zpool((), (), {"mountpoint": root})
        machine.datasets[name] = {}
        machine.mounts[root] = Mount(name, "zfs")
        machine.inside(root).mkdir(parents=True, exist_ok=True)
        return
    for volume in volumes_of(index, pool):
        uuid = volume.uuid or f"of-{volume.folder}"
        machine.filesystems[uuid] = Filesystem(pool.filesystem, ())
        machine.mounts[volume.folder] = Mount(uuid, pool.filesystem, tuple(volume.kept.split(",")))
        machine.inside(volume.folder).mkdir(parents=True, exist_ok=True)
    if tree := tree_of(index, pool):
        machine.mounts[tree.folder] = Mount(tree.what, UNION)
        machine.inside(tree.folder).mkdir(parents=True, exist_ok=True)
    if FAMILIES[pool.family].parity_at:
        file = machine.inside(parity_file(name))
        file.parent.mkdir(parents=True, exist_ok=True)
        file.touch()


def _looked_at(
    index: Index, host: Host, machine: Machine, make: Collection[str], ran: Ran
) -> SetUp:
    """What the works of the host say, held against what is there; not of pools that nobody makes now."""
    left = [x.removeprefix("LEFT: ") for x in ran.said.splitlines() if x.startswith("LEFT: ")]
    bare = Bare(machine, index.disks)
    away = {p.id for p in index.plan.pools if p.host == host.id and not p.standing} - set(make)
    roots = tuple(f"{pool_roots(index.plan)[p]}/" for p in away)
    works: list[tuple[str, str]] = []
    broken = set(away)
    for work in bill(index, host.id, machine.today):
        of = {key for kind, key in work.makes if kind == "pools"}
        folder = f"{getattr(work, 'folder', '')}/"
        if not isinstance(work, LOOKED_AT) or work.by_hand or of & away or folder.startswith(roots):
            continue
        why = "; ".join(lacking(work, bare))
        works.append((work.what, why))
        if why:
            broken |= of
    whole = tuple(p.id for p in index.plan.pools if p.host == host.id and p.id not in broken)
    seen = shared(index, host.id, machine)
    return SetUp(host.id, ran.code, tuple(works), tuple(left), ran.said, whole, shared=seen)
