"""btrfs: subvolumes, read-only snapshots, sending and receiving, scrubs. Source: btrfs(8).

Points lie at ABOVE/.points/NAME/POINT, beside the subvolume ABOVE/NAME that they are of.
"""

import os

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.rig.box import Box
from kavrel.rig.data import Data
from kavrel.rig.layers import drives as answering
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.streams import Stream
from kavrel.rig.tools import btrfs_shows
from kavrel.rig.tools.folders import place_of, split

MAGIC = b"btrfs-stream "
# How many arguments each takes at the least, and whether no more. Source: btrfs-progs 6.2, as it complains.
TAKES: dict[tuple[str, ...], tuple[int, bool]] = {
    ("send",): (1, False),
    ("receive",): (1, True),
    ("subvolume", "snapshot"): (2, True),
    ("subvolume", "delete"): (1, False),
    ("subvolume", "show"): (1, True),
    ("subvolume", "list"): (1, True),
    ("filesystem", "usage"): (1, False),
    ("scrub", "start"): (1, True),
    ("device", "stats"): (1, True),
    ("device", "add"): (2, False),
    ("device", "remove"): (2, False),
    ("qgroup", "show"): (1, True),
    ("replace", "start"): (3, True),
}


def btrfs(box: Box, words: list[str], stdin: bytes) -> Said:
    """Btrfs GROUP COMMAND ..."""
    said = _said(box, words, stdin)
    if box.lab.real is None or box.lab.real.btrfs is None:
        return said
    return box.lab.real.btrfs.answer(box, words, stdin, said)


def _said(box: Box, words: list[str], stdin: bytes) -> Said:
    flags, values, names = split(words, "p")
    asked = tuple(names[:2])
    command = tuple(names[:1]) if names[:1] in (["send"], ["receive"]) else asked
    least, exact = TAKES.get(command, (0, False))
    given = len(names) - len(command)
    if given < least:
        told = " ".join(("btrfs", *command))
        if exact:
            return failed(
                f"{told}: exactly {least} argument{'s'[: least - 1]} expected, {given} given"
            )
        return failed(f"{told}: not enough arguments: {given} but at least {least} expected")
    if asked == ("filesystem", "show"):
        return btrfs_shows.show(box)
    if asked == ("filesystem", "usage"):
        return btrfs_shows.usage(box, names[-1])
    if asked == ("subvolume", "list"):
        return btrfs_shows.subvolumes(box, names[-1], "s" in flags)
    if asked == ("qgroup", "show"):
        return btrfs_shows.quotas(box, names[-1])
    if asked == ("subvolume", "snapshot"):
        return _snapshot(box, names[2], names[3])
    if asked == ("subvolume", "delete"):
        point = point_at(box, names[2])
        if point is None or point[1] not in point[0].points:
            return failed(f"ERROR: cannot access subvolume {names[2]}: No such file or directory")
        point[0].forget(point[1])
        return FINE
    if asked == ("subvolume", "show"):
        return _show(box, names[2])
    if asked in (("filesystem", "sync"), ("subvolume", "sync")):
        return FINE
    if asked in (
        ("replace", "start"),
        ("device", "add"),
        ("device", "remove"),
        ("device", "delete"),
    ):
        return btrfs_shows.mended(box, names)
    if asked == ("scrub", "status"):
        return lines("Status:           finished", "Error summary:    no errors found")
    if asked == ("replace", "status"):
        return lines("Never started")
    if asked == ("balance", "start"):
        return lines("Done, had to relocate 0 out of 6 chunks")
    if names[:1] == ["send"]:
        return _send(box, names[1], values.get("p", ""))
    if names[:1] == ["receive"]:
        return _receive(box, names[1], stdin)
    if asked == ("scrub", "start"):
        data, _ = box.find(names[2])
        store = box.stores.get(data.name.partition("/")[0])
        if store is None or not is_btrfs(box, data):
            return failed(f"ERROR: cannot open {names[2]}: not a btrfs filesystem")
        box.lab.scrubbed(box, store)
        return FINE
    if asked == ("device", "stats"):
        return _stats(box, names[2], flags)
    return failed(f"btrfs: unknown token '{' '.join(words[:2])}'")


def point_at(box: Box, path: str) -> tuple[Data, str] | None:
    """The subvolume that a point's path is of, and the point's name."""
    folder, name = os.path.split(path.rstrip("/"))
    above, leaf = os.path.split(folder)
    if os.path.basename(above) != ".points":
        return None
    home = f"{os.path.dirname(above)}/{leaf}"
    for data in box.datas.values():
        if data.at == home and box.alive_pool(data) and is_btrfs(box, data):
            return data, name
    return None


def is_btrfs(box: Box, data: Data) -> bool:
    """Whether a folder's file system is one."""
    store = box.stores.get(data.name.partition("/")[0])
    return store is not None and FILESYSTEMS[store.pool.filesystem].subvolumes


def _snapshot(box: Box, source: str, target: str) -> Said:
    data = next((d for d in box.mounted() if d.at == source.rstrip("/")), None)
    place = point_at(box, target)
    if data is None or not is_btrfs(box, data):
        return failed(f"ERROR: Not a Btrfs subvolume: {source}")
    if place is None or place[0] is not data:
        return failed(
            f"ERROR: cannot snapshot '{source}' to '{target}': no stand-in for that place"
        )
    if place[1] in data.points:
        return failed(f"ERROR: target path already exists: {target}")
    box.current(data)
    data.mark(place[1], box.lab.now)
    return FINE


def _show(box: Box, path: str) -> Said:
    place = point_at(box, path)
    if place is None or place[1] not in place[0].points:
        return failed(f"ERROR: cannot find real path for '{path}': No such file or directory")
    came = "00000000-0000-0000-0000-000000000001" if place[0].points[place[1]].came else "-"
    return lines(
        path.lstrip("/"),
        f"\tName: \t\t\t{place[1]}",
        f"\tReceived UUID: \t\t{came}",
        "\tFlags: \t\t\treadonly",
    )


def _send(box: Box, path: str, parent: str) -> Said:
    point = point_at(box, path)
    if point is None or point[1] not in point[0].points:
        return failed(f"ERROR: cannot find real path for '{path}': No such file or directory")
    data, name = point
    since = os.path.basename(parent)
    if since and since not in data.points:
        return failed(f"ERROR: parent determination failed for {path}")
    stream = Stream.between(data, name, since, place_of(box, data))
    return Said(0, MAGIC + box.lab.streams.put(stream))


def _receive(box: Box, folder: str, stdin: bytes) -> Said:
    if not stdin.startswith(MAGIC):
        return failed("ERROR: empty stream is not considered valid")
    stream = box.lab.streams.get(stdin[len(MAGIC) :])
    place = point_at(box, f"{folder}/{stream.name}")
    if place is None and os.path.basename(os.path.dirname(folder.rstrip("/"))) != ".points":
        return _received_whole(box, folder, stream)
    if place is None:
        above, leaf = os.path.split(folder.rstrip("/"))
        root, _ = box.find(os.path.dirname(above))
        if root.name not in box.stores or not is_btrfs(box, root):
            return failed(f"ERROR: cannot open {folder}: not a btrfs filesystem")
        at = f"{os.path.dirname(above)}/{leaf}"
        made = Data(f"{root.name}{at[len(root.at) :]}", at, root.room, read_only=True)
        box.datas[made.name] = made
        place = made, stream.name
    data, name = place
    if name in data.points:
        return failed(f"ERROR: creating subvolume {name} failed: File exists")
    if stream.since and stream.since not in data.points:
        return failed("ERROR: cannot find parent subvolume")
    box.lab.arriving(data)
    data.become(stream.files)
    data.mark(name, stream.created, came=True)
    box.lab.moved(stream.size, stream.source, place_of(box, data), stream.limit_mbit)
    return FINE


def _received_whole(box: Box, folder: str, stream: Stream) -> Said:
    """A point that arrives anywhere else: a read-only subvolume of its own."""
    root, inner = box.find(folder)
    at = f"{folder.rstrip('/')}/{stream.name}"
    if not is_btrfs(box, root):
        return failed(f"ERROR: cannot open {folder}: not a btrfs filesystem")
    if stream.since or any(d.at == at for d in box.datas.values()):
        return failed(f"ERROR: creating subvolume {stream.name} failed: File exists")
    made = Data(f"{root.name}/{inner}{stream.name}", at, root.room, read_only=True)
    made.become(stream.files)
    box.datas[made.name] = made
    box.lab.moved(stream.size, stream.source, place_of(box, root), stream.limit_mbit)
    return FINE


def _stats(box: Box, folder: str, flags: set[str]) -> Said:
    """Errors counted at each device; with -c the code says whether there are any, -z sets them to 0."""
    data, _ = box.find(folder)
    store = box.stores.get(data.name.partition("/")[0])
    if store is None or not is_btrfs(box, data):
        return failed(f"ERROR: not a btrfs filesystem: {folder}")
    drives = [box.lab.drives[d] for d in store.pool.disks]
    paths = {d.disk.id: path for path, d in answering(box)}
    rows = []
    for n, drive in enumerate(drives, 1):
        name = f"[{paths.get(drive.disk.id, f'devid:{n}')}]"
        counts = {"write_io": 0, "read_io": drive.bad_sectors, "flush_io": 0}
        counts |= {"corruption": drive.garbled, "generation": 0}
        rows += [f"{name}.{f'{kind}_errs':16} {many}" for kind, many in counts.items()]
    ill = any(d.bad_sectors or d.garbled for d in drives)
    for drive in drives if "z" in flags else ():
        drive.garbled = 0
    return Said(64 if ill and "c" in flags else 0, lines(*rows).out)
