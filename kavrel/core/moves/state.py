"""Where everything is at one moment of the move, and the steps that are possible from there.

A move is a small world: disks (of wanted pools, holding old data, or blank on the shelf), wanted
pools that take up their disks, and datasets, each with whole verified copies in places. A copy
counts only after it was read back and compared, so copying and verifying are one step here and
two on the run sheet. A disk is blank only when nothing lies on it: an unverified copy, or data that
nobody has named, keeps it from being taken.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal, NamedTuple

from kavrel.core.filesystems import ext4
from kavrel.core.plan import Disk, Pool
from kavrel.core.pools import room
from kavrel.core.pools.families import FAMILIES

Verb = Literal["create", "copy", "verify", "wipe", "add", "replace"]


@dataclass(frozen=True)
class MovedDataset:
    """A dataset to be moved: its size, and the wanted pool it belongs on (None: stays)."""

    id: str
    name: str
    bytes: int
    pool: int | None
    dear: bool
    elsewhere: int  # whole copies outside this move: other pools


@dataclass(frozen=True)
class State:
    """`joined`: disks that pools have taken up; `disk_has`, `pool_has`: datasets as bit sets.

    `unread`: copies on disks that nobody has read back; `soiled`: disks with data that no dataset is
    named for. `split`: copies in parts, each a dataset and the disks that it lies on.
    """

    joined: int
    disk_has: tuple[int, ...]
    pool_has: tuple[int, ...]
    unread: tuple[int, ...] = ()
    soiled: int = 0
    split: tuple[tuple[int, int], ...] = ()

    def unread_on(self, disk: int) -> int:
        """Datasets of which a disk has a copy that nobody has read back."""
        return self.unread[disk] if self.unread else 0

    @property
    def parts(self) -> int:
        """Disks that hold a part of a copy."""
        bits = 0
        for _, mask in self.split:
            bits |= mask
        return bits


class At(NamedTuple):
    """Where a step reads or writes: a disk or a pool by its number, or parts on the disks of a bit set."""

    kind: Literal["disk", "pool", "parts"]
    number: int


@dataclass(frozen=True)
class Move:
    """One step. `key` names it the same whenever it does the same."""

    verb: Verb
    key: str
    disks: tuple[int, ...] = ()
    pool: int | None = None
    cargo: int | None = None
    source: At | None = None
    target: At | None = None


@dataclass(frozen=True)
class World:
    """What does not change during the move."""

    disks: tuple[Disk, ...]
    pools: tuple[Pool, ...]
    cargo: tuple[MovedDataset, ...]

    @property
    def place(self) -> dict[str, int]:
        """Position of a disk by its id."""
        return {d.id: n for n, d in enumerate(self.disks)}

    def mask(self, ids: tuple[str, ...]) -> int:
        """Disks as a bit set."""
        place = self.place
        return sum(1 << place[i] for i in ids)


class PossibleSteps:
    """The possible steps of a world. Looks up what is asked again and again only once."""

    def __init__(self, world: World) -> None:
        self.world = world
        self.group_masks = [[world.mask(g) for g in p.groups] for p in world.pools]
        self.pool_masks = [sum(g) for g in self.group_masks]
        self._usable: dict[tuple[int, int], int] = {}
        self._starts: dict[tuple[int, int], list[int]] = {}

    # --- pools --------------------------------------------------------------------------------

    def members(self, pool: int, joined: int) -> list[list[int]]:
        """Sizes of a pool's disks that have joined, group by group; groups without any left out."""
        disks = self.world.disks
        groups = []
        for mask in self.group_masks[pool]:
            here = mask & joined
            if here:
                groups.append([disks[n].capacity_bytes for n in range(len(disks)) if here >> n & 1])
        return groups

    def missing(self, pool: int, joined: int) -> int:
        """Most disks that a begun group still lacks, where the family takes them all at once."""
        if FAMILIES[self.world.pools[pool].family].grows_by == "disk" and not self._rigid(pool):
            return 0
        return max(
            ((mask & ~joined).bit_count() for mask in self.group_masks[pool] if mask & joined),
            default=0,
        )

    def _rigid(self, pool: int) -> bool:
        """Whether a group's disks have to be there together (a mirror, RAID or RAIDZ group)."""
        return FAMILIES[self.world.pools[pool].family].smallest_rules

    def usable(self, pool: int, joined: int) -> int:
        """Bytes that the pool holds with the disks that have joined."""
        key = (pool, joined & self.pool_masks[pool])
        usable = self._usable.get(key)
        if usable is None:
            usable = self._usable[key] = self._usable_bytes(pool, joined)
        return usable

    def _usable_bytes(self, pool: int, joined: int) -> int:
        plan = self.world.pools[pool]
        if not joined & self.pool_masks[pool]:
            return 0
        if self._rigid(pool):
            # A begun group has its whole width, with disks missing: as large as it will be.
            place = self.world.place
            groups = [
                tuple(self.world.disks[place[d]].capacity_bytes for d in g)
                for g, mask in zip(plan.groups, self.group_masks[pool], strict=True)
                if mask & joined
            ]
            family = plan.family
            if len(groups) == 1:
                family = FAMILIES[family].of_one_group or family
        else:
            groups = [tuple(g) for g in self.members(pool, joined)]
            family = plan.family
            if sum(map(len, groups)) == 1:
                family = "single"
            elif FAMILIES[family].check(groups):
                return 0
        return room.usable_bytes(
            family,
            tuple(groups),
            plan.filesystem,
            plan.ashift,
            plan.record_kib * 1024,
            plan.encrypted,
        )

    def redundant(self, pool: int, joined: int) -> bool:
        """Whether a copy in the pool outlives a dying disk as the pool is now."""
        family = FAMILIES[self.world.pools[pool].family]
        here = [(m & joined).bit_count() for m in self.group_masks[pool] if m & joined]
        if not here:
            return False
        if family.one_set:
            return family.outlives(sum(here)) > 0
        widths = [m.bit_count() for m in self.group_masks[pool] if m & joined]
        if self._rigid(pool):
            return all(family.outlives(w) - (w - h) > 0 for w, h in zip(widths, here, strict=True))
        return all(h >= family.minimum and family.outlives(h) > 0 for h in here)

    def starts(self, pool: int, blank: int) -> list[int]:
        """Sets of blank disks with which the pool can be created, the largest first."""
        key = (pool, blank & self.pool_masks[pool])
        begins = self._starts.get(key)
        if begins is None:
            begins = self._starts[key] = list(self._start_sets(pool, key[1]))
        return begins

    def _start_sets(self, pool: int, blank: int) -> Iterator[int]:
        family = FAMILIES[self.world.pools[pool].family]
        masks = self.group_masks[pool]
        if not self._rigid(pool):
            if family.one_set:
                # The parity disks, and all data disks that are blank.
                data, parity = masks
                if parity & ~blank == 0 and (data & blank).bit_count() >= 2:
                    yield parity | data & blank
                return
            if blank.bit_count() >= max(
                1, family.minimum if family.outlives(2) or family.copies else 1
            ):
                yield blank
            return
        whole = [m for m in masks if m & ~blank == 0]
        if whole:
            yield sum(whole)
            if len(whole) > 1:
                yield whole[0]
            return
        # No group is whole: one may begin with as many disks missing as it can lose.
        for mask in masks:
            here = mask & blank
            lacking = mask.bit_count() - here.bit_count()
            if here and 0 < lacking <= family.outlives(mask.bit_count()):
                yield here

    # --- steps --------------------------------------------------------------------------------

    def copies(self, state: State, cargo: int) -> int:
        """Whole copies of a dataset anywhere."""
        bit = 1 << cargo
        return (
            self.world.cargo[cargo].elsewhere
            + sum(1 for h in state.disk_has if h & bit)
            + sum(1 for h in state.pool_has if h & bit)
            + sum(1 for c, _ in state.split if c == cargo)
        )

    def free_on_disk(self, state: State, disk: int) -> int:
        """Bytes left on a disk that no pool has taken up: its file system's room, not the raw disk."""
        if (state.soiled | state.parts) >> disk & 1:
            return 0
        room_here = ext4.usable_bytes(self.world.disks[disk].capacity_bytes)
        return room_here - self._bytes(state.disk_has[disk] | state.unread_on(disk))

    def free_on_pool(self, state: State, pool: int) -> int:
        """Bytes left on a pool as it is now."""
        return self.usable(pool, state.joined) - self._bytes(state.pool_has[pool])

    def _bytes(self, mask: int) -> int:
        return sum(c.bytes for n, c in enumerate(self.world.cargo) if mask >> n & 1)

    def done(self, state: State) -> bool:
        """Whether every pool is whole and has its datasets."""
        wanted = sum(self.pool_masks)
        if wanted & ~state.joined:
            return False
        return all(
            c.pool is None or state.pool_has[c.pool] >> n & 1
            for n, c in enumerate(self.world.cargo)
        )

    def moves(self, state: State) -> Iterator[Move]:
        """Every sensible step from here."""
        disks = self.world.disks
        taken = state.joined | state.soiled | state.parts
        blank = sum(
            1 << n
            for n, has in enumerate(state.disk_has)
            if not has and not state.unread_on(n) and not taken >> n & 1
        )
        yield from self._building(state, blank)
        for n, has in enumerate(state.disk_has):
            # Only a disk that a pool waits for is wiped.
            waited_for = (has or state.unread_on(n)) and not taken >> n & 1 and self._in_pool(n)
            if waited_for and self._all_elsewhere(state, has, state.unread_on(n)):
                yield Move("wipe", f"wipe:{disks[n].id}", (n,))
        yield from self._verifying(state)
        yield from self._copying(state)

    def _all_elsewhere(self, state: State, has: int, unread: int) -> bool:
        """Whether everything here has another whole copy; what nobody has read counts as none."""
        cargo = range(len(self.world.cargo))
        return all(self.copies(state, c) > (has >> c & 1) for c in cargo if (has | unread) >> c & 1)

    def _verifying(self, state: State) -> Iterator[Move]:
        """Reading a doubtful copy back, as long as there are fewer than two whole ones."""
        for n in range(len(state.disk_has)):
            for c, cargo in enumerate(self.world.cargo):
                if state.unread_on(n) >> c & 1 and self.copies(state, c) < 2:
                    disk = self.world.disks[n]
                    yield Move(
                        "verify", f"verify:{cargo.id}>{disk.id}", (n,), None, c, At("disk", n)
                    )

    def _in_pool(self, disk: int) -> bool:
        return any(m >> disk & 1 for m in self.pool_masks)

    def _building(self, state: State, blank: int) -> Iterator[Move]:
        for p, plan in enumerate(self.world.pools):
            joined = state.joined & self.pool_masks[p]
            if not joined:
                for start in self.starts(p, blank):
                    yield Move("create", self._key("create", plan.id, start), self._list(start), p)
                continue
            if self._rigid(p):
                for mask in self.group_masks[p]:
                    lacking = mask & ~joined
                    if not lacking:
                        continue
                    if mask & joined:
                        for n in self._list(lacking & blank):
                            key = f"replace:{plan.id}:{self.world.disks[n].id}"
                            yield Move("replace", key, (n,), p)
                    elif not lacking & ~blank:
                        yield Move("add", self._key("add", plan.id, mask), self._list(mask), p)
                    elif self._may_lack(p, mask, blank):
                        here = mask & blank
                        yield Move("add", self._key("add", plan.id, here), self._list(here), p)
            else:
                for n in self._list(self.pool_masks[p] & ~joined & blank):
                    key = f"add:{plan.id}:{self.world.disks[n].id}"
                    yield Move("add", key, (n,), p)

    def _may_lack(self, pool: int, mask: int, blank: int) -> bool:
        """Whether a further group can begin with disks missing."""
        here = (mask & blank).bit_count()
        return (
            0
            < mask.bit_count() - here
            <= FAMILIES[self.world.pools[pool].family].outlives(mask.bit_count())
        )

    def _copying(self, state: State) -> Iterator[Move]:
        for c, cargo in enumerate(self.world.cargo):
            source = self._source(state, c)
            if not source:
                continue
            if self._can_enter(state, c):
                assert cargo.pool is not None
                yield self._enter(c, source)
            yield from self._set_aside(state, c, source)

    def forced(self, state: State) -> Move | None:
        """A copy that may as well be made at once: into a pool with room for all that belongs there.

        It has to be made in any case, takes no room from another, and every order that makes it
        later can make it now without more danger or hours: its source is at least as near.
        """
        for p, joined in enumerate(m & state.joined for m in self.pool_masks):
            if not joined:
                continue
            waiting = [
                c
                for c, cargo in enumerate(self.world.cargo)
                if cargo.pool == p and not state.pool_has[p] >> c & 1
            ]
            if sum(self.world.cargo[c].bytes for c in waiting) > self.free_on_pool(state, p):
                continue
            for c in waiting:
                source = self._source(state, c)
                if source:
                    return self._enter(c, source)
        return None

    def _source(self, state: State, cargo: int) -> At | None:
        """Where a dataset is read from: a pool that has it, else the first disk."""
        bit = 1 << cargo
        for p, has in enumerate(state.pool_has):
            if has & bit:
                return At("pool", p)
        for n, has in enumerate(state.disk_has):
            if has & bit:
                return At("disk", n)
        return next((At("parts", mask) for c, mask in state.split if c == cargo), None)

    def _can_enter(self, state: State, c: int) -> bool:
        cargo = self.world.cargo[c]
        return (
            cargo.pool is not None
            and not state.pool_has[cargo.pool] >> c & 1
            and bool(state.joined & self.pool_masks[cargo.pool])
            and self.free_on_pool(state, cargo.pool) >= cargo.bytes
        )

    def _enter(self, c: int, source: At) -> Move:
        cargo = self.world.cargo[c]
        assert cargo.pool is not None
        key = f"copy:{cargo.id}>{self.world.pools[cargo.pool].id}"
        disks = self._disk_of(source)
        return Move("copy", key, disks, cargo.pool, c, source, At("pool", cargo.pool))

    def _set_aside(self, state: State, c: int, source: At) -> Iterator[Move]:
        """Copies to loose disks, of what lies on a disk that will be wiped.

        Of disks that are alike only the first is tried; a third copy makes nothing safer.
        """
        disks, bit = self.world.disks, 1 << c
        threatened = any(
            has & bit and self._in_pool(n) and not state.joined >> n & 1
            for n, has in enumerate(state.disk_has)
        )
        if not threatened or self.copies(state, c) > 2:
            return
        tried: set[tuple[object, ...]] = set()
        for n, disk in enumerate(disks):
            has = state.disk_has[n]
            if state.joined >> n & 1 or (has | state.unread_on(n)) & bit:
                continue
            groups = tuple(m for masks in self.group_masks for m in masks if m >> n & 1)
            alike = (
                has | state.unread_on(n),
                groups,
                disk.capacity_bytes,
                disk.mb_per_s,
                disk.host,
                disk.bay is None,
            )
            if alike in tried or self.free_on_disk(state, n) < self.world.cargo[c].bytes:
                continue
            tried.add(alike)
            key = f"copy:{self.world.cargo[c].id}>{disk.id}"
            yield Move("copy", key, (*self._disk_of(source), n), None, c, source, At("disk", n))
        if not tried:
            yield from self._in_parts(state, c, source)

    def _in_parts(self, state: State, c: int, source: At) -> Iterator[Move]:
        """A copy over several loose disks, where none alone has the room: as few as will do."""
        loose = [
            n
            for n in range(len(self.world.disks))
            if not state.joined >> n & 1
            and not self._in_pool(n)
            and not state.disk_has[n]
            and not state.unread_on(n)
            and self.free_on_disk(state, n) > 0
        ]
        loose.sort(key=lambda n: -self.free_on_disk(state, n))
        need, mask = self.world.cargo[c].bytes, 0
        for n in loose:
            if need <= 0:
                break
            need -= self.free_on_disk(state, n)
            mask |= 1 << n
        if need <= 0 and mask.bit_count() > 1:
            names = "+".join(self.world.disks[n].id for n in self._list(mask))
            key = f"copy:{self.world.cargo[c].id}>{names}"
            disks = (*self._disk_of(source), *self._list(mask))
            yield Move("copy", key, disks, None, c, source, At("parts", mask))

    def after(self, state: State, move: Move) -> State:
        """The state once a step is done and, for a copy, verified."""
        disk_has, pool_has = list(state.disk_has), list(state.pool_has)
        joined, unread, split = state.joined, list(state.unread), state.split
        if move.verb == "wipe":
            disk_has[move.disks[0]] = 0
            if unread:
                unread[move.disks[0]] = 0
        elif move.verb == "verify":
            assert move.cargo is not None
            disk_has[move.disks[0]] |= 1 << move.cargo
            unread[move.disks[0]] &= ~(1 << move.cargo)
        elif move.verb == "copy":
            assert move.cargo is not None
            bit = 1 << move.cargo
            assert move.target is not None
            kind, place = move.target
            if kind == "pool":
                pool_has[place] |= bit
            elif kind == "parts":
                split = tuple(sorted((*split, (move.cargo, place))))
            else:
                disk_has[place] |= bit
        else:
            joined |= sum(1 << n for n in move.disks)
        return State(joined, tuple(disk_has), tuple(pool_has), tuple(unread), state.soiled, split)

    def _list(self, mask: int) -> tuple[int, ...]:
        return tuple(n for n in range(len(self.world.disks)) if mask >> n & 1)

    def _disk_of(self, source: At) -> tuple[int, ...]:
        if source.kind == "parts":
            return self._list(source.number)
        return (source.number,) if source.kind == "disk" else ()

    def _key(self, verb: str, pool: str, mask: int) -> str:
        names = "+".join(self.world.disks[n].id for n in self._list(mask))
        return f"{verb}:{pool}:{names}"
