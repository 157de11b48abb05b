"""rsync: makes a folder equal to another, here or on another box. Source: rsync(1)."""

import os.path
from collections.abc import Callable, Mapping, Sequence

from kavrel.rig import apart
from kavrel.rig.box import Box
from kavrel.rig.data import Data
from kavrel.rig.files import File, text_file
from kavrel.rig.real import rsync as real
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.tools import rsync_says, spread
from kavrel.rig.tools.folders import place_of, point_folder


def rsync(box: Box, words: list[str], stdin: bytes) -> Said:
    """Rsync [options] FROM TO, of folders; by SSH or through a module."""
    usage = "rsync error: syntax or usage error (code 1) at main.c(1782) [client=3.2.7]"
    try:
        options, ends = rsync_says.sorted_out(words)
    except rsync_says.Unknown as unknown:
        return failed(f"rsync: {unknown}: unknown option\n{usage}", 1)
    if len(ends) != 2:
        return failed(usage, 1)
    places = [_end(box, end) for end in ends]
    for end, told in zip(ends, places, strict=True):
        if told is None:
            return failed(
                f"ssh: connect to host {end.partition(':')[0]} port 22: No route to host\n"
                "rsync: connection unexpectedly closed (0 bytes received so far)\n"
                "rsync error: unexplained error (code 255) at io.c(228)",
                255,
            )
    (there, source), (here, target) = places  # type: ignore[misc]
    fast = spread.fast_at(box, source)
    dry = "--dry-run" in options
    if fast is not None and not dry:  # the mover: what is on the tier goes on to the disks
        apart.settled(box.lab, box, fast)
        return FINE
    state = point_folder(there, source)
    if state is None and not there.is_folder(source.rstrip("/") or "/"):
        own = there.private(source)
        single = there.file(source)
        if own is not None and own.is_file():  # what the script itself keeps
            single = text_file(own.read_text(encoding="utf-8"), own.stat().st_mtime)
        if single is None:
            return failed(
                f'rsync: [sender] link_stat "{source}" failed: No such file or directory (2)\n'
                "rsync error: some files/attrs were not transferred (code 23) at main.c(1338)",
                23,
            )
        into = target.endswith("/") or here.is_folder(target)
        if into:
            target = os.path.join(target, os.path.basename(source))
        lacks = _no_way_to(here, os.path.dirname(target), options, made=into)
        if lacks and not dry:
            return lacks
        data, name = here.find(target)
        if not dry:
            here.lab.arriving(data)
            data.write(name, single)
        return FINE
    origin, inner = there.find(source)
    if state is None:
        there.current(origin)
        state = origin.below(inner)
    aside = next((o.partition("=")[2] for o in options if o.startswith("--backup-dir=")), "")
    if aside and ends[1].startswith("rsync://"):
        aside = f"{_module(here, ends[1])}{aside}"  # for a daemon it begins at the module
    ways = _ways(box, ends, (there, here))
    far = (there is not box, here is not box)
    return _carry(there, origin, here, target.rstrip("/"), state, options, aside, ways, far)


def _no_way_to(here: Box, folder: str, options: Sequence[str], made: bool) -> Said | None:
    """What it says where a folder is not there to be written to: of what is missing it makes the last alone.

    `made`: whether that is to be made at all. Source: rsync 3.5 itself; rsync(1), --mkpath.
    """
    if "--mkpath" in options or here.is_folder(folder):
        return None
    if not made:
        return failed(
            f'rsync: [Receiver] change_dir#3 "{folder}" failed: No such file or directory (2)\n'
            "rsync error: errors selecting input/output files, dirs (code 3)",
            3,
        )
    if here.is_folder(os.path.dirname(folder.rstrip("/"))):
        return None
    return failed(
        f'rsync: [Receiver] mkdir "{folder.rstrip("/")}" failed: No such file or directory (2)\n'
        "rsync error: error in file IO (code 11)",
        11,
    )


def _missing(here: Box, folder: str) -> int:
    """How many folders are not there of those that lead to one, and itself."""
    above = os.path.dirname(folder)
    return 0 if here.is_folder(folder) or above == folder else 1 + _missing(here, above)


def _ways(box: Box, ends: Sequence[str], boxes: Sequence[Box]) -> tuple[str, ...]:
    """What SSH itself leads by to each end that is on another box, where it is here."""
    ssh = box.lab.real and box.lab.real.ssh
    return tuple(
        str(ssh.way_of_rsync) if ssh and there is not box and "://" not in end else ""
        for end, there in zip(ends, boxes, strict=True)
    )


def ended(
    state: Mapping[str, File], now: Mapping[str, File], options: Sequence[str], aside: bool
) -> tuple[dict[str, File], dict[str, File]]:
    """What lies at the target afterwards, and what was put aside. What is left out stays where it is."""
    left = _left_out(options)
    after, put = dict(now), {}
    for name, file in state.items():
        if not left(name) and not _taken_as_same(file, now.get(name)):
            if aside and name in now:
                put[name] = now[name]
            after[name] = file
    if "--delete" in options:
        for name in [n for n in now if n not in state and not left(n)]:
            gone = after.pop(name)
            if aside:
                put[name] = gone
    return after, put


def _both(
    here: Box,
    state: Mapping[str, File],
    now: Mapping[str, File],
    options: Sequence[str],
    aside: bool,
    ways: Sequence[str] = ("", ""),
) -> tuple[dict[str, File], dict[str, File]]:
    """How it ends by the real one, where that is here, or by this one. Raises NotAsked."""
    ours = ended(state, now, options, aside)
    if here.lab.real is None or here.lab.real.rsync is None:
        return ours
    theirs = real.ended(state, now, options, aside, ways)
    here.lab.real.rsync.same(
        list(map(_values, theirs)) == list(map(_values, ours)),
        f"{here.name}: rsync {' '.join(options)}: {len(theirs[0])} files, and {len(ours[0])} by the stand-in",
    )
    return theirs


def _taken_as_same(file: File, there: File | None) -> bool:
    """Whether rsync leaves the one that is there: of this size and time. Source: rsync(1), quick check."""
    return there is not None and (there.size, there.mtime) == (file.size, file.mtime)


def _values(files: Mapping[str, File]) -> dict[str, tuple[int, str, float, bool]]:
    """Files by what they are: two that are the same in all are the same, whichever box has them."""
    return {n: (f.size, f.mark, f.mtime, f.sound) for n, f in files.items()}


def _carry(
    there: Box,
    origin: Data,
    here: Box,
    target: str,
    state: dict[str, File],
    options: list[str],
    aside: str,
    ways: Sequence[str],
    far: tuple[bool, bool],
) -> Said:
    data, folder = here.find(target)
    if data.read_only:
        return failed("rsync: [receiver] mkstemp failed: Read-only file system (30)", 23)
    dry = "--dry-run" in options
    lacks = _no_way_to(here, target, options, made=True)
    if lacks and not dry:
        return lacks
    if not dry:
        here.lab.arriving(data)
    prefix = f"{folder}/" if folder else ""
    now = dict(data.below(folder))
    asked = [o for o in options if o != "--dry-run"]  # what would be is what a run would leave
    try:
        after, put = _both(here, state, now, asked, bool(aside), ways)
    except real.NotAsked as no:
        return no.said
    left = _left_out(options)
    shown = {name: file for name, file in state.items() if not left(name)}
    made = _missing(here, target)
    rows = rsync_says.told(
        shown, now, after, options, far, (made if "--mkpath" in options else min(made, 1), target)
    )
    if dry:
        return lines(*rows)
    sent = 0
    for name, file in put.items():
        _put_aside(here, aside, name, file)
    for name, file in after.items():
        if now.get(name) is not file:
            sent += file.size
            data.write(f"{prefix}{name}", file)
    for name in now.keys() - after.keys():
        data.remove(f"{prefix}{name}")
    if folder:
        data.folders.add(folder)  # also where nothing lies in it
    limit = next((o.partition("=")[2] for o in options if o.startswith("--bwlimit=")), "")
    here.lab.moved(
        sent,
        place_of(there, origin),
        place_of(here, data),
        float(limit) * 8192 / 1e6 if limit else None,
    )
    return lines(*rows)


def _put_aside(box: Box, aside: str, name: str, file: File) -> None:
    data, folder = box.find(aside)
    data.write(f"{folder}/{name}", file)


def _end(box: Box, end: str) -> tuple[Box, str] | None:
    """The box and the folder of an end; None where there is no way to it."""
    if end.startswith("rsync://"):
        address, _, rest = end[8:].partition("/")
        other = box.lab.box_at(_plain(address))
        if other is None or not box.lab.reaches(box, other, _plain(address)):
            return None
        return other, f"{_module(other, end)}/{rest.partition('/')[2]}"
    address, mark, folder = end.partition("]:") if end.startswith("[") else end.partition(":")
    if not mark or "/" in address:
        return box, end
    other = box.lab.box_at(_plain(address))
    if other is None or other.host.closed or not box.lab.reaches(box, other, _plain(address)):
        return None  # on one with firmware of its own nobody signs in
    return other, folder


def _plain(address: str) -> str:
    """An address without who signs in there, a port and brackets."""
    host = address.rpartition("@")[2]
    return host[1:].partition("]")[0] if host.startswith("[") else host.partition(":")[0]


def _module(box: Box, end: str) -> str:
    """The folder that the module of an end is on the box that has it."""
    return box.lab.module(box, end[8:].split("/")[1])


def _left_out(options: Sequence[str]) -> Callable[[str], bool]:
    # Of rsync's filters those that the plan's patterns use: *.part, and .cache/ anywhere.
    patterns = [o.partition("=")[2] for o in options if o.startswith("--exclude=")]
    ends = tuple(p[1:] for p in patterns if p.startswith("*"))
    folders = tuple(p for p in patterns if p.endswith("/"))

    def left(name: str) -> bool:
        return bool(ends and name.endswith(ends)) or any(
            name.startswith(f) or f"/{f}" in name for f in folders
        )

    return left
