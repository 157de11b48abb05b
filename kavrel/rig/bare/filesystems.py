"""File systems of a bare machine: made, mounted, and what folders and accounts may fill of them.

Sources: mke2fs(8), mkfs.xfs(8), mkfs.btrfs(8), mount(8), findmnt(8), mountpoint(1), btrfs-subvolume(8),
btrfs-qgroup(8), setquota(8), chattr(1).
"""

from collections.abc import Mapping
from types import MappingProxyType

from kavrel.rig.bare.machine import Filesystem, Machine, Mount
from kavrel.rig.bare.restart import brought_back
from kavrel.rig.bare.said import Reader, Refused, Words
from kavrel.rig.said import FINE, Said, failed, lines

# The fewest devices of a profile. Source: mkfs.btrfs(8), PROFILES.
FEWEST: Mapping[str, int] = MappingProxyType(
    {
        "single": 1, "dup": 1, "raid0": 1, "raid1": 2, "raid1c3": 3, "raid1c4": 4, "raid10": 2, "raid5": 2,
        "raid6": 3,
    }
)  # fmt: skip
SMALLEST = {
    "ext4": 0,
    "xfs": 300 * 2**20,
    "btrfs": 109 * 2**20,
}  # bytes; mkfs.xfs(8), mkfs.btrfs(8)


def mkfs_ext4(machine: Machine, words: list[str], reader: Reader) -> Said:
    """One device, with the features that limits need."""
    told = Words(words, valued="-U -O -E", plain="-q -F")
    flags = {"features": told.one("-O"), "extended": told.one("-E")}
    return _made(machine, "ext4", told.one("-U"), told.rest, flags)


def mkfs_xfs(machine: Machine, words: list[str], reader: Reader) -> Said:
    """One device."""
    told = Words(words, valued="-m", plain="-q -f")
    return _made(machine, "xfs", told.pairs("-m").get("uuid", ""), told.rest, {})


def mkfs_btrfs(machine: Machine, words: list[str], reader: Reader) -> Said:
    """One file system over all of them, by its profiles."""
    told = Words(words, valued="-U -d -m", plain="-q -f")
    many = len(told.rest)
    data = told.one("-d") or "single"
    meta = told.one("-m") or ("raid1" if many > 1 else "dup")
    for profile in (data, meta):
        if profile not in FEWEST:
            raise Refused(f"ERROR: unknown profile {profile}")
        if many < FEWEST[profile]:
            raise Refused(f"ERROR: not enough devices for profile {profile}: {many}")
    return _made(machine, "btrfs", told.one("-U"), told.rest, {"data": data, "meta": meta})


def _made(machine: Machine, kind: str, uuid: str, paths: list[str], flags: dict[str, str]) -> Said:
    if not uuid or (
        uuid in machine.filesystems and any(m.what == uuid for m in machine.mounts.values())
    ):
        raise Refused(f"mkfs.{kind}: bad UUID")
    if len(paths) != 1 and kind != "btrfs":
        raise Refused(f"mkfs.{kind}: one device, and not {len(paths)}")
    devices = machine.free(paths, f"mkfs.{kind}: apparently in use by the system")
    for one in devices:
        if one.size < SMALLEST[kind]:
            raise Refused(f"mkfs.{kind}: {one.path} is too small")
        one.signs = {kind: uuid}
    machine.filesystems[uuid] = Filesystem(kind, tuple(paths), flags)
    return FINE


def mount(machine: Machine, words: list[str], reader: Reader) -> Said:
    """A file system by its UUID, or one tree over several folders, at a folder that is there."""
    told = Words(words, valued="-o -t")
    what, folder = told.rest
    options = tuple(told.one("-o").split(","))
    if not machine.inside(folder).is_dir():
        raise Refused(f"mount: {folder}: mount point does not exist.", 32)
    if told.one("-t"):
        for branch in what.split(":"):
            if branch not in machine.mounts:
                raise Refused(
                    f"mount: {branch} is no mount: files would land on the system disk", 32
                )
        machine.mounts[folder] = Mount(what, told.one("-t"), options)
        brought_back(machine, folder, machine.mounts[folder])
        return FINE
    uuid = what.removeprefix("UUID=")
    system = machine.filesystems.get(uuid)
    if system is None:
        raise Refused(f"mount: {folder}: can't find UUID={uuid}.")
    if any(m.what == uuid for f, m in machine.mounts.items() if f == folder):
        raise Refused(f"mount: {folder}: already mounted.", 32)
    for path in system.devices:
        device = machine.device(path)
        if device.user and not device.user.startswith("mount "):
            raise Refused(f"mount: {folder}: {path} already in use.", 32)
        device.user = f"mount {folder}"
    machine.mounts[folder] = Mount(uuid, system.kind, options)
    brought_back(machine, folder, machine.mounts[folder])
    return FINE


def findmnt(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Findmnt -n -o UUID --mountpoint FOLDER; 1 where nothing is mounted."""
    told = Words(words, valued="-o --mountpoint", plain="-n")
    there = machine.mounts.get(told.one("--mountpoint"))
    if there is None:
        return failed("")
    return lines(there.what) if there.what in machine.filesystems else FINE


def mountpoint(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Mountpoint -q FOLDER; 32 where it is none."""
    return FINE if Words(words, plain="-q").rest[0] in machine.mounts else failed("", 32)


def btrfs(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Subvolumes, their properties and limits."""
    verb, rest = " ".join(words[:2]), words[2:]
    if verb == "device scan":
        return FINE
    folder = rest[-1]
    system = _btrfs_at(machine, rest[0] if verb == "property set" else folder)
    match verb:
        case "subvolume create":
            if machine.inside(folder).exists():
                raise Refused(f"ERROR: target path already exists: {folder}")
            machine.inside(folder).mkdir()
            system.volumes[folder] = {}
        case "subvolume show":
            if folder not in system.volumes:
                raise Refused(f"ERROR: not a subvolume: {folder}")
        case "property set":
            if rest[1] not in ("compression", "ro"):
                raise Refused(f"ERROR: unknown property: {rest[1]}")
            system.volumes.setdefault(rest[0], {})[rest[1]] = rest[2]
        case "quota enable":
            system.counts = True
        case "qgroup show" if system.counts:
            return FINE
        case "qgroup limit" if system.counts and folder in system.volumes:
            machine.limits[folder, ""] = 0 if rest[0] == "none" else int(rest[0])
        case _:
            raise Refused(f"ERROR: {verb} {' '.join(rest)}: quotas not enabled, or unknown")
    return FINE


def _btrfs_at(machine: Machine, folder: str) -> Filesystem:
    there = machine.at(folder)
    system = machine.filesystems.get(there[1].what) if there else None
    if system is None or system.kind != "btrfs":
        raise Refused(f"ERROR: not a btrfs filesystem: {folder}")
    return system


def setquota(machine: Machine, words: list[str], reader: Reader) -> Said:
    """What an account, or a project, may fill: limits in KiB, over a whole file system."""
    told = Words(words, valued="-P -u")
    _, hard, _, _, root = told.rest
    there = machine.mounts.get(root)
    counted = "pquota" if "-P" in told else "uquota"
    counts = {counted, "prjquota" if "-P" in told else "usrquota"}
    if there is None or not counts & set(there.options):
        raise Refused(f"setquota: Cannot find mountpoint for device {root}, or it counts nothing")
    who = told.one("-P", "-u")
    if "-u" in told and who not in machine.people:
        raise Refused(f"setquota: user {who} does not exist.")
    machine.limits[root, f"project {who}" if "-P" in told else who] = int(hard) * 1024
    return FINE


def chattr(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Project numbers of folders, +P for what is made in them, +C for no checksums."""
    told = Words(words, valued="-p", plain="-f -R +P +C")
    for folder in told.rest:
        if folder.startswith("+"):
            continue
        if not machine.inside(folder).exists():
            raise Refused(f"chattr: No such file or directory while trying to stat {folder}")
        if told.one("-p"):
            machine.projects[folder] = int(told.one("-p"))
        if "+C" in told.rest:
            _btrfs_at(machine, folder).volumes.setdefault(folder, {})["checksums"] = "off"
    return FINE


def fallocate(machine: Machine, words: list[str], reader: Reader) -> Said:
    """A file with its room taken: here it has none, and its size is known."""
    told = Words(words, valued="-l")
    with machine.inside(told.rest[0]).open("wb") as file:
        file.truncate(int(told.one("-l")))
    return FINE
