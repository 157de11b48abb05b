"""Real snapshots on a real Btrfs, pruned as the retention says: what is there is what is predicted.

Source: btrfs-subvolume(8); the space that a point holds is read from the file system's own count.
"""

import os
import subprocess
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from kavrel.core.copies.retention import existing, keep
from kavrel.core.copies.space import held
from kavrel.core.plan import Retention
from tests.builders import lab
from tests.conftest import needs
from tests.formats.hostside.box import Box

pytestmark = [
    needs("mkfs.btrfs"),
    pytest.mark.skipif(os.geteuid() != 0, reason="mounting needs root"),
]
MB = 1_000_000


def run(*command: str) -> str:
    done = subprocess.run(command, check=True, capture_output=True, text=True)
    return done.stdout


@pytest.fixture
def mount(tmp_path: Path) -> Iterator[Path]:
    """A Btrfs of 400 MB on a loop device."""
    image, place = tmp_path / "image", tmp_path / "place"
    place.mkdir()
    with image.open("wb") as file:
        file.truncate(400 * MB)
    run("mkfs.btrfs", "-q", "-m", "single", str(image))
    made = subprocess.run(
        ["mount", "-o", "loop", str(image), str(place)], capture_output=True, check=False
    )
    if made.returncode:
        pytest.skip("this kernel mounts no loop device")
    yield place
    run("umount", str(place))


def used(place: Path) -> int:
    """Bytes of data in use, after everything is on the disk and the deleted is cleaned."""
    run("btrfs", "filesystem", "sync", str(place))
    run("btrfs", "subvolume", "sync", str(place))
    text = run("btrfs", "filesystem", "df", "-b", str(place))
    line = next(x for x in text.splitlines() if x.startswith("Data"))
    return int(line.rpartition("used=")[2])


def test_snapshots_pruned_by_the_rules_hold_what_is_predicted(mount: Path) -> None:
    live = mount / "live"
    run("btrfs", "subvolume", "create", str(live))
    # Ten nights: every night 2 MB are deleted and 2 MB come; one file of 1 MB is rewritten whole.
    nights, rules = 10, Retention(last=3, daily=0)
    start = datetime(2026, 3, 1, 1, 0, tzinfo=UTC)
    times = [(start + timedelta(days=n)).timestamp() for n in range(nights)]
    for n in range(3):
        (live / f"bulk{n - 3}").write_bytes(os.urandom(2 * MB))
    (live / "diary").write_bytes(os.urandom(MB))
    for night in range(nights):
        run("btrfs", "subvolume", "snapshot", "-r", str(live), str(mount / f"night{night}"))
        points = keep([(t, t) for t in times[: night + 1]], rules, "UTC")
        there = {times.index(p.data_time) for p in existing(points, times[night])}
        for old in range(night + 1):
            if old not in there and (mount / f"night{old}").exists():
                run("btrfs", "subvolume", "delete", str(mount / f"night{old}"))
        assert {int(p.name[5:]) for p in mount.glob("night*")} == there
        # After the run, the day's work: the oldest bulk goes, a new one comes, the diary changes.
        (live / f"bulk{night - 3}").unlink()
        (live / f"bulk{night}").write_bytes(os.urandom(2 * MB))
        (live / "diary").write_bytes(os.urandom(MB))
    data = (
        lab()
        .datasets[0]
        .model_copy(
            update={
                "size_bytes": 7 * MB,
                "deleted_bytes_per_day": 2 * MB,
                "change_bytes_per_day": MB,
                "repeat_share": 1.0,
            }
        )
    )
    kept = sorted(times[n] for n in there)
    predicted = pytest.approx(7 * MB + held(data, tuple(kept), times[-1] + 86_400), rel=0.03)
    # The file system cleans up behind a deleted snapshot in its own time.
    deadline = time.monotonic() + 90
    while used(mount) != predicted and time.monotonic() < deadline:
        pass
    assert used(mount) == predicted


def test_the_script_snapshots_sends_and_prunes_what_is_predicted(
    mount: Path, tmp_path: Path
) -> None:
    """lab-job on a real Btrfs: points on the pool, points sent to another place, both pruned."""
    live, far = mount / "live", mount / "far" / "live"
    run("btrfs", "subvolume", "create", str(live))
    box = Box(tmp_path)
    rules = Retention(last=2, daily=3, weekly=2)
    told = rules.model_dump(mode="json", exclude_defaults=True)
    box.jobs(
        s={"kind": "snapshot", "filesystem": "btrfs", "sets": [str(live)], "retention": told},
        r={
            "kind": "replication",
            "filesystem": "btrfs",
            "pairs": [[str(live), str(far)]],
            "retention": told,
        },
    )
    start = datetime(2026, 3, 1, 1, 0, tzinfo=UTC)
    moments = [(start + timedelta(days=n)).timestamp() for n in range(16)]
    for night, now in enumerate(moments):
        (live / "diary").write_text(f"day {night}", encoding="utf-8")
        for name in ("s", "r"):
            done = box.run(name, now=now)
            assert done.returncode == 0, done.stderr
    left = existing(keep([(t, t) for t in moments], rules, "Europe/Berlin"), moments[-1])
    days = [moments.index(p.data_time) for p in left]
    for folder, name in (
        (mount / ".points" / "live", "s"),
        (mount / "far" / ".points" / "live", "r"),
    ):
        found = sorted(p for p in folder.iterdir() if p.name.startswith(f"lab-{name}-"))
        texts = [(p / "diary").read_text(encoding="utf-8") for p in found]
        assert texts == [f"day {n}" for n in days]
    # At home the replication keeps only what its next run starts from.
    assert len(list((mount / ".points" / "live").glob("lab-r-*"))) == 1
