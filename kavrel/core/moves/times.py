"""How long a step of the move takes, what is dangerous about it, and how to back out."""

from collections.abc import Iterator

from kavrel.core.copies.path import link_mb_per_s, port_mb_per_s, relay_mb_per_s
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.moves.state import At, Move, PossibleSteps, State, World
from kavrel.core.plan import Disk, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.loss import reads_used_alone
from kavrel.core.pools.passes import pass_hours
from kavrel.core.quantities import size_words
from kavrel.core.working import Working, step

LONG_HOURS = 4.0


class MoveTimes:
    """Hours and words of the steps of one world."""

    def __init__(self, index: Index, world: World, possible: PossibleSteps) -> None:
        self.index, self.world, self.possible = index, world, possible
        self.known = index.assumptions

    # --- hours ---------------------------------------------------------------------------------

    def hours(self, state: State, move: Move) -> float:
        """Hours of a step."""
        if move.verb == "copy":
            copying, verifying, _ = self._copy(move)
            return copying + verifying
        if move.verb == "verify":
            assert move.cargo is not None
            speed = min(s for _, s, _ in self._speeds(move.source))
            return self.world.cargo[move.cargo].bytes / (speed * 1e6) / 3600
        if move.verb == "wipe":
            return self.known["wipe_hours"]
        if move.verb == "replace":
            disk = self.world.disks[move.disks[0]]
            inner = self.known["hdd_inner_share"] if disk.kind == "hdd" else 1.0
            whole = pass_hours(disk.capacity_bytes, disk.mb_per_s, inner, self._filled(state, move))
            return self.known["create_hours"] + whole / self.known["rebuild_speed_share"]
        return self.known["create_hours"]

    def _filled(self, state: State, move: Move) -> float:
        """The share of a disk that its rebuild goes over: ZFS and Btrfs copies know what is used."""
        assert move.pool is not None
        pool = self.world.pools[move.pool]
        usable = self.possible.usable(move.pool, state.joined)
        if not usable or not reads_used_alone(FAMILIES[pool.family], pool.filesystem):
            return 1.0
        return min((usable - self.possible.free_on_pool(state, move.pool)) / usable, 1.0)

    def _copy(self, move: Move) -> tuple[float, float, list[Working]]:
        """Hours to copy, hours to verify, and the parts of the path with their speeds."""
        assert move.cargo is not None
        size = self.world.cargo[move.cargo].bytes
        parts = [*self._speeds(move.source), *self._speeds(move.target), *self._between(move)]
        slowest = min(speed for _, speed, _ in parts)
        copying = size / (slowest * 1e6) / 3600
        verifying = copying / self.known["verify_share"]
        working = [step(name, speed, "MB/s", assumption=key) for name, speed, key in parts]
        return copying, verifying, working

    def _speeds(self, place: At | None) -> Iterator[tuple[str, float, str]]:
        if place is None:
            return
        kind, n = place
        if kind == "parts":
            for part in self._parts(n):
                yield from self._speeds(At("disk", part))
            return
        if kind == "pool":
            pool = self.world.pools[n]
            members = [self.index.disks[d] for d in pool.disks]
            yield (
                f"pool {pool.name}, at least its slowest disk",
                min(d.mb_per_s for d in members),
                "",
            )
            return
        disk = self.world.disks[n]
        yield f"disk {disk.label}", disk.mb_per_s, ""
        if disk.host is None or (disk.bay or "").startswith("usb"):
            yield f"{disk.label} in a USB dock", self.known["dock_mb_per_s"], "dock_mb_per_s"

    def _between(self, move: Move) -> Iterator[tuple[str, float, str]]:
        a, b = self._host(move.source), self._host(move.target)
        if a is None or b is None or a == b:
            return
        for host in (a, b):
            name = f"network port of {self.index.hosts[host].name}"
            yield name, port_mb_per_s(self.index, host), "network_efficiency"
        here, there = self.index.site_of_host(a), self.index.site_of_host(b)
        if here == there and self.index.sites[here].relayed:
            yield (
                f"the relay of {self.index.sites[here].name}",
                relay_mb_per_s(self.index),
                "relay_mbit",
            )
        if here != there:
            link = self.index.link(here, there)
            # Without a line somebody carries it; that is no matter of a speed, and never quick.
            speed = link_mb_per_s(self.index, *link) if link else 0.1 / 8
            yield "the line between the sites", speed, "network_efficiency"

    def _parts(self, mask: int) -> list[int]:
        return [n for n in range(len(self.world.disks)) if mask >> n & 1]

    def _thing(self, place: At) -> Disk | Pool:
        """The disk or pool there; of parts the first disk."""
        kind, n = place
        if kind == "pool":
            return self.world.pools[n]
        return self.world.disks[self._parts(n)[0] if kind == "parts" else n]

    def _host(self, place: At | None) -> str | None:
        return self._thing(place).host if place else None

    # --- words ---------------------------------------------------------------------------------

    def place_id(self, place: At | None) -> str:
        """Id of a disk or pool that a step reads or writes, or nothing."""
        return self._thing(place).id if place else ""

    def _name(self, place: At | None) -> str:
        if place is None:
            return ""
        kind, n = place
        if kind == "pool":
            return f"pool {self.world.pools[n].name}"
        if kind == "parts":
            return "in parts " + " and ".join(_where(self.world.disks[d]) for d in self._parts(n))
        return _where(self.world.disks[n])

    def text(self, state: State, move: Move) -> str:
        """The step as it stands on the run sheet."""
        disks = [_where(self.world.disks[n]) for n in move.disks]
        if move.verb == "copy":
            assert move.cargo is not None
            cargo = self.world.cargo[move.cargo]
            return (
                f"Copy {cargo.name} ({size_words(cargo.bytes)}) from {self._name(move.source)} to "
                f"{self._name(move.target)}, and verify it: read both back and compare."
            )
        if move.verb == "verify":
            assert move.cargo is not None
            cargo = self.world.cargo[move.cargo]
            how = (
                "compare it with the other copy"
                if self.possible.copies(state, move.cargo)
                else "read it whole and open some of it: there is nothing to compare it with"
            )
            return f"Verify {cargo.name} on {disks[0]}: {how}."
        if move.verb == "wipe":
            return f"Wipe {disks[0]}. Compare the serial number with the label first."
        assert move.pool is not None
        pool = self.world.pools[move.pool]
        names = ", ".join(disks)
        if move.verb == "create":
            after = self.possible.after(state, move)
            lacking = self.possible.missing(move.pool, after.joined)
            how = FILESYSTEMS[pool.filesystem].lacks
            short = f", with {lacking} missing for now ({how})" if lacking else ""
            return f"Create pool {pool.name} from {names}{short}."
        if move.verb == "replace":
            return f"Put {names} in the place of the missing disk of pool {pool.name}; it rebuilds."
        return f"Add {names} to pool {pool.name}."

    def lanes(self, move: Move) -> Iterator[str]:
        """Ids of the disks and pools that a step touches."""
        for n in move.disks:
            yield self.world.disks[n].id
        if move.pool is not None:
            yield self.world.pools[move.pool].id
        if move.source and move.source.kind == "pool":
            yield self.world.pools[move.source.number].id

    def danger(self, before: State, after: State, move: Move, hours: float) -> Iterator[str]:
        """What can go wrong at this step."""
        if move.verb == "wipe":
            yield "wipes a disk for good"
            lost = before.disk_has[move.disks[0]]
            single = [
                c.name
                for n, c in enumerate(self.world.cargo)
                if lost >> n & 1 and self.possible.copies(after, n) == 1
            ]
            if single:
                yield f"one whole copy left of {', '.join(single)}"
        if move.verb == "copy" and hours >= LONG_HOURS:
            hosts = {h for h in (self._host(move.source), self._host(move.target)) if h}
            bare = [self.index.hosts[h].name for h in sorted(hosts - self.index.on_ups)]
            if bare:
                yield f"{hours:.0f} h without a UPS on {', '.join(bare)}: a power cut leaves it half done"
        if (
            move.pool is not None
            and move.verb != "copy"
            and self.possible.missing(move.pool, after.joined)
        ):
            yield "the pool runs without its redundancy until the missing disk is in"

    def back_out(self, move: Move) -> str:
        """How to go back from this step."""
        match move.verb:
            case "create":
                return "Destroy the new pool: nothing but blank disks was used."
            case "copy":
                return "Stop it and delete the copy: the source was only read."
            case "verify":
                return "Stop it: it only reads."
            case "wipe":
                return "None: from here the other copies have to do. Check them before."
            case "add":
                return "Often none: most pools do not give a disk back. Read the command twice."
        return "Take the disk out again: the pool is as before, without its redundancy."

    def working(self, state: State, move: Move, pace: float) -> Working:
        """Where the hours come from."""
        if move.verb == "copy":
            assert move.cargo is not None
            copying, verifying, path = self._copy(move)
            return step(
                "copy and verify",
                (copying + verifying) * pace,
                "h",
                "(bytes / slowest part of the path, and the same again to verify) x pace so far",
                step("bytes", self.world.cargo[move.cargo].bytes, "bytes"),
                step("copying", copying, "h"),
                step("verifying", verifying, "h", "", self.known.step("verify_share")),
                step("pace so far", pace, "times"),
                *path,
            )
        key = "wipe_hours" if move.verb == "wipe" else "create_hours"
        hours = self.hours(state, move)
        return step(move.verb, hours, "h", "", self.known.step(key))


def _where(disk: Disk) -> str:
    """A disk so that the right one is pulled: label, serial and place."""
    serial = f" (serial {disk.serial})" if disk.serial else ""
    place = f", bay {disk.bay}" if disk.bay else ""
    return f"disk {disk.label}{serial}{place}"
