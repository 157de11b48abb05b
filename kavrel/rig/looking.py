"""The real lab-look, run on a box of the rig: what it prints goes the way of every look.

What the script asks of its machine is answered by the box's own commands; the files that it reads are
those that the plan's papers have put there, written for the look into a folder of the rig.
"""

import json
import os
import re
import shutil
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime, tzinfo
from functools import lru_cache, partial
from pathlib import Path
from types import CodeType, ModuleType, SimpleNamespace
from typing import Any
from zoneinfo import ZoneInfo

from kavrel.core.shares.names import folders
from kavrel.core.works.pools import parity_file
from kavrel.core.works.volumes import tree_of
from kavrel.formats.lab_look import look_script
from kavrel.formats.servers.bundle import host_files
from kavrel.formats.timers import crontab
from kavrel.rig import as_planned
from kavrel.rig.apart import has_parity
from kavrel.rig.box import Box
from kavrel.rig.days import LAB_JOB, Days
from kavrel.rig.hands import Commands
from kavrel.rig.layers import Layers
from kavrel.rig.tools import TOOLS
from kavrel.rig.tools.blocks import mdstat, proc_mounts
from kavrel.rig.tools.spread import settings

ORIGIN = "the rig"
# Files of the bundle by where they lie on the box.
PLACES = {"exports": "etc/exports", "rsyncd.conf": "etc/rsyncd.conf", "fstab": "etc/fstab"}
OWN = "usr/local/lib/lab-job.d"


@lru_cache(maxsize=1)
def _code() -> CodeType:
    return compile(look_script(), "lab-look", "exec")


class _Asked(Commands):
    """Commands by their names alone, as a search in a PATH that has only the box's finds them."""

    def __init__(self, box: Box, days: Days, smb: str) -> None:
        super().__init__(box)
        self.days, self.smb = days, smb

    def which(self, name: str, path: str = "") -> str | None:
        """Whether the box has it."""
        there = name in TOOLS or name in ("lab-job", "testparm") or os.path.islink(name)
        return name if there else None

    def run(
        self, words: Sequence[str], *, text: bool = False, stdout: Any = None, **told: Any
    ) -> Any:
        """Its answer; lab-job is the box's own, with what it wrote down of its runs."""
        if words[0] == "testparm":
            return SimpleNamespace(returncode=0, stdout=self.smb.encode(), stderr=b"")
        if words[0] == "lab-job":
            hands = self.days.hands.get(self.box.host.id)
            if hands is None:
                return SimpleNamespace(returncode=1, stdout=b"", stderr=b"no jobs here")
            ended = hands.run(*words[1:])
            return SimpleNamespace(
                returncode=ended.code, stdout=ended.out.encode(), stderr=ended.err.encode()
            )
        if words[0].startswith(f"{self.box.folder}/look/{OWN}/"):
            words = [os.readlink(words[0]), *words[1:]]
        lab = self.box.lab
        zone = lab.zone
        try:  # it asks for dates of one zone, wherever the box stands
            lab.zone = ZoneInfo(told.get("env", {}).get("TZ") or zone.key)
            return super().run(words, text=text, stdout=stdout, **told)
        finally:
            lab.zone = zone


def look(days: Days, host: str) -> bytes:
    """The document that lab-look prints on a box, now."""
    box = days.lab.boxes[host]
    root = box.folder / "look"
    smb = _written(days, box, root)
    asked = _Asked(box, days, smb)
    module = ModuleType(f"lab_look of {box.name}")
    exec(_code(), module.__dict__)  # noqa: S102  # our own script, as it is put on every box
    names = module.__dict__
    names |= {
        "ROOT": root,
        "subprocess": asked,
        "shutil": SimpleNamespace(which=asked.which),
        "socket": SimpleNamespace(gethostname=lambda: box.name),
        "datetime": SimpleNamespace(now=lambda zone: _now(days, zone)),
        "os": SimpleNamespace(
            environ={},
            geteuid=lambda: 0,
            access=os.access,
            readlink=os.readlink,
            X_OK=os.X_OK,
            getxattr=partial(_of_tree, box),
        ),
    }
    seen = module.Look()
    seen.everything()
    shutil.rmtree(root)
    return json.dumps(seen.document(), ensure_ascii=False).encode()


def _now(days: Days, zone: tzinfo) -> datetime:
    return datetime.fromtimestamp(days.lab.now, zone)


def _of_tree(box: Box, path: str, name: str) -> bytes:
    """What a tree says of itself. Source: mergerfs(1), Runtime Config; raises OSError where there is none."""
    for store in box.stores.values():
        tree = tree_of(box.lab.index, box.lab.index.pools[store.pool.id])
        if tree and path == f"{tree.folder}/.mergerfs":
            told = {
                "user.mergerfs.branches": ":".join(f"{b}=RW" for b in tree.branches),
                "user.mergerfs.category.create": tree.lands,
            }
            if name in told:
                return told[name].encode()
    raise OSError(95, "Operation not supported", path)


def _written(days: Days, box: Box, root: Path) -> str:
    """Puts the files there that the box would have; returns its smb.conf."""
    lab, plan = days.lab, days.lab.plan
    today = datetime.fromtimestamp(lab.now, UTC).date()
    for path, text in _files(days, box):
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_text(text, encoding="utf-8")
    for block in Layers(box).disks.values():
        (root / "sys/block" / block.path.removeprefix("/dev/") / "device").mkdir(parents=True)
    for array in Layers(box).arrays:
        counts = root / "sys/block" / array.block.path.removeprefix("/dev/") / "md"
        counts.mkdir(parents=True)
        if array.level != "0":  # nothing to hold against anything
            (counts / "mismatch_cnt").write_text("0\n", encoding="utf-8")
    for folder in folders(plan).values():
        if box.is_folder(folder):
            (root / folder.lstrip("/")).mkdir(parents=True, exist_ok=True)
    for line in as_planned.targets(lab.index, box.host.id):
        where, value = re.split(r": | -> ", line, maxsplit=1)
        there = root / "sys/kernel/config/target" / where
        there.parent.mkdir(parents=True, exist_ok=True)
        if " -> " in line:
            there.symlink_to(value)
        else:
            there.write_text(f"{value}\n", encoding="utf-8")
    scripts = root / OWN
    scripts.mkdir(parents=True)
    for path in box.own:
        (scripts / Path(path).name).symlink_to(path)
    runs = box.folder / "state" / "runs"
    if runs.is_dir():
        shutil.copytree(runs, root / "var/lib/lab-job/runs")
    return host_files(plan, box.host.id, ORIGIN, today).get("smb.conf", ("", ""))[0]


def _files(days: Days, box: Box) -> Iterator[tuple[str, str]]:
    lab, plan, host = days.lab, days.lab.plan, box.host.id
    today = datetime.fromtimestamp(lab.now, lab.zone).date()
    yield "proc/mounts", proc_mounts(box)
    yield "proc/meminfo", as_planned.memory(lab.index, host)
    if Layers(box).arrays:
        yield "proc/mdstat", mdstat(box)
    given = host_files(plan, host, ORIGIN, today)
    for name, place in PLACES.items():
        if name in given:
            yield place, given[name][0]
    for store in box.stores.values():
        if has_parity(store.pool):
            yield parity_file(store.name).lstrip("/"), settings(box, store)
    if host in days.hands:
        lines = crontab(plan, host, ORIGIN, today).splitlines()
        there = [r for r in lines if LAB_JOB not in r or r.split()[-1] not in box.disabled]
        yield "var/spool/cron/crontabs/root", "\n".join([*there, ""])
