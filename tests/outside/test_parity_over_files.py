"""What parity over files gives back, by snapraid itself over real folders: the proof promises no more.

Source: snapraid(1); tried on snapraid 12.2. A disk is a folder here: it looks at files, not at devices.
"""

import shutil
import subprocess
from pathlib import Path

import pytest

from kavrel.core.proof.cell import Cell
from tests.builders import cell, dataset, disk, job, lab

pytestmark = pytest.mark.skipif(not shutil.which("snapraid"), reason="no snapraid here")
FILES, SIZE = 6, 1_500_000


class Disks:
    """So many data disks and parity disks, synced; each has the same number of files of one size."""

    def __init__(self, root: Path, data: int, parity: int) -> None:
        self.root = root
        rows = []
        for n in range(1, parity + 1):
            (root / f"p{n}").mkdir()
            rows.append(f"{'' if n == 1 else f'{n}-'}parity {root}/p{n}/parity")
        for n in range(1, data + 1):
            (root / f"d{n}").mkdir()
            rows.append(f"data d{n} {root}/d{n}")
            for number in range(FILES):
                self.written(n, number, f"{n} {number}")
        (root / "c").mkdir()
        rows += [
            f"content {root}/c/content",
            *(f"content {root}/d{n}/.content" for n in range(1, parity + 1)),
        ]
        (root / "conf").write_text("\n".join(rows) + "\n", encoding="utf-8")
        self.snapraid("sync")

    def snapraid(self, *words: str) -> None:
        subprocess.run(
            [
                "snapraid",
                "-q",
                "-c",
                self.root / "conf",
                "--test-skip-device",
                "--test-force-order-alpha",
                *words,
            ],
            capture_output=True,
            check=False,  # fix ends with 1 where something cannot be had back
        )

    def path(self, on: int, number: int) -> Path:
        return self.root / f"d{on}" / f"f{number}"

    def written(self, on: int, number: int, text: str) -> None:
        self.path(on, number).write_bytes((text.encode() * SIZE)[:SIZE])

    def back(self, on: int) -> set[int]:
        """A disk dies and is reckoned back: which of its files then are what they were."""
        before = {n: self.path(on, n).read_bytes() for n in range(FILES)}
        shutil.rmtree(self.root / f"d{on}")
        (self.root / f"d{on}").mkdir()
        self.snapraid("-d", f"d{on}", "fix")
        return {
            n
            for n, text in before.items()
            if self.path(on, n).exists() and self.path(on, n).read_bytes() == text
        }


def promised(
    data: int, parity: int, changed: int = 0, deleted: int = 0, hazard: str = "one_disk"
) -> Cell:
    """What the proof says of such a pool with so much changed and deleted in a day."""
    ids = tuple(f"box{n}" for n in range(1, data + parity + 1))
    pool = (
        lab()
        .pools[0]
        .model_copy(
            update={
                "family": f"parity{parity}",
                "filesystem": "ext4",
                "groups": (ids[:data], ids[data:]),
            }
        )
    )
    plan = lab(
        disks=(*(disk(n) for n in range(1, data + parity + 1)), *(d for d in lab().disks if d.host != "box")),
        pools=(pool, lab().pools[1]),
        datasets=(dataset(change_bytes_per_day=changed, deleted_bytes_per_day=deleted),),
        jobs=(job("x", kind="shelf", target_disk="loose9", credentials="hand"),),
    )  # fmt: skip
    return cell(plan, hazard)


def test_where_nothing_changed_all_of_a_dead_disk_comes_back(tmp_path: Path) -> None:
    assert Disks(tmp_path, 3, 1).back(1) == set(range(FILES))
    told = promised(3, 1)
    assert (told.fate, told.rpo_seconds) == ("exposed", 86_400), "what is new has no parity yet"


def test_what_changed_on_another_disk_takes_old_files_of_the_dead_one_with_it(
    tmp_path: Path,
) -> None:
    made = Disks(tmp_path, 3, 1)
    made.path(2, 1).unlink()
    made.written(3, 4, "other")
    assert made.back(1) == set(range(FILES)) - {1, 4}
    for told in (promised(3, 1, changed=10**9), promised(3, 1, deleted=10**9)):
        assert told.fate == "restored", "old files come from a copy, or not at all"
        assert told.copy_job == "x"
        assert "takes old files of the dead one with it" in told.why
        assert any("reckoned back" in s.text for s in told.steps)


def test_one_parity_more_outlives_that_while_only_one_other_changed_at_a_place(
    tmp_path: Path,
) -> None:
    made = Disks(tmp_path, 4, 2)
    made.path(2, 1).unlink()
    made.written(3, 4, "other")
    assert made.back(1) == set(range(FILES))
    # With one data disk beside the dead one there is none but that.
    assert promised(2, 2, changed=10**9).fate == "exposed"


def test_two_others_changed_at_one_place_are_too_much_for_two_parities(tmp_path: Path) -> None:
    made = Disks(tmp_path, 4, 2)
    made.path(2, 1).unlink()
    made.written(3, 1, "other")
    assert made.back(1) == set(range(FILES)) - {1}
    told = promised(4, 2, changed=10**9)
    assert told.fate == "restored", "where they lie nobody knows"
    assert "what was so on 2 other disks takes old files" in told.why
    assert "what was so on another disk takes" in promised(4, 2, 10**9, hazard="second_disk").why


def test_a_single_data_disk_has_no_other_to_change(tmp_path: Path) -> None:
    made = Disks(tmp_path, 1, 1)
    assert made.back(1) == set(range(FILES))
    assert promised(1, 1, changed=10**9).fate == "exposed"
