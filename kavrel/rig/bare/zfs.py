"""zpool and zfs of a bare machine, with the rules by which OpenZFS refuses.

Sources: zpool-create(8), zfsprops(7), zfs-create(8), and from memory of OpenZFS 2.1, check_replication: groups
of one kind have one width, and the disks of a group one size within 16 MiB, unless it is forced.
"""

from collections.abc import Mapping, Sequence
from types import MappingProxyType

from kavrel.rig.bare.machine import Device, Machine, Mount, Zpool
from kavrel.rig.bare.restart import imported, mounted
from kavrel.rig.bare.said import Reader, Refused, Words
from kavrel.rig.said import FINE, Said, failed, lines

FEWEST: Mapping[str, int] = MappingProxyType(
    {"": 1, "mirror": 2, "raidz": 2, "raidz1": 2, "raidz2": 3, "raidz3": 4}
)
SAME_SIZE = 16 * 2**20  # bytes by which the disks of a group may differ
LABELS = 4 * 2**20 + 2**19
# Of zfsprops(7): those that are set here, and what they take; None: anything.
PROPERTIES: Mapping[str, tuple[str, ...] | None] = MappingProxyType({
    "compression": ("off", "on", "lz4", "zstd", "gzip"), "atime": ("on", "off"), "checksum": ("on", "off"),
    "acltype": ("off", "posixacl", "posix"), "xattr": ("on", "sa"), "encryption": ("on", "aes-256-gcm"),
    "keyformat": ("passphrase", "raw", "hex"), "keylocation": None, "mountpoint": None, "quota": None,
    "reservation": None, "recordsize": ("4K", "8K", "16K", "32K", "64K", "128K", "256K", "512K", "1M", "1024K"),
    "readonly": ("on", "off"), "canmount": ("on", "off", "noauto"), "userquota": None,
})  # fmt: skip
VOLUME_BLOCK = 8192  # bytes; zfsprops(7), volblocksize
SHORTEST_KEY = 8  # zfs-load-key(8), keyformat=passphrase


def zpool(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Pools: listed, made, imported."""
    verb, *rest = words
    if verb == "list":
        name = Words(rest, valued="-o", plain="-H").rest[0]
        if name not in machine.zpools or name in machine.importable:
            raise Refused(f"cannot open '{name}': no such pool")
        return lines(name)
    if verb == "import":
        return _import(machine, Words(rest, valued="-d", plain="-f"))
    if verb != "create":
        raise Refused(f"unrecognized command '{verb}'", 2)
    told = Words(rest, valued="-o -O", plain="-f")
    name, *rest = told.rest
    groups, spares = _groups(rest)
    if name in machine.zpools:
        raise Refused(f"cannot create '{name}': pool already exists")
    if name in FEWEST or name in ("spare", "log", "cache", "special"):
        raise Refused(f"cannot create '{name}': name is reserved")
    properties = told.pairs("-O")
    _checked(machine, properties)
    devices = machine.free([*(p for _, g in groups for p in g), *spares], "cannot open")
    if "-f" not in told:
        _unforced(machine, groups, devices)
    root = properties.get("mountpoint", f"/{name}")
    at = machine.inside(root)
    if at.exists() and any(at.iterdir()):
        raise Refused(f"mountpoint '{root}' exists and is not empty")
    key = _keyed(machine, properties, reader)
    for one in devices:
        one.signs, one.user = {"zfs_member": name}, f"zfs {name}"
    machine.zpools[name] = Zpool(groups, spares, {**told.pairs("-o"), **properties}, key)
    machine.datasets[name] = dict(properties)
    at.mkdir(parents=True, exist_ok=True)
    machine.mounts[root] = Mount(name, "zfs")
    return FINE


def _import(machine: Machine, told: Words) -> Said:
    if told.rest:
        imported(machine, told.rest[0], "-f" in told)
        return FINE
    device = told.one("-d")
    names = [
        n
        for n in sorted(machine.importable)
        if not device or machine.device(device).signs.get("zfs_member") == n
    ]
    if not names:
        return failed("no pools available to import")
    return lines(*(row for n in names for row in (f"   pool: {n}", "  state: ONLINE")))


def _groups(
    words: Sequence[str],
) -> tuple[tuple[tuple[str, tuple[str, ...]], ...], tuple[str, ...]]:
    groups: list[tuple[str, list[str]]] = []
    spares: list[str] = []
    into: list[str] | None = None
    for word in words:
        if word == "spare":
            into = spares
        elif word in FEWEST:
            into = []
            groups.append((word, into))
        elif into is None:
            groups.append(("", [word]))
        else:
            into.append(word)
    for word, paths in groups:
        if len(paths) < FEWEST[word]:
            raise Refused(
                f"invalid vdev specification: {word} requires at least {FEWEST[word]} devices"
            )
    return tuple((w, tuple(p)) for w, p in groups), tuple(spares)


def _unforced(
    machine: Machine, groups: Sequence[tuple[str, tuple[str, ...]]], devices: Sequence[Device]
) -> None:
    """What is refused without -f."""
    why = "invalid vdev specification\nuse '-f' to override the following errors:\n"
    for one in devices:
        if one.signs:
            raise Refused(
                f"{why}{one.path} contains a filesystem of type '{next(iter(one.signs))}'"
            )
    for word, paths in groups:
        sizes = [machine.devices[p].size for p in paths]
        if max(sizes) - min(sizes) > SAME_SIZE:
            raise Refused(f"{why}{word} contains devices of different sizes")
    kinds = {(w, len(p)) for w, p in groups}
    if len(kinds) > 1:
        both = " and ".join(f"{n}-way {w or 'disk'}" for w, n in sorted(kinds))
        raise Refused(f"{why}mismatched replication level: both {both} vdevs are used")


def zfs(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Datasets and volumes: listed, made, set."""
    verb, *rest = words
    if verb == "list":
        name = Words(rest, valued="-o", plain="-H").rest[0]
        if name not in machine.datasets or name.partition("/")[0] in machine.importable:
            raise Refused(f"cannot open '{name}': dataset does not exist")
        return lines(name)
    if verb == "load-key":
        return _loaded(machine, Words(rest, valued="-L", plain="-n"), reader)
    if verb == "get":
        return _keystatus(machine, Words(rest, valued="-o", plain="-H"))
    if rest == ["-a"] and verb == "mount":
        for name, pool in machine.zpools.items():
            if pool.opened and name not in machine.importable:
                mounted(machine, name)
        return FINE
    if verb == "set":
        *given, name = rest
        properties = dict(word.partition("=")[::2] for word in given)
        if name not in machine.datasets:
            raise Refused(f"cannot open '{name}': dataset does not exist")
        _checked(machine, properties)
        machine.datasets[name] |= properties
        return FINE
    if verb != "create":
        raise Refused(f"unrecognized command '{verb}'", 2)
    told = Words(rest, valued="-o -V", plain="-s")
    name = told.rest[0]
    parent, _, own = name.rpartition("/")
    if name in machine.datasets:
        raise Refused(f"cannot create '{name}': dataset already exists")
    if parent not in machine.datasets:
        raise Refused(f"cannot create '{name}': parent does not exist")
    properties = told.pairs("-o")
    _checked(machine, properties)
    _keyed(machine, properties, reader)
    size = told.one("-V")
    if size:
        # Rounded up to whole blocks: zfs-create(8), -V.
        whole = -(-int(size) // VOLUME_BLOCK) * VOLUME_BLOCK
        properties |= {"volsize": str(whole), "sparse": "yes" if "-s" in told else "no"}
    else:
        above = next(f for f, m in machine.mounts.items() if m.kind == "zfs" and m.what == parent)
        root = f"{above}/{own}"
        machine.inside(root).mkdir(exist_ok=True)
        machine.mounts[root] = Mount(name, "zfs")
    machine.datasets[name] = properties
    return FINE


def _loaded(machine: Machine, told: Words, reader: Reader) -> Said:
    """Load-key by a file or what is typed; with -n only whether it is the key. Source: zfs-load-key(8)."""
    name = told.rest[0]
    pool = machine.zpools.get(name)
    if pool is None or name in machine.importable:
        raise Refused(f"cannot open '{name}': dataset does not exist")
    if "-L" in told:
        file = machine.inside(told.one("-L").removeprefix("file://"))
        given = file.read_text(encoding="utf-8") if file.exists() else ""
    else:
        given = reader.all().decode().partition("\n")[0]
    if given != pool.key:
        raise Refused(f"Key load error: Incorrect key provided for '{name}'.", 255)
    if "-n" in told:
        return lines("1 / 1 key(s) successfully verified")
    if pool.opened:
        raise Refused(f"Key load error: Key already loaded for '{name}'.", 255)
    pool.opened = True
    return FINE


def _keystatus(machine: Machine, told: Words) -> Said:
    """Get -H -o value keystatus POOL. Source: zfsprops(7)."""
    asked, name = told.rest
    pool = machine.zpools.get(name)
    if pool is None or name in machine.importable or asked != "keystatus":
        raise Refused(f"cannot open '{name}': dataset does not exist")
    return lines("-" if not pool.key else "available" if pool.opened else "unavailable")


def _checked(machine: Machine, properties: Mapping[str, str]) -> None:
    for key, value in properties.items():
        name, _, who = key.partition("@")
        if name not in PROPERTIES:
            raise Refused(f"invalid property '{key}'")
        takes = PROPERTIES[name]
        if not value or (takes is not None and value not in takes):
            raise Refused(f"'{key}' must be one of '{' | '.join(takes or ())}'")
        if who and who not in machine.people:
            raise Refused(f"cannot set property: invalid user '{who}'")


def _keyed(machine: Machine, properties: Mapping[str, str], reader: Reader) -> str:
    """What is encrypted takes its passphrase from a file, or from who sits there; empty where it is not."""
    if "encryption" not in properties:
        return ""
    place = properties.get("keylocation", "prompt")
    if place == "prompt":
        # What is piped in is read to its end, though its first line alone is the key: OpenZFS 2.1.11, tried.
        key = reader.all().decode().partition("\n")[0]
    else:
        file = machine.inside(place.removeprefix("file://"))
        if not file.exists():
            raise Refused(f"Failed to open key material file: {file}")
        key = file.read_text(encoding="utf-8")
    if len(key) < SHORTEST_KEY:
        raise Refused(f"Passphrase too short (min {SHORTEST_KEY}).")
    return key
