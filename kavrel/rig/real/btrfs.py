"""Btrfs itself, on a loop for each pool of it, over small files that stand for those of the rig.

The loops are mounted in a namespace of their own, whose one process ends with this one: nothing of them is
seen on the machine, and nothing stays there. It takes root. The stand-in is asked each time as well, and what
arrives by a stream is compared file by file. What is said of devices is the stand-in's: a loop is no disk.
Sources: btrfs(8), mount_namespaces(7), loop(4).
"""

import os
import shutil
import subprocess
from collections import OrderedDict
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.rig.box import Box, Store
from kavrel.rig.data import Data
from kavrel.rig.files import File
from kavrel.rig.real.compared import Compared
from kavrel.rig.real.small import key_of, keys, put
from kavrel.rig.said import Said, failed
from kavrel.rig.streams import MOST

if TYPE_CHECKING:
    from kavrel.rig.lab import Lab

BYTES = 2**29  # of a loop; only what is written takes room
NEEDED = ("unshare", "nsenter", "mount", "mkfs.btrfs", "btrfs")
KEEPER = """set -e; cd "$1"; shift
for one; do
  truncate -s {size} "$one.img"; mkfs.btrfs -q "$one.img" >/dev/null
  mkdir "$one"; mount -o loop "$one.img" "$one"
done
echo ready; exec cat >/dev/null"""
# What is asked of both; the rest speaks of devices.
ASKED = {
    ("subvolume", "snapshot"), ("subvolume", "delete"), ("subvolume", "show"), ("subvolume", "sync"),
    ("filesystem", "sync"), ("scrub", "start"), ("send",), ("receive",),
}  # fmt: skip


class Btrfs:
    """See above; of one lab, for its copies have pasts of their own."""

    def __init__(
        self, lab: "Lab", folder: Path, keeper: int, places: dict[tuple[str, str], str]
    ) -> None:
        self.lab, self.folder, self.keeper, self.places = lab, folder, keeper, places
        self.compared = Compared("Btrfs")
        self._written: dict[Path, dict[str, File]] = {}  # what lies in each subvolume
        self._streams: OrderedDict[bytes, bytes] = OrderedDict()  # by their tokens in the rig

    def answer(self, box: Box, words: Sequence[str], stdin: bytes, said: Said) -> Said:
        """What it says to words, after the stand-in has answered them with `said`."""
        verb = next((v for v in ASKED if tuple(words[: len(v)]) == v), None)
        paths = [w for w in words if w.startswith("/")]
        if verb is None or box.lab is not self.lab or not all(self._store(box, p) for p in paths):
            return said
        if verb == ("subvolume", "snapshot"):
            self._readied(box, words[-2], words[-1])
        if verb == ("receive",):
            self._real(box, words[-1]).mkdir(parents=True, exist_ok=True)
            stdin = self._streams.get(stdin.rpartition(b" ")[2], stdin)
        theirs = self._run(box, words, stdin)
        told = (
            f"{box.name}: btrfs {' '.join(words)}: {_short(theirs)}; the stand-in: {_short(said)}"
        )
        self.compared.same((theirs.code == 0) == (said.code == 0), told)
        if said.code or theirs.code:
            return theirs
        if verb == ("send",):
            token = said.out.rpartition(b" ")[2]
            self._streams[token] = theirs.out
            while len(self._streams) > MOST:
                self._streams.popitem(last=False)
            return said
        if verb in {("receive",), ("subvolume", "snapshot")}:
            self._points_of(box, words[-1], verb == ("receive",))
        return theirs

    def _store(self, box: Box, path: str) -> Store | None:
        """The pool of a path, where it has a loop here."""
        data, _ = box.find(path)
        store = box.stores.get(data.name.partition("/")[0])
        return store if store and (box.host.id, store.name) in self.places else None

    def _real(self, box: Box, path: str) -> Path:
        """Where a path of a box is, as this process comes to it."""
        store = self._store(box, path)
        assert store is not None
        place = self.places[box.host.id, store.name]
        inner = path.rstrip("/").removeprefix(store.at).lstrip("/")
        return Path(f"/proc/{self.keeper}/root{self.folder}") / place / inner

    def _run(self, box: Box, words: Sequence[str], stdin: bytes) -> Said:
        """The command in the namespace, where paths are those of the loops."""
        seen = f"/proc/{self.keeper}/root"
        given, names = [], {}
        for word in words:
            real = str(self._real(box, word)).removeprefix(seen) if word.startswith("/") else word
            given.append(real)
            names[real] = word
        done = subprocess.run(  # noqa: S603  # words of our own scripts, over loops of the rig
            [shutil.which("nsenter") or "nsenter", f"--mount=/proc/{self.keeper}/ns/mnt", "btrfs", *given],
            input=stdin, capture_output=True, check=False, env={"PATH": os.environ["PATH"], "LC_ALL": "C"},
        )  # fmt: skip
        err = done.stderr.decode(errors="replace")
        out = done.stdout
        for real, word in sorted(names.items(), key=lambda one: -len(one[0])):
            err = err.replace(real, word)
            if real != word and words[0] != "send":
                out = out.replace(real.encode(), word.encode())
        if done.returncode:
            return failed(err, done.returncode)
        return Said(0, out)

    def _readied(self, box: Box, source: str, target: str) -> None:
        """The subvolume has what the rig's has by now."""
        data, inner = box.find(source)
        place = self._real(box, source)
        if not place.exists():
            place.parent.mkdir(parents=True, exist_ok=True)
            self._run(box, ["subvolume", "create", source], b"")
        if inner:
            return
        self._real(box, target).parent.mkdir(parents=True, exist_ok=True)
        there = self._written.setdefault(place, {})
        files = box.current(data).files
        for name in [n for n in there if n not in files]:
            (place / name).unlink()
            del there[name]
        for name, file in files.items():
            if there.get(name) is not file:
                put(place / name, file)
                there[name] = file

    def _points_of(self, box: Box, path: str, came: bool) -> None:
        """What lies in a point by now is what the rig's has, file by file."""
        for data, name, at in self._newest(box, path, came):
            wanted = {n: key_of(f) for n, f in data.points[name].files.items()}
            there = dict(keys(self._real(box, at)))
            self.compared.same(
                wanted == there,
                f"{box.name}: {at} has {len(there)} files, {len(wanted)} in the rig, and not all the same",
            )

    def _newest(self, box: Box, path: str, came: bool) -> Iterator[tuple[Data, str, str]]:
        """The points that a command has made: the newest of the subvolume whose points are there."""
        folder = path.rstrip("/") if came else os.path.dirname(path.rstrip("/"))
        above, leaf = os.path.split(folder)
        home = f"{os.path.dirname(above)}/{leaf}"
        for data in box.datas.values():
            if os.path.basename(above) == ".points" and data.at == home and data.points:
                name = next(reversed(data.points))
                yield data, name, f"{folder}/{name}"


def _short(said: Said) -> str:
    return said.err.strip()[:200] or f"ended with {said.code}"


@contextmanager
def btrfs_here(lab: "Lab", folder: Path) -> Iterator[Btrfs | str]:
    """The loops of a lab's Btrfs pools, or why there are none; empty without any."""
    stores = [
        (host, store.name)
        for host, box in lab.boxes.items()
        for store in box.stores.values()
        if FILESYSTEMS[store.pool.filesystem].subvolumes
    ]
    missing = [name for name in NEEDED if not shutil.which(name)]
    if not stores:
        yield ""
    elif os.getuid() != 0:
        yield "it takes root"
    elif missing:
        yield f"{missing[0]} is not installed"
    else:
        folder.mkdir()
        places = {key: f"n{number}" for number, key in enumerate(stores)}
        command = [
            "unshare",
            "--mount",
            "--propagation",
            "private",
            "sh",
            "-c",
            KEEPER.format(size=BYTES),
        ]
        with subprocess.Popen(  # noqa: S603  # no word of it is anybody's
            [*command, "sh", str(folder), *places.values()],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        ) as keeper:  # fmt: skip
            if keeper.stdout and keeper.stdout.readline().strip() == "ready":
                yield Btrfs(lab, folder, keeper.pid, places)
            else:
                keeper.kill()
                why = keeper.stderr.read() if keeper.stderr else ""
                yield f"its loops cannot be mounted: {why.strip()[:200]}"
            keeper.kill()
