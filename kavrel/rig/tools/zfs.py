"""zfs: datasets, snapshots, sending and receiving, as OpenZFS says and refuses them. Source: zfs(8)."""

from collections.abc import Callable, Iterable
from dataclasses import replace

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Dataset
from kavrel.rig.box import Box
from kavrel.rig.columns import human, table
from kavrel.rig.data import Data
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.streams import Stream
from kavrel.rig.tools.folders import place_of, split

MAGIC = b"zfs-stream "


def zfs(box: Box, words: list[str], stdin: bytes) -> Said:
    """Zfs COMMAND ..."""
    command = COMMANDS.get(words[0]) if words else None
    if command is None:
        return failed(f"unrecognized command '{words[0] if words else ''}'", 2)
    return command(box, words[1:], stdin)


def dataset(box: Box, name: str) -> Data | None:
    """A dataset of a pool that is there, by its name."""
    data = box.datas.get(name)
    if data is None or not name or name.startswith("@") or not box.alive_pool(data):
        return None
    return data if name.partition("/")[0] in _pools(box) else None


def _pools(box: Box) -> list[str]:
    return [n for n, s in box.stores.items() if FILESYSTEMS[s.pool.filesystem].by_name]


def absent(name: str) -> Said:
    """The complaint of a dataset that is not there."""
    return failed(f"cannot open '{name}': dataset does not exist")


def _list(box: Box, words: list[str], stdin: bytes) -> Said:
    flags, values, names = split(words, "otsSd")
    wanted = values.get("o", "name,used,avail,refer,mountpoint").split(",")
    rows: list[list[str]] = []
    kinds = values.get("t", "filesystem").split(",")
    # Of a pool that is not in, or waits for its disks, nothing is listed.
    roots = names or [pool for pool in _pools(box) if dataset(box, pool)]
    for name in roots:
        base, _, point = name.partition("@")
        data = dataset(box, base)
        if data is None or (point and point not in data.points):
            return absent(name)
        deep = "r" in flags or not names
        if point:
            kinds = ["snapshot"]
        some = [data] if not deep else _below(box, base)
        if not deep and "d" in values and int(values["d"] or 0) > 0:
            some = _below(box, base)
        for one in some:
            if any(k in ("filesystem", "all") for k in kinds) and not point:
                rows.append([_value(box, one, None, w, "p" in flags) for w in wanted])
            if any(k in ("snapshot", "snap", "all") for k in kinds):
                if wanted == ["name"]:
                    rows += [[f"{one.name}@{n}"] for n in one.points if not point or n == point]
                else:
                    rows += [
                        [_value(box, one, n, w, "p" in flags) for w in wanted]
                        for n in one.points
                        if not point or n == point
                    ]
    if not rows and "H" not in flags:
        return Said(0, b"", "no datasets available\n")
    return lines(*table(wanted, rows, flags))


def _below(box: Box, base: str) -> list[Data]:
    return [d for n, d in box.datas.items() if n == base or n.startswith(f"{base}/")]


def _with_points(some: Iterable[Data]) -> list[str]:
    """Names of these, each followed by those of its points."""
    return [n for d in some for n in (d.name, *(f"{d.name}@{p}" for p in d.points))]


def _value(box: Box, data: Data, point: str | None, column: str, exact: bool) -> str:
    def size(number: int) -> str:
        return str(number) if exact else human(number)

    if point is not None:
        of = data.points[point]
        if column == "name":
            return f"{data.name}@{point}"
        if column == "creation":
            return f"{of.created:.0f}" if exact else box.lab.local(of.created)
        if column in ("refer", "referenced"):
            return size(sum(f.size for f in of.files.values()))
        return size(0) if column == "used" else "-"
    refer = sum(f.size for f in box.current(data).files.values())
    store = box.stores[data.name.partition("/")[0]]
    locks = _is_locked(box, data)
    told = _as_made(box, data)
    known: dict[str, Callable[[], str]] = {
        "name": lambda: data.name,
        "type": lambda: "filesystem",
        # What tools of their own keep in plain folders is the pool's too.
        "used": lambda: size(
            data.room.used
            if data.name == store.name
            else sum(d.taken() for d in _below(box, data.name))
        ),
        "usedbydataset": lambda: size(refer),
        "usedbysnapshots": lambda: size(data.held()),
        "avail": lambda: size(data.room.capacity - data.room.used),
        "available": lambda: size(data.room.capacity - data.room.used),
        "refer": lambda: size(refer),
        "referenced": lambda: size(refer),
        "mountpoint": lambda: data.props.get("mountpoint", data.at),
        "mounted": lambda: "yes" if box.here(data) else "no",
        "encryption": lambda: "aes-256-gcm" if locks or data.props.get("raw") else "off",
        "keystatus": lambda: (
            "unavailable"
            if data.props.get("raw") == "locked" or (locks and store.locked)
            else "available"
            if locks or data.props.get("raw")
            else "-"
        ),
        "quota": lambda: _limit(data.props.get("quota", told.get("quota", "")), exact),
        "reservation": lambda: _limit(told.get("reservation", ""), exact),
        "recordsize": lambda: size(int(told["recordsize"])),
        "compression": lambda: data.props.get("compression", told["compression"]),
        "readonly": lambda: "on" if data.read_only else "off",
    }
    if column in known:
        return known[column]()
    return data.props.get(column, _SET_ON_POOLS.get(column, "-"))


# What `setup.sh` makes each pool with; what is in it has it from there.
_SET_ON_POOLS = {"atime": "off", "acltype": "posix", "xattr": "sa"}
_READ_ONLY = (
    "name", "type", "used", "usedbydataset", "usedbysnapshots", "avail", "available", "refer",
    "referenced", "mounted", "keystatus", "receive_resume_token", "creation", "guid", "origin",
)  # fmt: skip


_OTHERS = (
    "quota",
    "reservation",
    "encryption",
    "mountpoint",
    "volsize",
    "refquota",
    "refreservation",
)


def _source(box: Box, data: Data, point: str | None, key: str) -> str:
    """Where a property has its value from: set on it, on its pool, or by nobody."""
    store, of = box.stores[data.name.partition("/")[0]], _dataset_of(box, data)
    if point is not None or key in _READ_ONLY:
        return "-"
    on_it = {
        "quota": bool(of and of.quota_bytes),
        "reservation": bool(of and of.reserve_bytes),
        "recordsize": bool(of and of.record_kib),
        "compression": of is not None,
        "readonly": data.read_only,
    }
    if key in data.props or on_it.get(key):
        return "local"
    on_pool = ("compression", "recordsize", "mountpoint", *_SET_ON_POOLS)
    if key not in on_pool:
        return "-" if key == "encryption" and _is_locked(box, data) else "default"
    return "local" if data.name == store.name else f"inherited from {store.name}"


def _dataset_of(box: Box, data: Data) -> Dataset | None:
    work = box.lab.works.get((box.host.id, data.name))
    return work.dataset if work else None


def _is_locked(box: Box, data: Data) -> bool:
    of = _dataset_of(box, data)
    pool = box.stores[data.name.partition("/")[0]].pool
    return pool.encrypted or bool(of and of.encrypted)


def _as_made(box: Box, data: Data) -> dict[str, str]:
    """Properties as the works of its dataset set them; what jobs made has those of its pool."""
    of, pool = _dataset_of(box, data), box.stores[data.name.partition("/")[0]].pool
    record = (of and of.record_kib) or pool.record_kib
    made = {"recordsize": str(record * 1024), "compression": of.compression if of else "lz4"}
    if of and of.quota_bytes:
        made["quota"] = str(of.quota_bytes)
    if of and of.reserve_bytes:
        made["reservation"] = str(of.reserve_bytes)
    return made


def _limit(value: str, exact: bool) -> str:
    if not value or value == "none":
        return "0" if exact else "none"
    return value if exact or not value.isdecimal() else human(int(value))


def _snapshot(box: Box, words: list[str], stdin: bytes) -> Said:
    flags, _, names = split(words, "o")
    for name in names:
        base, _, point = name.partition("@")
        data = dataset(box, base)
        if data is None:
            return failed(f"cannot open '{base}': dataset does not exist\nusage: snapshot ...", 2)
        if not point:
            return failed(f"cannot create snapshot '{name}': empty component or missing '@'", 2)
        for one in _below(box, base) if "r" in flags else [data]:
            if point in one.points:
                return failed(
                    f"cannot create snapshot '{one.name}@{point}': dataset already exists"
                )
            box.current(one)
            one.mark(point, box.lab.now)
    return FINE


def _destroy(box: Box, words: list[str], stdin: bytes) -> Said:
    flags, _, names = split(words)
    for name in names:
        base, _, point = name.partition("@")
        data = dataset(box, base)
        if data is None:
            return failed(f"cannot open '{name}': dataset does not exist")
        if point:
            if point not in data.points:
                return failed("could not find any snapshots to destroy; check snapshot names.")
            clones = [d.name for d in box.datas.values() if d.props.get("origin") == name]
            if clones:
                return failed(
                    f"cannot destroy '{name}': snapshot has dependent clones\n"
                    "use '-R' to destroy the following datasets:\n" + "\n".join(clones)
                )
            data.forget(point)
            continue
        some = _below(box, base)
        below = _with_points(some)[1:]
        if below and "r" not in flags and "R" not in flags:
            return failed(
                f"cannot destroy '{name}': filesystem has children\n"
                "use '-r' to destroy the following datasets:\n" + "\n".join(below)
            )
        for one in some:
            one.room.take(-one.taken())
            del box.datas[one.name]
    return FINE


def _create(box: Box, words: list[str], stdin: bytes) -> Said:
    flags, values, names = split(words, "oVb")
    name = names[0] if names else ""
    root = name.partition("/")[0]
    if root not in _pools(box) or not box.alive_pool(box.datas[root]):
        return failed(f"cannot create '{name}': no such pool '{root}'")
    if name in box.datas:
        return FINE if "p" in flags else failed(f"cannot create '{name}': dataset already exists")
    parts = name.split("/")
    for n in range(2, len(parts) + 1):
        one = "/".join(parts[:n])
        if one in box.datas:
            continue
        if n < len(parts) and "p" not in flags:
            return failed(f"cannot create '{name}': parent does not exist")
        made = _made(box, one)
        if "o" in values:
            key, _, value = values["o"].partition("=")
            made.props[key] = value
    return FINE


def _made(box: Box, name: str) -> Data:
    above, _, leaf = name.rpartition("/")
    parent = box.datas[above]
    made = box.datas[name] = Data(name, f"{parent.at}/{leaf}", parent.room)
    return made


def _get(box: Box, words: list[str], stdin: bytes) -> Said:
    flags, values, rest = split(words, "os")
    if not rest:
        return failed("missing property argument", 2)
    named = rest[1:] or _with_points(d for d in box.datas.values() if dataset(box, d.name))
    wanted = values.get("o", "name,property,value,source").split(",")
    rows = []
    for name in named:
        base, _, point = name.partition("@")
        data = dataset(box, base)
        if data is None or (point and point not in data.points):
            return absent(name)
        for key in rest[0].split(","):
            value = _value(box, data, point or None, key, "p" in flags)
            if value == "-" and key not in (*_READ_ONLY, *_OTHERS) and not point:
                return failed(f"bad property list: invalid property '{key}'", 2)
            source = _source(box, data, point or None, key)
            columns = {"name": name, "property": key, "value": value, "source": source}
            rows.append([columns[w] for w in wanted])
    return lines(*table(wanted, rows, flags))


def _set(box: Box, words: list[str], stdin: bytes) -> Said:
    pairs, name = words[:-1], words[-1] if words else ""
    data = dataset(box, name)
    if data is None:
        return absent(name)
    for pair in pairs:
        key, _, value = pair.partition("=")
        data.props[key] = value
        if key == "readonly":
            data.read_only = value == "on"
        if key == "mountpoint" and value.startswith("/"):
            data.at = value
    return FINE


def _send(box: Box, words: list[str], stdin: bytes) -> Said:
    flags, values, names = split(words, "it")
    if "t" in values:
        return failed("cannot resume send: resume token is corrupt")
    base, _, point = (names[0] if names else "").partition("@")
    data = dataset(box, base)
    if data is None or point not in data.points:
        return failed(f"cannot open '{names[0] if names else ''}': dataset does not exist")
    store = box.stores[base.partition("/")[0]]
    raw = "raw" in flags or "w" in flags
    if (store.locked or data.props.get("raw") == "locked") and not raw:
        return failed(f"cannot send '{names[0]}': dataset key must be loaded")
    since = values.get("i", "").rpartition("@")[2]
    if since and since not in data.points:
        return failed(f"cannot send '{names[0]}': incremental source ({since}) does not exist")
    stream = Stream.between(data, point, since, place_of(box, data))
    if raw and (data.props.get("raw") or _is_locked(box, data)):
        stream = replace(stream, raw=True)
    return Said(0, MAGIC + box.lab.streams.put(stream))


def _receive(box: Box, words: list[str], stdin: bytes) -> Said:
    flags, values, names = split(words, "o")
    if "A" in flags:
        return failed(f"'{names[0]}' does not have any resumable receive state to abort")
    name = names[0] if names else ""
    if not stdin.startswith(MAGIC):
        return failed("cannot receive: failed to read from stream")
    stream = box.lab.streams.get(stdin[len(MAGIC) :])
    root = name.partition("/")[0]
    if root not in _pools(box) or not box.alive_pool(box.datas[root]):
        return failed(f"cannot receive new filesystem stream: no such pool '{root}'")
    data = box.datas.get(name)
    if data is None:
        if stream.since:
            return failed(f"cannot receive incremental stream: destination '{name}' does not exist")
        if name.rpartition("/")[0] not in box.datas:
            return failed(
                f"cannot receive new filesystem stream: parent of '{name}' does not exist"
            )
        data = _made(box, name)
        data.mounted = "u" not in flags
        if stream.raw:  # it has its own key from now on, and nobody has given it
            data.props["raw"] = "locked"
    else:
        newest = next(reversed(data.points), "")
        if not stream.since:
            return failed(
                f"cannot receive new filesystem stream: destination '{name}' exists\n"
                "must specify -F to overwrite it"
            )
        if newest != stream.since:
            return failed(
                f"cannot receive incremental stream: most recent snapshot of {name} does not\n"
                "match incremental source"
            )
    box.lab.arriving(data)
    data.become(stream.files)
    data.mark(stream.name, stream.created, came=True)
    data.read_only = data.read_only or values.get("o") == "readonly=on"
    box.lab.moved(stream.size, stream.source, place_of(box, data), stream.limit_mbit)
    return FINE


def _clone(box: Box, words: list[str], stdin: bytes) -> Said:
    _, _, names = split(words, "o")
    if len(names) != 2:
        return failed("missing target dataset argument", 2)
    base, _, point = names[0].partition("@")
    data = dataset(box, base)
    if data is None or point not in data.points:
        return absent(names[0])
    if names[1] in box.datas:
        return failed(f"cannot create '{names[1]}': dataset already exists")
    made = _made(box, names[1])
    made.props["origin"] = names[0]
    # A clone shares what its point has: it takes no room of its own.
    made.share(data.points[point].files)
    return FINE


def _rename(box: Box, words: list[str], stdin: bytes) -> Said:
    _, _, names = split(words)
    if len(names) != 2 or dataset(box, names[0]) is None:
        return absent(names[0] if names else "")
    if names[1] in box.datas:
        return failed(f"cannot rename to '{names[1]}': dataset already exists")
    for data in _below(box, names[0]):
        del box.datas[data.name]
        data.name = names[1] + data.name[len(names[0]) :]
        root = box.stores[data.name.partition("/")[0]]
        data.at = root.at + data.name[len(root.name) :]
        box.datas[data.name] = data
    return FINE


def _rollback(box: Box, words: list[str], stdin: bytes) -> Said:
    """Back to a point; with -r what came after it goes."""
    flags, _, names = split(words)
    base, _, point = (names[0] if names else "").partition("@")
    data = dataset(box, base)
    if data is None or point not in data.points:
        return failed(f"cannot open '{names[0] if names else ''}': dataset does not exist")
    later = list(data.points)[list(data.points).index(point) + 1 :]
    if later and "r" not in flags:
        return failed(
            f"cannot rollback to '{names[0]}': more recent snapshots or bookmarks exist\n"
            "use '-r' to force deletion of the following snapshots and bookmarks:"
        )
    for name in reversed(later):
        data.forget(name)
    data.become(data.points[point].files)
    return FINE


def _load_key(box: Box, words: list[str], stdin: bytes) -> Said:
    _, _, names = split(words, "L")
    store = box.stores.get(names[0].partition("/")[0]) if names else None
    if store is None:
        return absent(names[0] if names else "")
    own = dataset(box, names[0])
    if own is None:
        return absent(names[0])
    if not _is_locked(box, own) and not own.props.get("raw"):
        return failed(f"Key load error: '{names[0]}' is not encrypted.", 255)
    if names[0] != store.name:
        if own.props.get("raw"):
            own.props["raw"] = "open"
        return FINE
    store.locked = False
    return FINE


def _change_key(box: Box, words: list[str], stdin: bytes) -> Said:
    """Change-key -i DATASET: it opens with what it lies in. Source: zfs-change-key(8), and OpenZFS 2.1.11."""
    flags, _, names = split(words, "o")
    own = dataset(box, names[0]) if names else None
    if own is None:
        return absent(names[0] if names else "")
    if "i" not in flags or not own.props.get("raw"):
        return failed("Key change error: Dataset is not an encryption root.", 255)
    if own.props["raw"] == "locked":
        return failed("Key change error: Keys must be loaded for encryption root.", 255)
    del own.props["raw"]
    return FINE


def _mount(box: Box, words: list[str], stdin: bytes) -> Said:
    """Mount DATASET, or -a: all whose key is there, as a start does. Source: zfs-mount(8)."""
    flags, _, names = split(words, "oO")
    if "a" in flags:
        box.mount_all()
        return FINE
    one = dataset(box, names[0]) if names else None
    if one is None:
        return absent(names[0] if names else "")
    if one.props.get("raw") == "locked" or not box.alive(one):
        return failed(f"cannot mount '{names[0]}': encryption key not loaded")
    if one.mounted:
        return failed(f"cannot mount '{names[0]}': filesystem already mounted")
    one.mounted = True
    return FINE


def _unmount(box: Box, words: list[str], stdin: bytes) -> Said:
    one = dataset(box, words[-1]) if words else None
    if one is None:
        return absent(words[-1] if words else "")
    if not one.mounted:
        return failed(f"cannot unmount '{words[-1]}': not currently mounted")
    one.mounted = False
    return FINE


COMMANDS = {
    "list": _list,
    "snapshot": _snapshot,
    "snap": _snapshot,
    "destroy": _destroy,
    "create": _create,
    "get": _get,
    "set": _set,
    "send": _send,
    "receive": _receive,
    "recv": _receive,
    "clone": _clone,
    "rename": _rename,
    "rollback": _rollback,
    "load-key": _load_key,
    "change-key": _change_key,
    "mount": _mount,
    "unmount": _unmount,
    "umount": _unmount,
}
