"""What the listings of one machine say, put together: which disk is in which pool, and what lies on it."""

import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from kavrel.core.pools.families import FAMILIES
from kavrel.core.seen.machine import (
    Counted,
    Machine,
    Readings,
    SeenDataset,
    SeenDisk,
    SeenList,
    SeenPoints,
    SeenPool,
    SeenRun,
    SeenTask,
)
from kavrel.formats.looks.joined import joined
from kavrel.formats.looks.listing import Block, Notes, Store, Vdev, worst

WHOLE = ("disk",)
SYSTEM_PLACES = ("/", "/boot", "/boot/efi", "/boot/firmware", "[SWAP]", "/usr", "/var")
OURS = re.compile(r"^lab-([a-z0-9][a-z0-9-]*)-\d{8}T\d{6}Z$")
READINGS = (*Readings.model_fields, "rotation_rpm")


def together(notes: Notes) -> Machine:
    """The machine."""
    disks = {d.device: d for d in _disks(notes)}
    gathered = joined(notes, list(_pools(notes, set(disks))))
    pools = tuple(sorted(gathered, key=lambda p: (p.filesystem, p.name)))
    known = notes.machine
    return Machine(
        host=notes.host,
        at=notes.at,
        root=notes.root,
        system=known.get("system", ""),
        addresses=tuple(known.get("addresses", ())),
        ram_bytes=known.get("ram_bytes"),
        network_mbit=known.get("network_mbit"),
        disks=tuple(disks.values()),
        pools=pools,
        datasets=tuple(_datasets(notes, pools)),
        points=tuple(_points(notes)),
        tasks=tuple(SeenTask.model_validate(t) for t in notes.tasks),
        runs=tuple(SeenRun.model_validate(r) for r in notes.runs),
        files=notes.files,
        sizes=notes.sizes,
        ups=tuple(known.get("ups", ())),
        ups_readings=known.get("ups_readings", {}),
        over_nfs={
            folder: str(row.get("source", ""))
            for folder, row in notes.mounts.items()
            if row.get("fstype") in ("nfs", "nfs4")
        },
        access={f: SeenList.model_validate(s) for f, s in known.get("access", {}).items()},
        limits=notes.limits,
        ports=tuple(dict.fromkeys(known.get("ports", ()))),
        looked_at=frozenset(notes.looked_at),
    )


# -- disks -----------------------------------------------------------------------------------------


def _disks(notes: Notes) -> Iterator[SeenDisk]:
    used: set[str] = set()
    for path, block in notes.blocks.items():
        if block.kind in WHOLE and not path.startswith(("/dev/zd", "/dev/nbd")):
            smart = _smart_of(notes, path, block, used)
            yield _disk(notes, path, block, smart)
    for key, smart in notes.smart.items():
        if key not in used and smart.get("capacity_bytes"):
            device = smart.get("device") or key
            yield _disk(notes, device, Block(device, "disk", smart["capacity_bytes"]), smart)


def _smart_of(notes: Notes, path: str, block: Block, used: set[str]) -> dict[str, Any]:
    serial = str(block.facts.get("serial") or "")
    for key in (path, serial):
        if key and key in notes.smart:
            used.add(key)
            return notes.smart[key]
    for key, smart in notes.smart.items():
        # An NVMe controller is /dev/nvme0, its disk /dev/nvme0n1.
        if (serial and smart.get("serial") == serial) or (
            smart.get("device") and re.fullmatch(re.escape(smart["device"]) + r"n\d+", path)
        ):
            used.add(key)
            return smart
    return {}


def _disk(notes: Notes, path: str, block: Block, smart: dict[str, Any]) -> SeenDisk:
    facts = block.facts
    tran = str(facts.get("tran") or "").lower()
    turning = _flag(facts.get("rota"))
    rpm = smart.get("rotation_rpm")
    kind = "hdd" if (rpm or (rpm is None and turning)) else "ssd"
    if tran == "nvme" or "nvme" in path or smart.get("protocol") == "NVMe":
        kind = "nvme"
    card = "mmcblk" in path
    usb = tran == "usb"
    form = smart.get("form") or {"nvme": "m.2", "ssd": "2.5"}.get(kind)
    below = list(_above(notes, path))
    places = {p for b in below for p in _places(b)}
    system = _is_of_the_system(places)
    if not notes.mounts and not places:
        system = False
    paths = {path, *(b.path for b in below if b.kind in ("part", "disk"))}
    paths |= {name for name, target in notes.aliases.items() if target in paths}
    return SeenDisk(
        device=path,
        capacity_bytes=block.size or smart.get("capacity_bytes") or 0,
        serial=" ".join(str(facts.get("serial") or smart.get("serial") or "").split())[:80],
        model=" ".join(str(smart.get("model") or facts.get("model") or "").split())[:80],
        kind=kind,
        form=form,
        usb=usb,
        sector=_sector(
            facts.get("log-sec") or smart.get("logical"),
            facts.get("phy-sec") or smart.get("physical"),
        ),
        system=system,
        system_bytes=_system_bytes(notes, block) if system else None,
        boots=("sd_card" if card else "usb_stick" if usb else kind) if system else None,
        paths=tuple(sorted(paths)),
        **{k: smart.get(k) for k in READINGS},
    )


def _is_of_the_system(places: set[str]) -> bool:
    return bool(places & set(SYSTEM_PLACES)) or any(p.startswith("/boot") for p in places)


def _system_bytes(notes: Notes, whole: Block) -> int | None:
    """What a system takes of a disk; None where nothing else is on it."""
    others = [
        b.size
        for b in notes.blocks.values()
        if whole.path in b.parents
        and b.kind == "part"
        and not _is_of_the_system({p for a in _above(notes, b.path) for p in _places(a)})
    ]
    return whole.size - max(others) if others else None


def _flag(value: Any) -> bool | None:
    return {True: True, False: False, "1": True, "0": False}.get(value)


def _sector(logical: Any, physical: Any) -> Any:
    if str(logical) == "4096":
        return "4kn"
    if str(logical) == "512":
        return {"512": "512n", "4096": "512e"}.get(str(physical))
    return None


def _places(block: Block) -> list[str]:
    many = block.facts.get("mountpoints")
    one = block.facts.get("mountpoint")
    return [str(p) for p in (many if isinstance(many, list) else [one]) if p]


def _above(notes: Notes, path: str) -> Iterator[Block]:
    """The device itself, and all that is made of it: parts, arrays, volumes."""
    left, seen = [path], set()
    while left:
        one = left.pop()
        if one in seen or one not in notes.blocks:
            continue
        seen.add(one)
        yield notes.blocks[one]
        left += [p for p, b in notes.blocks.items() if one in b.parents]


# -- pools -----------------------------------------------------------------------------------------


class _Devices:
    """From any name of a device down to the disks that it is made of."""

    def __init__(self, notes: Notes, disks: set[str]) -> None:
        self.notes, self.disks = notes, disks
        self.by_serial = {
            str(b.facts["serial"]): p
            for p, b in notes.blocks.items()
            if b.kind == "disk" and b.facts.get("serial")
        }
        self.arrays = {
            name: store for (maker, name), store in notes.stores.items() if maker == "md"
        }
        self.lvs: dict[str, dict[str, Any]] = {}
        for named, group in notes.volumes.items():
            for lv in group["lvs"]:
                # The device mapper joins both names by a dash, and doubles those within them.
                mapped = f"{named.replace('-', '--')}-{lv['name'].replace('-', '--')}"
                self.lvs |= {lv["path"]: group, f"/dev/mapper/{mapped}": group}

    def known(self, name: str) -> str:
        """The path of a device that somebody calls by an identifier; else the name itself."""
        if name in self.notes.blocks:
            return name
        bare = name.removeprefix("/dev/disk/by-id/")
        for key in (name, f"/dev/{name}", f"/dev/disk/by-id/{name}"):
            if key in self.notes.blocks:
                return key
            if key in self.notes.aliases:
                return self.notes.aliases[key]
        for serial, path in self.by_serial.items():
            # ata-MODEL_SERIAL-part1, usb-MAKER_MODEL_SERIAL-0:0-part1
            if re.search(rf"_{re.escape(serial)}(-\d+:\d+)?(-part\d+)?$", bare):
                return path
        return name

    def _down(self, name: str) -> Iterator[str]:
        """A device, and all that it is made of, each once: parts, arrays, volumes, what LUKS opened."""
        left, seen = [self.known(name)], set()
        while left:
            one = left.pop()
            if one in seen:
                continue
            seen.add(one)
            yield one
            if one in self.arrays:
                left += [self.known(m) for v in self.arrays[one].vdevs for m in v.members]
            if one in self.lvs:
                left += [self.known(p) for p in self.lvs[one]["pvs"]]
            block = self.notes.blocks.get(one)
            if block is not None:
                left += list(block.parents)
            elif one not in self.arrays:
                # A part of a disk of which nobody listed the tree.
                whole = re.sub(r"p?\d+$", "", one)
                left += [whole] if whole in self.disks else []

    def disks_of(self, name: str) -> set[str]:
        """Whole disks below a device."""
        return {one for one in self._down(name) if one in self.disks}

    def cut(self, array: str) -> bool:
        """Whether an array has parts of disks of which more is left: then it is a slice of them."""
        blocks = self.notes.blocks
        for vdev in self.arrays[array].vdevs:
            for member in map(self.known, vdev.members):
                whole = [blocks[d].size for d in self.disks_of(member) if d in blocks]
                if member in blocks and whole and blocks[member].size < whole[0] * 0.9:
                    return True
        return False

    def arrays_below(self, name: str) -> list[Store]:
        """Every array that a device is made of."""
        return [self.arrays[one] for one in self._down(name) if one in self.arrays]

    def locked(self, name: str) -> bool:
        """Whether something on the way down is LUKS."""
        blocks = (self.notes.blocks.get(one) for one in self._down(name))
        return any(b.kind == "crypt" or b.facts.get("fstype") == "crypto_LUKS" for b in blocks if b)


def _pools(notes: Notes, disks: set[str]) -> Iterator[SeenPool]:
    devices = _Devices(notes, disks)
    taken: set[str] = set()
    for (maker, _), store in notes.stores.items():
        if maker == "zfs":
            yield _zfs(notes, store, devices)
        elif maker == "btrfs":
            sources = {devices.known(m) for v in store.vdevs for m in v.members}
            taken |= sources
            # One device has several names (LVM's above all), the file system has one.
            taken.add(str(store.facts.get("uuid", "")))
            pool = _btrfs(notes, store, devices, sources)
            if pool is not None:
                yield pool
    for target, row in sorted(notes.mounts.items()):
        yield from _mounted(notes, target, row, devices, taken)


def _groups(devices: _Devices, vdevs: Iterable[Vdev]) -> tuple[tuple[str, ...], ...]:
    return tuple(
        tuple(d for m in v.members for d in sorted(devices.disks_of(m))) for v in vdevs if v.members
    )


def _zfs(notes: Notes, store: Store, devices: _Devices) -> SeenPool:
    facts = store.facts
    words = {v.kind for v in store.vdevs}
    widths = len(store.vdevs)
    family = ""
    if words == {"disk"}:
        family = "single" if widths == 1 else "stripe"
    elif len(words) == 1:
        word = words.pop()
        able = [f for f in FAMILIES.values() if f.vdev_word == word]
        # A family of one group has another for more of them.
        family = next((f.id for f in able), "")
        if widths > 1 and family:
            family = FAMILIES[family].of_more_groups or family
    root = next((d for d in notes.datasets if d["maker"] == "zfs" and d["name"] == store.name), {})
    groups = _groups(devices, store.vdevs)
    if family == "stripe":
        groups = (tuple(d for g in groups for d in g),)
    return SeenPool(
        name=store.name,
        filesystem="zfs",
        family=family,
        groups=groups,
        spares=tuple(d for s in store.spares for d in sorted(devices.disks_of(s))),
        gone=tuple(g for v in store.vdevs for g in v.gone),
        state=store.state,
        size_bytes=_room(root, facts),
        used_bytes=root.get("used") or facts.get("used"),
        path=str(root.get("mountpoint") or ""),
        ashift=facts.get("ashift") or None,
        encrypted=str(root.get("encryption", "off")) != "off",
        errors="" if facts.get("errors", "").startswith("No known") else facts.get("errors", ""),
        counted=tuple(_counted(devices, store.counted)),
        scrubbed_at=facts.get("scrubbed_at"),
        busy=facts.get("busy") or "",
    )


def _room(root: dict[str, Any], facts: dict[str, Any]) -> int | None:
    if root.get("used") is not None and root.get("available") is not None:
        return int(root["used"]) + int(root["available"])
    size = facts.get("size")
    return size if isinstance(size, int) else None


def _source(row: dict[str, Any]) -> str:
    # findmnt says /dev/sda[/subvolume].
    return str(row.get("source", "")).partition("[")[0]


def _btrfs(notes: Notes, store: Store, devices: _Devices, sources: set[str]) -> SeenPool | None:
    spots = {
        t: r
        for t, r in notes.mounts.items()
        if r.get("fstype") == "btrfs"
        and (devices.known(_source(r)) in sources or r.get("uuid") == store.facts.get("uuid"))
    }
    members = tuple(d for s in sorted(sources) for d in sorted(devices.disks_of(s)))
    place = min(spots, key=lambda t: (t.count("/"), t), default="")
    if place == "/" or any(b == "/" for b in spots):
        return None  # the system's own
    row = next((r for r in spots.values() if "profile" in r), notes.mounts.get(place, {}))
    profile = str(row.get("profile", ""))
    family = next(
        (f.id for f in FAMILIES.values() if f.profile and f" -d {profile} " in f"{f.profile} "), ""
    )
    if not family:
        many = len(store.vdevs[0].members) > 1
        family = "span" if many else "single"
        if many and profile not in ("single", "dup", ""):
            family = ""
    groups: tuple[tuple[str, ...], ...] = (members,) if members else ()
    if not store.vdevs[0].gone and len(sources) == 1:
        below = _array(notes, next(iter(sources)), devices)
        family, groups = below if below else (family, groups)
    condition = _condition(devices, sources)
    stats = (s for (maker, at), s in notes.stores.items() if maker == "btrfs stats" and at in spots)
    counted = _counted(devices, next((s.counted for s in stats), {}))
    gone = (*(g for v in store.vdevs for g in v.gone), *condition["gone"])
    state = store.state if store.state != "online" else condition["state"]
    return SeenPool(
        name=store.facts.get("label") or place.rpartition("/")[2] or store.name[:8],
        filesystem="btrfs",
        family=family,
        groups=groups,
        **(
            condition | {"gone": gone, "state": state, "counted": (*condition["counted"], *counted)}
        ),
        size_bytes=notes.mounts.get(place, {}).get("size"),
        used_bytes=notes.mounts.get(place, {}).get("used") or store.facts.get("used"),
        path=place,
        uuid=str(store.facts.get("uuid", "")),
        encrypted=any(devices.locked(s) for s in sources),
    )


def _array(
    notes: Notes, source: str, devices: _Devices
) -> tuple[str, tuple[tuple[str, ...], ...]] | None:
    """The family and groups of what a device is made of, where an array or LVM makes it."""
    block = notes.blocks.get(source)
    below, seen = [source], set()
    while below:
        one = below.pop()
        if one in seen:
            continue
        seen.add(one)
        if one in devices.arrays:
            return _md(devices, [one])
        if one in devices.lvs:
            return _lvm(devices, devices.lvs[one])
        block = notes.blocks.get(one)
        if block is not None and block.kind != "disk":
            below += list(block.parents)
    return None


def _md(devices: _Devices, names: list[str]) -> tuple[str, tuple[tuple[str, ...], ...]]:
    array = devices.arrays[names[0]]
    level = array.level.removeprefix("raid")
    inner = [devices.known(m) for v in array.vdevs for m in v.members]
    if level == "0" and inner and all(m in devices.arrays for m in inner):
        # A stripe over arrays: mirrors, or parity groups.
        of = {devices.arrays[m].level.removeprefix("raid") for m in inner}
        groups = tuple(
            tuple(
                d for x in devices.arrays[m].vdevs[0].members for d in sorted(devices.disks_of(x))
            )
            for m in inner
        )
        one = of.pop() if len(of) == 1 else ""
        family = next((f.id for f in FAMILIES.values() if f.nested and f.md_level == one), "")
        return family, groups
    members = tuple(d for m in inner for d in sorted(devices.disks_of(m)))
    level = "linear" if level == "linear" else level
    able = [f for f in FAMILIES.values() if f.md_level == level and not f.nested]
    family = able[0].id if able else ("span" if level == "linear" else "")
    return family, (members,)


def _lvm(devices: _Devices, group: dict[str, Any]) -> tuple[str, tuple[tuple[str, ...], ...]]:
    inner = [devices.known(p) for p in group["pvs"]]
    arrays = [p for p in inner if p in devices.arrays]
    members = tuple(dict.fromkeys(d for p in inner for d in sorted(devices.disks_of(p))))
    if not arrays:
        kinds = {lv.get("type") for lv in group["lvs"]}
        if kinds <= {"linear"}:
            return ("span" if len(members) > 1 else "single"), (members,)
        return "", (members,)
    if len(arrays) == 1 and not devices.cut(arrays[0]):
        return _md(devices, arrays)
    levels = {devices.arrays[a].level for a in arrays}
    # Of two that may die the narrowest parts are three whole copies.
    wide = [a for a in arrays if sum(len(v.members) for v in devices.arrays[a].vdevs) > 2]
    thrice = any(devices.arrays[a].level == "raid1" for a in wide)
    twice = "slices2" if thrice or "raid6" in levels else "slices1"
    able = twice in FAMILIES and levels <= {"raid1", "raid5", "raid6"}
    return (twice if able else ""), (members,)


def _mounted(
    notes: Notes, target: str, row: dict[str, Any], devices: _Devices, taken: set[str]
) -> Iterator[SeenPool]:
    """File systems on one device, and unions over several of them."""
    kind, source = str(row.get("fstype", "")), devices.known(str(row.get("source", "")))
    if kind not in ("ext4", "xfs", "btrfs", "ntfs", "ntfs3", "apfs"):
        return
    if source in taken or (row.get("uuid") and row["uuid"] in taken):
        return
    if target in SYSTEM_PLACES or target.startswith(("/boot", "/var/lib/docker", "/snap")):
        return
    members = tuple(sorted(devices.disks_of(source)))
    if not members:
        return
    family = "single"
    groups: tuple[tuple[str, ...], ...] = (members,)
    below = _array(notes, source, devices)
    if below:
        family, groups = below
    block = notes.blocks.get(source)
    yield SeenPool(
        name=str((block.facts.get("label") if block else "") or target.rpartition("/")[2]),
        filesystem="ntfs" if kind == "ntfs3" else kind,
        family=family,
        groups=groups,
        **_condition(devices, [source]),
        size_bytes=row.get("size"),
        used_bytes=row.get("used"),
        path=target,
        uuid=str(row.get("uuid") or (block.facts.get("uuid") if block else "") or ""),
        encrypted=devices.locked(source),
    )


def _condition(devices: _Devices, sources: Iterable[str]) -> dict[str, Any]:
    """State, spares, what is gone and what is under way, of all arrays below: the worst of them."""
    arrays = [a for s in sources for a in devices.arrays_below(s)]
    return {
        "state": worst(a.state for a in arrays),
        "spares": tuple(sorted({d for a in arrays for s in a.spares for d in devices.disks_of(s)})),
        "gone": tuple(g for a in arrays for v in a.vdevs for g in v.gone),
        "busy": next((str(a.facts["busy"]) for a in arrays if a.facts.get("busy")), ""),
        "errors": "; ".join(
            f"{a.facts['differ']:,} sectors of {a.name} differ between its disks"
            for a in arrays
            if a.facts.get("differ")
        ),
        "counted": tuple(c for a in arrays for c in _counted(devices, a.counted)),
    }


def _counted(devices: _Devices, members: Mapping[str, Mapping[str, str]]) -> Iterator[Counted]:
    """Errors of members, by the disk that each is on."""
    for name, errors in members.items():
        disk = next(iter(sorted(devices.disks_of(name))), name)
        yield Counted(device=disk, errors=", ".join(f"{n} {k}" for k, n in errors.items()))


# -- data and points -------------------------------------------------------------------------------


def _datasets(notes: Notes, pools: tuple[SeenPool, ...]) -> Iterator[SeenDataset]:
    for row in notes.datasets:
        name = str(row["name"])
        if row["maker"] == "zfs":
            pool, slash, below = name.partition("/")
            if not slash:
                continue
            place = str(row.get("mountpoint") or "")
            yield SeenDataset(
                pool=pool,
                folder=place if place.startswith("/") else f"/{name}",
                name=below,
                used_bytes=row.get("usedbydataset", row.get("used")),
                quota_bytes=row.get("quota") or None,
                reserve_bytes=row.get("reservation") or None,
                record_kib=(row.get("recordsize") or 0) // 1024 or None,
                compression=str(row.get("compression", "")),
                encrypted=None if "encryption" not in row else row["encryption"] != "off",
                volume=row.get("type") == "volume",
            )
            continue
        home = next((p for p in pools if p.filesystem == "btrfs" and row["at"] == p.path), None)
        if home is None:
            continue
        used, limit = notes.mounts.get(row["at"], {}).get("quotas", {}).get(row["id"], (None, None))
        yield SeenDataset(
            pool=home.name, folder=row["folder"], name=name, used_bytes=used, quota_bytes=limit
        )


def _points(notes: Notes) -> Iterator[SeenPoints]:
    by: dict[tuple[str, str, bool], set[float]] = {}
    for place, name, moment in notes.points:
        match = OURS.match(name)
        maker = (
            match.group(1) if match else re.sub(r"[0-9][0-9TZ:_.-]*", "", name).strip("-_.") or name
        )
        by.setdefault((place, maker, bool(match)), set()).add(moment)
    for place, job, moments in notes.machine.get("points", ()):
        by.setdefault((place, job, True), set()).update(moments)
    for (place, maker, ours), moments in sorted(by.items()):
        yield SeenPoints(place=place, maker=maker, ours=ours, times=tuple(sorted(moments)))
