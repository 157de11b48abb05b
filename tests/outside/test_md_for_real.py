"""What md does, by md itself: Linux 6.1 in user-mode-linux, mdadm 4.2.

Source: the kernel's own behaviour, tried here; the sizes were measured in November 2026.
"""

from pathlib import Path
from typing import Any

import pytest

from kavrel.core.pools.arrays import md_raid10
from tests.outside import uml

pytestmark = [
    pytest.mark.prove,
    pytest.mark.skipif(not uml.can_run(), reason="no user-mode-linux with mdadm here"),
]


def test_one_unreadable_sector_in_a_rebuild_costs_a_block_and_not_the_array(tmp_path: Path) -> None:
    script = (uml.HERE / "unreadable.sh").read_text(encoding="utf-8")
    said = uml.run(script, [419_430_400] * 5, tmp_path)
    # mdadm's default keeps a list of bad blocks: the rebuild ends, one read of 64 KiB fails.
    assert "raid5 with list: 4 of 4 in sync, failed reads 1" in said, said
    assert "raid1 with list: 2 of 2 in sync, failed reads 1" in said
    assert "raid10 with list: 4 of 4 in sync, failed reads 1" in said
    # Without that list RAID 5 stops: setup.sh leaves the list as it is.
    without = next(line for line in said.splitlines() if "raid5 without" in line)
    assert "2 of 4 in sync" in without
    assert int(without.rpartition(" ")[2]) > 1000


def test_its_own_raid_10_gives_half_of_all_at_the_smallest(tmp_path: Path) -> None:
    twelve, eight = 12_000_138_625_024, 8_001_563_222_016
    script = (uml.HERE / "raid10.sh").read_text(encoding="utf-8")
    said = uml.run(script, [twelve, twelve, eight, twelve, twelve, twelve], tmp_path)
    lines = [line.split() for line in said.splitlines() if line]
    sizes = {int(width): int(size) for width, size in lines}
    assert sizes[4] == md_raid10([twelve, twelve, eight, twelve])
    assert sizes[3] == md_raid10([twelve] * 3)
    assert sizes[5] == md_raid10([twelve] * 5)


def test_a_kernel_that_hangs_leaves_its_disks_to_the_next(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(uml, "AT_FIRST", uml.Still(10.0, 30))
    really = uml._start
    scripts: list[str] = []

    def first_hangs(script: str, *rest: Any, **more: Any) -> str:
        scripts.append(script)
        return really(
            script if scripts[1:] else script + "exec 5</dev/ubda; sleep 1000", *rest, **more
        )

    monkeypatch.setattr(uml, "_start", first_hangs)
    (tmp_path / "setup.sh").write_text("echo first", encoding="utf-8")
    script = """
    sh /mnt/job/setup.sh; echo 'echo later' >/mnt/job/setup.sh
    ls /mnt/job | grep left; touch /mnt/job/left
    blockdev --getsize64 /dev/ubda
    """
    script += "head -c 4 /dev/ubda | tr -d '\\0'; echo ours >/dev/ubda; sync"
    assert uml.run(script, [10_000_384], tmp_path).split() == ["first", "10000384"]
    assert len(scripts) == 2
