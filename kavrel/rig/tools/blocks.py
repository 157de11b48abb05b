"""Devices and what is made of them: lsblk, mdadm, pvs, vgs, lvs, blkid, findmnt.

Sources: lsblk(8), findmnt(8), mdadm(8), md(4), lvmreport(7).
"""

import json
from collections.abc import Iterator
from typing import Any

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.shares.brought import brought
from kavrel.core.works.volumes import UNION as TREE
from kavrel.core.works.volumes import tree_of
from kavrel.rig.apart import is_spread
from kavrel.rig.box import Box, Store
from kavrel.rig.data import Data
from kavrel.rig.disks import Drive
from kavrel.rig.layers import Array, Block, Layers, System
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.tools import mending
from kavrel.rig.tools.folders import split
from kavrel.rig.tools.spread import parts

SECTORS = {"512n": (512, 512), "512e": (512, 4096), "4kn": (4096, 4096)}
HEADS = ("NAME", "SIZE", "TYPE", "FSTYPE", "SERIAL")


def lsblk(box: Box, words: list[str], stdin: bytes) -> Said:
    """lsblk: as a tree in JSON, as a table, or with -s what one device is made of."""
    flags, values, names = split(words, "o")
    layers = Layers(box)
    roots = list(layers.disks.values())
    if "s" in flags:
        return _below(roots, names[0] if names else "", values.get("o", "NAME").split(","))
    if "json" in flags or "J" in flags:
        return lines(
            json.dumps({"blockdevices": [_facts(b, "nodeps" not in flags) for b in roots]})
        )
    wanted = [h for h in values.get("o", ",".join(HEADS)).split(",") if h]
    rows = [] if "n" in flags else [wanted]
    for root in roots:
        for depth, block in _walk(root):
            facts = _facts(block, False)
            name = facts["path"] if "p" in flags else facts["name"]
            inset = "" if "l" in flags or not depth else f"{'  ' * (depth - 1)}└─"
            told = facts | {"name": inset + name, "size": _size(block.size)}
            row = [str(told.get(h.lower()) or "") for h in wanted]
            if row not in rows or not depth:
                rows.append(row)
    wide = [max((len(r[n]) for r in rows), default=0) for n in range(len(wanted))]
    return lines(
        *(" ".join(c.ljust(w) for c, w in zip(r, wide, strict=True)).rstrip() for r in rows)
    )


def _size(size: int) -> str:
    for unit in "BKMGT":
        if size < 1024 or unit == "T":
            return f"{size:.1f}{unit}".replace(".0", "")
        size /= 1024  # type: ignore[assignment]
    return ""


def _walk(block: Block, depth: int = 0) -> Iterator[tuple[int, Block]]:
    yield depth, block
    for child in block.children:
        yield from _walk(child, depth + 1)


def _below(roots: list[Block], path: str, wanted: list[str]) -> Said:
    """The device itself, and all that it is made of."""
    parts: dict[str, Block] = {}

    def reaches(block: Block) -> bool:
        on_the_way = block.path == path
        for child in block.children:
            on_the_way |= reaches(child)
        if on_the_way:
            parts[block.path] = block
        return on_the_way

    for root in roots:
        reaches(root)
    if path not in parts:
        return failed(f"lsblk: {path}: not a block device", 32)
    rows = [[str(_facts(b, False).get(h.lower()) or "") for h in wanted] for b in parts.values()]
    order = sorted(zip(parts, rows, strict=True), key=lambda one: one[0] != path)
    named = [[p if h == "NAME" else c for h, c in zip(wanted, r, strict=True)] for p, r in order]
    return lines(*(" ".join(r) for r in named))


def _facts(block: Block, deep: bool) -> dict[str, Any]:
    facts: dict[str, Any] = {
        "name": block.path.rpartition("/")[2],
        "path": block.path,
        "type": block.kind,
        "size": block.size,
        "fstype": block.fstype or None,
        "uuid": block.uuid or None,
    }
    if block.drive:
        facts |= _of_drive(block.drive)
    if deep and block.children:
        facts["children"] = [_facts(c, True) for c in block.children]
    return facts


def _of_drive(drive: Drive) -> dict[str, Any]:
    disk = drive.disk
    logical, physical = SECTORS[disk.sector]
    usb = (disk.bay or "").startswith("usb")
    return {
        "serial": disk.serial or None,
        "rota": disk.kind == "hdd",
        "tran": "usb" if usb else "nvme" if disk.kind == "nvme" else "sata",
        "log-sec": logical,
        "phy-sec": physical,
    }


def mdadm(box: Box, words: list[str], stdin: bytes) -> Said:
    """Mdadm --detail [--export], --action=check, --wait, of one array; or what changes its members."""
    flags, _, names = split(words)
    path = names[0] if names else ""
    array = next(
        (a for a in Layers(box).arrays if path in (a.block.path, f"/dev/md/{a.name}")), None
    )
    if array is None:
        return failed(f"mdadm: cannot open {path}: No such file or directory")
    said = [w for w in words if w not in (path, "--manage")]
    if said and (said[0].lstrip("-") in mending.DEEDS or said[0] in (*mending.SHORT, "--replace")):
        return mending.manage(box, path, array, said)
    if "detail" in flags or "D" in flags:
        return lines(*(_export(box, array) if "export" in flags else _detail(array)))
    if "action=check" in flags:
        if array.missing:
            return failed(f"mdadm: failed to set sync action for {path}", 1)
        for disk in (m.drive for m in array.members if m and m.drive):
            disk.bad_sectors = 0
        return FINE
    return FINE if "wait" in flags else failed(f"mdadm: unrecognized option '{' '.join(words)}'", 2)


def _export(box: Box, array: Array) -> Iterator[str]:
    bare = array.uuid.replace("-", "")
    yield f"MD_LEVEL=raid{array.level}" if array.level.isdigit() else f"MD_LEVEL={array.level}"
    yield f"MD_DEVICES={len(array.members)}"
    yield "MD_METADATA=1.2"
    yield f"MD_UUID={':'.join(bare[n : n + 8] for n in range(0, 32, 8))}"
    yield f"MD_DEVNAME={array.name}"
    yield f"MD_NAME={box.name}:{array.name}"
    for role, member in enumerate(array.members):
        if member:
            name = member.path.removeprefix("/dev/").replace("/", "_")
            yield f"MD_DEVICE_dev_{name}_ROLE={role}"
            yield f"MD_DEVICE_dev_{name}_DEV={member.path}"
    for spare in array.spares:
        name = spare.path.removeprefix("/dev/").replace("/", "_")
        yield f"MD_DEVICE_dev_{name}_ROLE=spare"
        yield f"MD_DEVICE_dev_{name}_DEV={spare.path}"


def _detail(array: Array) -> Iterator[str]:
    state = "clean, degraded" if array.missing else "clean"
    yield f"{array.block.path}:"
    yield f"        Raid Level : raid{array.level}"
    yield f"      Raid Devices : {len(array.members)}"
    yield f"             State : {state}"
    yield f"    Active Devices : {len(array.members) - array.missing}"
    yield f"     Spare Devices : {len(array.spares)}"
    yield ""
    yield "    Number   RaidDevice State"
    for role, member in enumerate(array.members):
        shown = f"active sync   {member.path}" if member else "removed"
        yield f"       {role}        {role}      {shown}"


def mdstat(box: Box) -> str:
    """What /proc/mdstat says."""
    arrays = Layers(box).arrays
    rows = [f"Personalities : {' '.join(sorted({f'[raid{a.level}]' for a in arrays}))}".rstrip()]
    for array in arrays:
        there = [f"{m.path.rpartition('/')[2]}[{n}]" for n, m in enumerate(array.members) if m] + [
            f"{s.path.rpartition('/')[2]}[{n}](S)"
            for n, s in enumerate(array.spares, len(array.members))
        ]
        many, up = len(array.members), len(array.members) - array.missing
        name = array.block.path.removeprefix("/dev/")
        rows.append(f"{name} : active raid{array.level} {' '.join(there)}")
        marks = "".join("U" if m else "_" for m in array.members)
        copies = "2 near-copies " if array.level == "10" else ""
        shape = f" {copies}[{many}/{up}] [{marks}]" if array.level != "0" else ""
        rows += [f"      {array.block.size // 1024} blocks super 1.2{shape}", ""]
    return "\n".join([*rows, "unused devices: <none>", ""])


def pvs(box: Box, words: list[str], stdin: bytes) -> Said:
    """Pvs --reportformat json."""
    rows = [
        {"pv_name": d.path, "vg_name": g.name, "pv_size": str(d.size), "pv_free": "0"}
        for g in Layers(box).groups
        for d in g.devices
    ]
    return _report("pv", rows)


def vgs(box: Box, words: list[str], stdin: bytes) -> Said:
    """Vgs --reportformat json."""
    rows = [
        {"vg_name": g.name, "vg_size": str(g.volume.size), "vg_free": "0"}
        for g in Layers(box).groups
    ]
    return _report("vg", rows)


def lvs(box: Box, words: list[str], stdin: bytes) -> Said:
    """Lvs --reportformat json."""
    rows = [
        {
            "lv_name": "data",
            "vg_name": g.name,
            "lv_size": str(g.volume.size),
            "segtype": "linear",
            "stripes": "1",
            "lv_path": f"/dev/{g.name}/data",
        }
        for g in Layers(box).groups
    ]
    return _report("lv", rows)


def _report(key: str, rows: list[dict[str, str]]) -> Said:
    return lines(json.dumps({"report": [{key: rows}]}))


def findmnt(box: Box, words: list[str], stdin: bytes) -> Said:
    """Findmnt -n [-r] -o COLUMNS --mountpoint FOLDER; -J all that is mounted."""
    flags, values, rest = split(words, "o")
    mounts = list(_mounts(box))
    if "J" in flags:
        return lines(json.dumps({"filesystems": mounts}))
    at = rest[-1] if rest else ""
    for row in mounts:
        if row["target"] == at:
            wanted = values.get("o", "TARGET,SOURCE,FSTYPE").split(",")
            return lines(" ".join(str(row.get(w.lower()) or "") for w in wanted))
    return failed("")


def _mounts(box: Box) -> Iterator[dict[str, Any]]:
    for system in Layers(box).mounted():
        store = system.store
        if is_spread(store.pool):
            continue
        yield _mount(box.datas[store.name], system.source, system.kind, system.uuid)
    for store in box.stores.values():
        if is_spread(store.pool) and box.alive(box.datas[store.name]):
            yield from _spread(box, store)
    for data in box.mounted():
        store_of = box.stores.get(data.name.partition("/")[0])
        if store_of and FILESYSTEMS[store_of.pool.filesystem].whole_disks:
            yield _mount(data, data.name, "zfs", None)
    yield from _of_others(box)


def _of_others(box: Box) -> Iterator[dict[str, Any]]:
    """What applications on it see of boxes that answer; tried again until they do, as fstab says."""
    for one in brought(box.lab.index, box.host.id):
        there = box.lab.boxes[
            box.lab.index.pools[box.lab.index.datasets[one.export.dataset].pool].host
        ]
        data = next((d for d in there.mounted() if d.at == one.path), None)
        if there.up and data is not None:
            row = _mount(data, f"{one.at}:{one.path}", "nfs4", None)
            yield row | {"target": one.folder, "options": "ro" if ",ro" in one.options else "rw"}


def _spread(box: Box, store: Store) -> Iterator[dict[str, Any]]:
    """Each of several file systems, and the tree over them. Source: mergerfs(1), tried in the tests."""
    index, data = box.lab.index, box.datas[store.name]
    pool = index.pools[store.pool.id]
    sources = {s.uuid: s for s in Layers(box).systems if s.store is store}
    for volume, made in parts(box, store):
        system = sources.get(made)
        if system and system.source:
            at = {"target": volume.folder, "options": "rw,relatime"}
            yield _mount(data, system.source, system.kind, volume.uuid) | at
    tree = tree_of(index, pool)
    if tree:
        yield _mount(data, tree.folder.rpartition("/")[2], TREE, None)


def _mount(data: Data, source: str, kind: str, uuid: str | None) -> dict[str, Any]:
    room = data.room
    return {
        "target": data.at,
        "source": source,
        "fstype": kind,
        "options": "ro" if data.read_only else "rw,relatime",
        "uuid": uuid,
        "size": room.capacity,
        "used": room.used,
        "avail": room.capacity - room.used,
    }


def proc_mounts(box: Box) -> str:
    """What /proc/mounts says."""
    rows = (f"{m['source']} {m['target']} {m['fstype']} {m['options']} 0 0\n" for m in _mounts(box))
    return "".join(rows)


def systems(box: Box, kind: str) -> list[System]:
    """The file systems of a kind, mounted or not."""
    return [s for s in Layers(box).systems if s.kind == kind]
