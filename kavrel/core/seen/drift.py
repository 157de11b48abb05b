"""Drift: what the works of a host want to be there, against what was seen on it.

A kind of thing that no listing of the look showed is not missing: it is unknown, and said to be.
"""

from collections.abc import Iterator
from datetime import UTC, date, datetime
from typing import Any, Literal

from kavrel.core.copies.anew import to_begin_anew
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Disk, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.room import usable_bytes
from kavrel.core.quantities import size_words, sizes_apart
from kavrel.core.seen.battery import battery
from kavrel.core.seen.drifted import Drift, Drifted
from kavrel.core.seen.far import paths_brought
from kavrel.core.seen.known import Known, is_made_alike
from kavrel.core.seen.limited import Limits
from kavrel.core.seen.machine import Machine, SeenDataset, SeenDisk, SeenPool
from kavrel.core.seen.taking import Taker
from kavrel.core.seen.timers import Timers
from kavrel.core.seen.ways_in import folders_open, ports_open
from kavrel.core.shares.brought import brought
from kavrel.core.shares.names import folders, pool_names, pool_roots, zfs_namer
from kavrel.core.works.volumes import volumes_of

AGAIN = "sh setup.sh"
SIZE_SLACK = 0.1  # a dataset has grown: it is drift when its size is off by more than a tenth
ROOM_SLACK = 0.03  # a pool has less than planned; figures of kernels in the tests are within it
SHOWN_RECORD = 131_072
SMALLEST_SLACK = 5 * 10**9


class _Reader:
    def __init__(self, index: Index, machine: Machine, host: str) -> None:
        self.index, self.machine, self.host = index, machine, host
        self.known = Known(index, machine, host)
        self.names, self.roots = pool_names(index.plan), pool_roots(index.plan)
        self.folders = folders(index.plan)
        taker = Taker(index.plan, machine, host)
        self.takes = {t.key: t for t in taker.all().things if t.what != "same"}
        self.agreed = 0
        self.unknown: list[str] = []
        self.anew: set[str] = set()  # jobs of which it is said that their first copy is yet to come

    def say(
        self,
        verdict: Literal["missing", "extra", "different"],
        collection: str,
        about: str,
        name: str,
        field: str,
        planned: str,
        seen: str,
        **more: Any,
    ) -> Drifted:
        more.setdefault("change", self.takes.get(f"{collection}/{about}"))
        return Drifted(
            host=self.host,
            verdict=verdict,
            collection=collection,
            about=about,
            name=name,
            field=field,
            planned=planned,
            seen=seen,
            **more,
        )

    def all(self) -> Iterator[Drifted]:
        """Sheet after sheet."""
        yield from self._box()
        yield from self._disks()
        yield from self._pools()
        yield from self._datasets()
        limits = Limits(self.index, self.host, self.machine)
        yield from limits.rows()
        self.agreed += limits.agreed
        self.unknown += limits.unknown
        yield from self._jobs()
        yield from self._others(battery(self.index, self.host, self.machine))
        yield from self._others(ports_open(self.index, self.host, self.machine))
        yield from self._others(folders_open(self.index, self.host, self.machine))
        if "mounts" in self.machine.looked_at:
            yield from self._others(paths_brought(self.index, self.host, self.machine))
        elif any(brought(self.index, self.host)):
            self.unknown.append("what applications see of other boxes: paste findmnt -J as well")

    def _others(self, told: tuple[list[Drifted], int]) -> Iterator[Drifted]:
        rows, agreed = told
        self.agreed += agreed
        yield from rows

    # -- the box -----------------------------------------------------------------------------------

    def _box(self) -> Iterator[Drifted]:
        box = self.index.hosts[self.host]
        have = self.machine.ram_bytes
        if have is not None:
            gib = have / 2**30
            # The kernel keeps a part of the memory for itself.
            if abs(gib - box.ram_gib) > box.ram_gib * 0.1:
                yield self.say(
                    "different",
                    "hosts",
                    box.id,
                    box.name,
                    "memory",
                    f"{box.ram_gib:g} GiB",
                    f"{gib:.1f} GiB",
                )
            else:
                self.agreed += 1
        if "addresses" in self.machine.looked_at:
            for field, wanted in (("address", box.address), ("VPN address", box.vpn_address)):
                if wanted and wanted not in self.machine.addresses:
                    there = ", ".join(self.machine.addresses) or "none"
                    yield self.say(
                        "different", "hosts", box.id, box.name, field, wanted, there, change=None
                    )
                elif wanted:
                    self.agreed += 1
        told = [s for s in self.index.plan.supplies if self.host in s.signals]
        if told and not self.machine.ups:
            yield self.say(
                "missing",
                "hosts",
                box.id,
                box.name,
                "UPS signal",
                f"told by {told[0].name}",
                "no UPS is known there",
                urgent=True,
                command=AGAIN,
                change=None,
            )

    # -- disks -------------------------------------------------------------------------------------

    def _disks(self) -> Iterator[Drifted]:
        if "disks" not in self.machine.looked_at:
            self.unknown.append("disks: paste lsblk -J -b -O as well")
            return
        there = {d.id: self.known.seen_disks[s] for s, d in self.known.disks.items()}
        for disk in self.index.plan.disks:
            if disk.host != self.host:
                continue
            seen = there.get(disk.id)
            pool = self.index.pools.get(self.index.disks_in_pools.get(disk.id, ""))
            if seen is None and pool and FAMILIES[pool.family].card:
                self.unknown.append(
                    f"disk {disk.label}: the card of pool {pool.name} alone shows it"
                )
            elif seen is None and not disk.serial:
                self.unknown.append(f"disk {disk.label}: the plan has no serial of it")
            elif seen is None:
                in_pool = disk.id in self.index.disks_in_pools
                yield self.say(
                    "missing",
                    "disks",
                    disk.id,
                    disk.label,
                    "disk",
                    f"serial {disk.serial} in {disk.bay or 'the box'}",
                    "no disk of this serial",
                    urgent=in_pool,
                    change=None,
                )
            else:
                yield from self._disk(disk, seen)
        for seen in self.machine.disks:
            disk_known = self.known.disks.get(seen.device)
            if disk_known is None:
                yield from self._extra_disk(seen)
            elif disk_known.host != self.host:
                box = self.index.hosts.get(disk_known.host or "")
                was = f"in {box.name}" if box else "on the shelf"
                yield self.say(
                    "different",
                    "disks",
                    disk_known.id,
                    disk_known.label,
                    "place",
                    was,
                    f"in {self.index.hosts[self.host].name}",
                )

    def _disk(self, disk: Disk, seen: SeenDisk) -> Iterator[Drifted]:
        if disk.capacity_bytes != seen.capacity_bytes:
            yield self.say(
                "different",
                "disks",
                disk.id,
                disk.label,
                "capacity",
                f"{disk.capacity_bytes:,} bytes",
                f"{seen.capacity_bytes:,} bytes",
            )
        else:
            self.agreed += 1
        if seen.healthy is False:
            yield self.say(
                "different",
                "disks",
                disk.id,
                disk.label,
                "health",
                "passes its own test",
                "the disk itself says that it fails",
                urgent=True,
                change=None,
            )
        if seen.wear_percent is not None and abs(seen.wear_percent - disk.wear_percent) >= 2:
            yield self.say(
                "different",
                "disks",
                disk.id,
                disk.label,
                "wear",
                f"{disk.wear_percent} %",
                f"{seen.wear_percent} %",
            )

    def _extra_disk(self, seen: SeenDisk) -> Iterator[Drifted]:
        mine = [t for t in self.takes.values() if t.collection == "disks" and t.what == "new"]
        change = next(
            (
                t
                for t in mine
                if t.item["serial"] == seen.serial and t.why.startswith(f"{seen.device}")
            ),
            None,
        )
        if change is None:
            return  # the system's own
        size = size_words(seen.capacity_bytes)
        yield self.say(
            "extra",
            "disks",
            "",
            seen.serial or seen.device,
            "disk",
            "no disk of this serial",
            f"{size} at {seen.device}",
            change=change,
        )

    # -- pools -------------------------------------------------------------------------------------

    def _pools(self) -> Iterator[Drifted]:
        makers = {"zfs pools": "zfs", "btrfs": "btrfs", "mounts": ""}
        for pool in self.index.plan.pools:
            if pool.host != self.host:
                continue
            seen = self.known.pool_seen(pool.id)
            shown = any(
                k in self.machine.looked_at
                for k, fs in makers.items()
                if fs in (pool.filesystem, "")
            )
            if seen is None and not pool.standing:
                continue  # wanted, not made yet
            if seen is None and not shown:
                self.unknown.append(
                    f"pool {pool.name}: no listing shows pools of {FILESYSTEMS[pool.filesystem].title}"
                )
            elif seen is None:
                yield self.say(
                    "missing",
                    "pools",
                    pool.id,
                    pool.name,
                    "pool",
                    f"at {self.roots[pool.id]}",
                    "nothing like it",
                    urgent=True,
                    change=None,
                    command=self._bring(pool),
                )
            else:
                yield from self._pool(pool, seen)
        for seen in self.machine.pools:
            if seen.name not in self.known.pools:
                change = next(
                    (
                        t
                        for t in self.takes.values()
                        if t.collection == "pools" and t.what == "new" and t.name == seen.name
                    ),
                    None,
                )
                yield self.say(
                    "extra",
                    "pools",
                    "",
                    seen.name,
                    "pool",
                    "none of this name",
                    f"{seen.filesystem} at {seen.path or 'no folder'}",
                    change=change,
                )

    def _bring(self, pool: Pool) -> str:
        if FILESYSTEMS[pool.filesystem].by_name:
            return f"zpool import {self.names[pool.id]}"
        return f"mount {self.roots[pool.id]}"

    def _pool(self, pool: Pool, seen: SeenPool) -> Iterator[Drifted]:
        def off(field: str, planned: str, there: str, **more: Any) -> Drifted:
            return self.say("different", "pools", pool.id, pool.name, field, planned, there, **more)

        bad: dict[str, Any] = {"urgent": True, "change": None}  # nothing of the plan mends it
        if seen.state not in ("online", ""):
            lost = f": gone are {', '.join(seen.gone)}" if seen.gone else ""
            there = f"{seen.state}{lost}{f' ({seen.busy})' if seen.busy else ''}"
            yield off("state", "all its disks at work", there, **bad)
        else:
            self.agreed += 1
        if seen.errors:
            yield off("errors", "none", seen.errors, **bad)
        for one in seen.counted:
            disk = self.known.disks.get(one.device)
            if disk is None:
                yield off("errors", "none", f"{one.errors} errors counted at {one.device}", **bad)
            else:
                there = f"{one.errors} errors counted in pool {pool.name}"
                yield self.say(
                    "different", "disks", disk.id, disk.label, "errors", "none", there, **bad
                )
        if not pool.standing:
            yield off("standing", "wanted, not made yet", "it stands")
            yield from self._begun_anew(pool)
        for field, planned, there in self._laid_out(pool, seen):
            yield off(field, planned, there, urgent=field != "fast tier")
        for field, planned, there in (
            ("file system", pool.filesystem, seen.filesystem),
            ("folder", self.roots[pool.id], seen.path),
            ("UUID", pool.uuid or "", seen.uuid if pool.uuid else ""),
            *self._parts(pool, seen),
        ):
            if there and planned != there:
                yield off(field, planned, there)
        smaller = self._smaller(pool, seen)
        if smaller:
            yield off("room", *smaller, **bad)
        if pool.encrypted and not seen.encrypted and seen.filesystem in ("zfs", pool.filesystem):
            there = "in the clear: whoever carries a disk off reads it"
            yield off("encryption", "encrypted at rest", there, **bad)

    def _smaller(self, pool: Pool, seen: SeenPool) -> tuple[str, str] | None:
        """What the plan reckons with and what is there, where that is less."""
        system = FILESYSTEMS[pool.filesystem]
        whole = not seen.gone and seen.state in ("online", "")
        if seen.size_bytes is None or not whole or system.bare or seen.filesystem != system.id:
            return None
        sizes = tuple(tuple(self.index.data_bytes(d) for d in g) for g in pool.groups)
        # ZFS shows all room as if it were filled with records of 128 KiB.
        record = SHOWN_RECORD if system.by_name else pool.record_kib * 1024
        planned = usable_bytes(pool.family, sizes, system.id, pool.ashift, record, pool.encrypted)
        if seen.size_bytes >= planned * (1 - ROOM_SLACK):
            return None
        told, there = sizes_apart(planned, seen.size_bytes)
        return told, f"{there}: it has a part of its disks, or was not grown onto larger ones"

    def _begun_anew(self, pool: Pool) -> Iterator[Drifted]:
        """Jobs of a pool that has been made meanwhile: what no run is known of is not there."""
        for job, _, _ in to_begin_anew(self.index, {pool.id: date.min}):
            if f"jobs/{job.id}" in self.takes and job.id not in self.anew:
                self.anew.add(job.id)
                said = (
                    f"pool {pool.name} has been made meanwhile, and no run that went well is known"
                )
                yield self.say("different", "jobs", job.id, job.name, "first copy", "made", said)

    def _laid_out(self, pool: Pool, seen: SeenPool) -> Iterator[tuple[str, str, str]]:
        """Which disks it is made of, and how; with one gone nobody can tell."""
        if seen.gone:
            return
        members = {self.known.disks[d].id for g in seen.groups for d in g if d in self.known.disks}
        if members and members != set(pool.disks):
            yield "disks", self._labels(set(pool.disks)), self._labels(members)
        elif seen.family and not is_made_alike(self.index, pool, seen.family):
            yield "layout", pool.family, seen.family
        fast = {self.known.disks[d].id for d in seen.tier if d in self.known.disks}
        # A disk whose serial the plan does not know cannot be told from another.
        if len(fast) == len(seen.tier) and fast != set(pool.tier):
            yield (
                "fast tier",
                self._labels(set(pool.tier)) or "none",
                self._labels(fast) or "none",
            )

    def _parts(self, pool: Pool, seen: SeenPool) -> Iterator[tuple[str, str, str]]:
        """Of several file systems under one folder: where each is, and which it is."""
        planned = volumes_of(self.index, pool)
        if seen.gone or len(seen.branch_paths) != len(planned):
            return
        yield "parts", ", ".join(v.folder for v in planned), ", ".join(seen.branch_paths)
        if all(v.uuid for v in planned):
            uuids = ", ".join(v.uuid or "" for v in planned)
            yield "UUIDs of its parts", uuids, ", ".join(seen.branch_uuids)

    def _labels(self, ids: set[str]) -> str:
        return ", ".join(sorted(self.index.disks[d].label for d in ids))

    # -- data --------------------------------------------------------------------------------------

    def _datasets(self) -> Iterator[Drifted]:
        name = zfs_namer(self.index.plan, self.host)
        for dataset in self.index.plan.datasets:
            pool = self.index.pools[dataset.pool]
            system = FILESYSTEMS[pool.filesystem]
            if pool.host != self.host or self.known.pool_seen(pool.id) is None:
                continue
            shown = "zfs datasets" if system.by_name else "btrfs subvolumes"
            if not (system.by_name or system.subvolumes) or shown not in self.machine.looked_at:
                continue
            seen = self.known.dataset_seen(dataset.id)
            if seen is None:
                folder = self.folders[dataset.id]
                plain = "a folder, no file system of its own: neither snapshots nor limits are its"
                yield self.say(
                    "missing",
                    "datasets",
                    dataset.id,
                    dataset.name,
                    "dataset",
                    folder,
                    plain if folder in self.machine.access else "nothing there",
                    change=None,
                    command=AGAIN,
                )
            else:
                yield from self._dataset(
                    dataset, seen, name(self.folders[dataset.id]) if system.by_name else ""
                )

    def _dataset(self, dataset: Dataset, seen: SeenDataset, zfs: str) -> Iterator[Drifted]:
        def set_to(option: str, value: object) -> str:
            return f"zfs set {option}={value} {zfs}" if zfs else AGAIN

        self.agreed += 1
        if seen.used_bytes is not None:
            off = abs(seen.used_bytes - dataset.size_bytes)
            if off > max(dataset.size_bytes * SIZE_SLACK, SMALLEST_SLACK):
                planned, there = sizes_apart(dataset.size_bytes, seen.used_bytes)
                yield self._off(dataset, "size", planned, there, "")
        for field, want, have, option in self._limits(dataset, seen, bool(zfs)):
            if want != have:
                planned, there = sizes_apart(want or 0, have or 0)
                command = set_to(option, want or "none")
                yield self._off(
                    dataset, field, planned if want else "none", there if have else "none", command
                )
        packed = seen.compression.partition("-")[0].replace("on", "lz4")
        if zfs and packed and dataset.compression != packed:
            command = set_to("compression", dataset.compression)
            yield self._off(dataset, "compression", dataset.compression, seen.compression, command)
        wanted = dataset.encrypted or self.index.pools[dataset.pool].encrypted
        if seen.encrypted is False and wanted:
            yield self.say(
                "different",
                "datasets",
                dataset.id,
                dataset.name,
                "encryption",
                "encrypted at rest",
                "in the clear",
                urgent=True,
                change=None,
            )

    def _limits(
        self, dataset: Dataset, seen: SeenDataset, zfs: bool
    ) -> Iterator[tuple[str, int | None, int | None, str]]:
        """Limits in bytes: what each is called, as planned and as seen, and the property of ZFS."""
        if zfs or seen.quota_bytes is not None or dataset.quota_bytes:
            yield "quota", dataset.quota_bytes, seen.quota_bytes, "quota"
        if not zfs:
            return
        yield "reservation", dataset.reserve_bytes or None, seen.reserve_bytes, "reservation"
        if seen.record_kib and not seen.volume:
            record = dataset.record_kib or self.index.pools[dataset.pool].record_kib
            yield "record size", record * 1024, seen.record_kib * 1024, "recordsize"

    def _off(self, dataset: Dataset, field: str, planned: str, seen: str, command: str) -> Drifted:
        return self.say(
            "different", "datasets", dataset.id, dataset.name, field, planned, seen, command=command
        )

    # -- what runs ---------------------------------------------------------------------------------

    def _jobs(self) -> Iterator[Drifted]:
        if not {"timers", "crontabs"} & self.machine.looked_at:
            self.unknown.append("timers and crontabs: no listing shows them")
            return
        timers = Timers(self.index, self.host, self.machine)
        yield from timers.rows()
        self.agreed += timers.agreed
        self.unknown += timers.unknown


def drift(index: Index, host: str, machine: Machine) -> Drift:
    """What differs between the plan and a look at one of its hosts, the urgent first."""
    reader = _Reader(index, machine, host)
    rows = sorted(reader.all(), key=lambda d: not d.urgent)
    return Drift(
        host=host,
        looked_at=datetime.fromtimestamp(machine.at, UTC),
        differences=tuple(rows),
        unknown=tuple(reader.unknown),
        agreed=reader.agreed,
    )
