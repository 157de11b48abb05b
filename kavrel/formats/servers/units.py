"""systemd mount units of one host; what runs at night is in `timers`."""

from collections.abc import Iterator
from typing import Any

from kavrel.core.plan import Plan
from kavrel.core.works.shut_in import ZFS_MOUNTS, shut_in
from kavrel.core.works.starts import DISKS, KEYS, opened_alone, volumes_given
from kavrel.core.works.volumes import UNION
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.template import render


def unit_name(folder: str) -> str:
    """The mount unit of a folder, escaped as systemd-escape --path does."""
    kept = []
    for n, char in enumerate(folder.strip("/")):
        if char == "/":
            kept.append("-")
        elif (char.isascii() and (char.isalnum() or char in "_:")) or (char == "." and n):
            kept.append(char)
        else:
            kept.append("".join(f"\\x{b:02x}" for b in char.encode()))
    return "".join(kept) + ".mount"


def units(plan: Plan, host: str, origin: str) -> dict[str, str]:
    """Unit name to its text."""
    return dict(_units(Box(plan, host), origin))


def _units(box: Box, origin: str) -> Iterator[tuple[str, str]]:
    common = {"host": box.host, "origin": origin}
    opened = opened_alone(box.index, box.host.id)
    if opened:  # before ZFS mounts anything: it mounts what has its key
        yield KEYS, render("keys_unit.j2", pools=opened, **common)
    if volumes_given(box.index, box.host.id):
        yield DISKS, render("disks_unit.j2", **common)
    for name, facts in _mounts(box):
        yield name, render("mount_unit.j2", unit=name, **facts, **common)


def _mounts(box: Box) -> Iterator[tuple[str, dict[str, Any]]]:
    """Name and facts of each mount: file systems, what is bound elsewhere, trees over several."""
    for volume in box.volumes:
        if volume.uuid is None:
            continue  # the machine mounts it already; the plan does not know by what name
        yield (
            unit_name(volume.folder),
            {
                "pool": volume.pool,
                "what": f"/dev/disk/by-uuid/{volume.uuid}",
                "folder": volume.folder,
                "type": volume.pool.filesystem,
                # What can be pulled out is not waited for. Source: systemd.mount(5), on nofail in a unit.
                "options": volume.kept + (",nofail" if volume.removable else ""),
                "below": (),
                "after": "",
                "waits": volume.pool.waits,
                "wanted_by": "multi-user.target" if volume.removable else "local-fs.target",
            },
        )
    for one in shut_in(box.index, box.host.id):
        yield (
            unit_name(one.folder),
            {
                "pool": one.pool,
                "what": one.source,
                "folder": one.folder,
                "type": "none",
                "options": "bind",
                "below": () if one.by_name else (one.source,),
                "after": ZFS_MOUNTS if one.by_name else "",
                "waits": one.waits,
                "wanted_by": "multi-user.target",
            },
        )
    for tree in box.trees:
        if not tree.known:
            continue
        yield (
            unit_name(tree.folder),
            {
                "pool": tree.pool,
                "what": tree.what,
                "folder": tree.folder,
                "type": UNION,
                "options": tree.mounted,
                "below": tree.branches,
                "after": "",
                "waits": tree.pool.waits,
                "wanted_by": "multi-user.target",
            },
        )
