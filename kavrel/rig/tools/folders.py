"""Folders and files: mkdir, touch, stat, ls, rm, mv, cat, sha256sum, gzip, tar, test."""

import hashlib
import os
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from kavrel.core.copies.path import Place
from kavrel.rig.box import Box
from kavrel.rig.data import Data
from kavrel.rig.files import File, text_file
from kavrel.rig.said import FINE, Said, failed, lines


def split(words: Sequence[str], valued: str = "") -> tuple[set[str], dict[str, str], list[str]]:
    """Flags, values of the letters in `valued`, and the rest; `--word=value` counts as a flag."""
    flags: set[str] = set()
    values: dict[str, str] = {}
    rest: list[str] = []
    left = list(words)
    while left:
        word = left.pop(0)
        if word == "--":
            rest += left
            break
        if word.startswith("--"):
            flags.add(word[2:])
        elif word.startswith("-") and len(word) > 1:
            for place, letter in enumerate(word[1:], 2):
                if letter in valued:
                    values[letter] = word[place:] or (left.pop(0) if left else "")
                    break
                flags.add(letter)
        else:
            rest.append(word)
    return flags, values, rest


def missing(tool: str, what: str, path: str) -> str:
    """The complaint of a file that is not there."""
    return f"{tool}: {what} '{path}': No such file or directory"


def writable(box: Box, path: str) -> str:
    """Why nothing can be written there; empty where it can."""
    data, _ = box.find(path)
    return "Read-only file system" if data.read_only else ""


def mkdir(box: Box, words: list[str], stdin: bytes) -> Said:
    """Mkdir [-p] [-m MODE] FOLDER..."""
    flags, _, folders = split(words, "m")
    for folder in folders:
        if box.private(folder) is not None:
            continue
        data, name = box.find(folder)
        if not name or name in data.folders or box.is_folder(folder):
            if "p" not in flags:
                return failed(f"mkdir: cannot create directory '{folder}': File exists")
            continue
        if data.read_only:
            return failed(f"mkdir: cannot create directory '{folder}': Read-only file system")
        if "p" not in flags and not box.is_folder(os.path.dirname(folder)):
            return failed(missing("mkdir", "cannot create directory", folder))
        parts = name.split("/")
        data.folders |= {"/".join(parts[: n + 1]) for n in range(len(parts))}
    return FINE


def touch(box: Box, words: list[str], stdin: bytes) -> Said:
    """Touch [-d @SECONDS] FILE..."""
    _, values, paths = split(words, "d")
    told = values.get("d", "")
    moment = float(told[1:]) if told.startswith("@") else box.lab.now
    for path in paths:
        own = box.private(path)
        if own is not None:
            own.touch()
            os.utime(own, (moment, moment))
            continue
        data, name = box.find(path)
        why = writable(box, path)
        if why or not box.is_folder(os.path.dirname(path)):
            return failed(f"touch: cannot touch '{path}': {why or 'No such file or directory'}")
        old = data.files.get(name)
        if old is None or old.mtime != moment:
            data.write(
                name,
                File(
                    old.size if old else 0, old.mark if old else "=", moment, not old or old.sound
                ),
            )
    return FINE


def stat(box: Box, words: list[str], stdin: bytes) -> Said:
    """Stat -c FORMAT FILE..., of %s, %Y, %.10Y and %n."""
    _, values, paths = split(words, "c")
    printed = []
    for path in paths:
        own = box.private(path)
        file = box.file(path) if own is None else _kept(own)
        if file is None:
            return failed(missing("stat", "cannot statx", path))
        form = values.get("c", "%n")
        for mark, value in (
            ("%.10Y", f"{file.mtime:.10f}"),
            ("%Y", f"{file.mtime:.0f}"),
            ("%s", str(file.size)),
            ("%n", path),
        ):
            form = form.replace(mark, value)
        printed.append(form)
    return lines(*printed)


def _kept(own: Path) -> File | None:
    return File(own.stat().st_size, "=", own.stat().st_mtime) if own.exists() else None


def ls(box: Box, words: list[str], stdin: bytes) -> Said:
    """Ls [-1] [-A] FOLDER."""
    flags, _, paths = split(words)
    path = paths[0] if paths else "/root"
    point = point_folder(box, path)
    if point is not None:
        names = sorted({n.partition("/")[0] for n in point})
    elif box.is_folder(path):
        names = box.listed(path)
    elif box.file(path) is not None:
        names = [path]
    else:
        return failed(f"ls: cannot access '{path}': No such file or directory", 2)
    return lines(*(n for n in names if "A" in flags or not n.startswith(".")))


def rm(box: Box, words: list[str], stdin: bytes) -> Said:
    """Rm [-r] [-f] [--one-file-system] PATH..."""
    flags, _, paths = split(words)
    for path in paths:
        data, name = box.find(path)
        if writable(box, path):
            return failed(f"rm: cannot remove '{path}': Read-only file system")
        if name in data.files:
            data.remove(name)
            continue
        below = [n for n in data.files if n.startswith(f"{name}/")]
        if not below and name not in data.folders:
            if "f" not in flags:
                return failed(missing("rm", "cannot remove", path))
            continue
        if "r" not in flags:
            return failed(f"rm: cannot remove '{path}': Is a directory")
        for one in below:
            data.remove(one)
        data.folders = {f for f in data.folders if f != name and not f.startswith(f"{name}/")}
    return FINE


def mv(box: Box, words: list[str], stdin: bytes) -> Said:
    """Mv FROM TO."""
    _, _, paths = split(words)
    if len(paths) != 2:
        return failed("mv: missing file operand")
    (data, name), (into, wanted) = (box.find(p) for p in paths)
    file = data.files.get(name)
    if file is None:
        return failed(missing("mv", "cannot stat", paths[0]))
    if box.is_folder(paths[1]):
        wanted = f"{wanted}/{os.path.basename(paths[0])}".lstrip("/")
    data.remove(name)
    into.write(wanted, file)
    return FINE


def cat(box: Box, words: list[str], stdin: bytes) -> Said:
    """Cat [FILE]..."""
    _, _, paths = split(words)
    if not paths:
        return Said(0, stdin)
    out = b""
    for path in paths:
        file = read(box, path)
        if file is None:
            return failed(f"cat: {path}: No such file or directory")
        out += file.content
    return Said(0, out)


def read(box: Box, path: str) -> File | None:
    """A file by its path, also one in a point below .zfs/snapshot."""
    above, _, name = path.partition("/.zfs/snapshot/")
    if not name:
        return box.file(path)
    point = point_folder(box, f"{above}/.zfs/snapshot/{name.partition('/')[0]}")
    return point.get(name.partition("/")[2]) if point else None


def point_folder(box: Box, path: str) -> dict[str, File] | None:
    """The files of a point, where a path names its folder; by ZFS below .zfs, by Btrfs as a subvolume."""
    above, _, name = path.rstrip("/").partition("/.zfs/snapshot/")
    if name and "/" not in name:
        data, inner = box.find(above)
        point = data.points.get(name)
        return point.files if point and not inner else None
    subvolume = box.datas.get(f"@{path.rstrip('/')}")
    return subvolume.files if subvolume else None


def sha256sum(box: Box, words: list[str], stdin: bytes) -> Said:
    """sha256sum FILE..."""
    printed = []
    for path in words:
        file = read(box, path)
        if file is None:
            return failed(f"sha256sum: {path}: No such file or directory")
        printed.append(f"{hashlib.sha256(file.content).hexdigest()}  {path}")
    return lines(*printed)


def test(box: Box, words: list[str], stdin: bytes) -> Said:
    """Test -d, -e, -f PATH."""
    if len(words) != 2 or words[0] not in ("-d", "-e", "-f"):
        return failed("", 2)
    there = {
        "-d": box.is_folder(words[1]),
        "-f": box.file(words[1]) is not None,
    }
    there["-e"] = there["-d"] or there["-f"]
    return FINE if there[words[0]] else failed("")


def tar(box: Box, words: list[str], stdin: bytes) -> Said:
    """Tar -C FOLDER -cz PATH...: an archive of settings, as text of which box and moment it is."""
    box.lab.seconds += 1.0
    return Said(0, f"settings of {box.host.id} at {box.lab.now:.0f}\n".encode())


def gzip(box: Box, words: list[str], stdin: bytes) -> Said:
    """Gzip -t FILE: whether an archive is whole."""
    _, _, paths = split(words, "S")
    for path in paths:
        file = box.file(path)
        if file is None:
            return failed(f"gzip: {path}: No such file or directory")
        if not file.sound:
            return failed(f"gzip: {path}: unexpected end of file")
    return FINE


def put(box: Box, path: str, content: bytes) -> Said:
    """What a shell's `>` does: a file with this content."""
    data, name = box.find(path)
    if data.read_only or not box.is_folder(os.path.dirname(path)):
        return failed(f"sh: 1: cannot create {path}: Directory nonexistent", 2)
    box.lab.arriving(data)
    data.write(name, text_file(content.decode(errors="replace"), box.lab.now))
    return FINE


def place_of(box: Box, data: Data) -> Place:
    """The store that a dataset lies in, as the plan knows it."""
    store = box.stores.get(data.name.partition("/")[0].lstrip("@"))
    return Place(pool=store.pool.id) if store else Place()


def date(box: Box, words: list[str], stdin: bytes) -> Said:
    """Date."""
    now = datetime.fromtimestamp(box.lab.now + box.clock, box.lab.zone)
    return lines(now.strftime("%a %b %e %H:%M:%S %Z %Y"))
