"""md arrays, LVM volumes and file systems against real ones.

Sources: mdadm 4.2 and LVM2 on Linux 6.1 in user-mode-linux (metadata 1.2, no bitmap); mkfs.ext4,
mkfs.xfs and mkfs.btrfs of Debian 12 on sparse files, mounted, statvfs. Measured November 2026.
"""

import re
import subprocess
from pathlib import Path

import pytest

from kavrel.core.pools.arrays import (
    lvm_linear,
    md_mirror,
    md_parity,
    md_stripe,
    md_striped_mirrors,
)
from kavrel.core.pools.filesystems import btrfs, ext4, xfs
from tests.conftest import needs

FOUR, EIGHT = 4_000_787_030_016, 8_001_563_222_016


def test_md_arrays() -> None:
    assert md_mirror([FOUR, FOUR]) == 4_000_651_739_136
    assert md_parity([FOUR] * 3, 1) == 8_001_302_822_912
    assert md_parity([FOUR] * 4, 1) == 12_001_954_234_368
    assert md_parity([FOUR] * 6, 1) == 20_003_257_057_280
    assert md_parity([FOUR] * 4, 2) == 8_001_302_822_912
    assert md_parity([FOUR] * 6, 2) == 16_002_605_645_824
    assert md_parity([FOUR, FOUR, FOUR, EIGHT], 1) == 12_001_954_234_368
    assert md_striped_mirrors([[FOUR] * 2] * 2) == 8_001_302_822_912
    assert md_striped_mirrors([[FOUR] * 2] * 3) == 12_001_954_234_368
    # md's stripe uses all of unequal disks: 2 + 6 TB.
    assert md_stripe([2_000_398_934_016, 6_001_175_126_016]) == 8_001_303_347_200


def test_lvm_volume_over_unequal_disks() -> None:
    assert lvm_linear([FOUR] * 4 + [EIGHT] * 2) == 32_006_255_673_344


# raw, then total and available
EXT4 = [
    (500_107_862_016, 491_107_581_952, 466_085_384_192),
    (4_000_787_030_016, 3_936_820_731_904, 3_736_764_575_744),
    (8_001_563_222_016, 7_937_303_777_280, 7_537_208_811_520),
    (12_000_138_625_024, 11_904_379_944_960, 11_304_356_208_640),
    (20_000_588_955_648, 19_919_928_582_144, 18_919_882_334_208),
]
XFS = [
    (500_107_862_016, 499_863_670_784, 496_344_731_648),
    (4_000_787_030_016, 3_998_833_524_736, 3_970_919_366_656),
    (8_001_563_222_016, 7_999_426_224_128, 7_943_619_158_016),
    (12_000_138_625_024, 11_998_001_627_136, 11_914_315_833_344),
    (20_000_588_955_648, 19_998_451_957_760, 19_858_985_537_536),
]
BTRFS = [
    (500_107_862_016, 497_942_528_000),
    (4_000_787_030_016, 3_998_621_696_000),
    (8_001_563_222_016, 7_999_397_888_000),
    (12_000_138_625_024, 11_997_973_315_584),
    (20_000_588_955_648, 19_998_423_646_208),
]


@pytest.mark.parametrize(("raw", "total", "available"), EXT4)
def test_ext4_to_the_byte(raw: int, total: int, available: int) -> None:
    found = ext4.space(raw)
    assert (found.total_bytes, found.usable_bytes) == (total, available)


@pytest.mark.parametrize(("raw", "total", "available"), XFS)
def test_xfs(raw: int, total: int, available: int) -> None:
    found = xfs.space(raw)
    assert found.total_bytes == total
    # The reserve depends on the allocation groups; it is modelled as one share.
    assert found.usable_bytes == pytest.approx(available, rel=1e-4)


@pytest.mark.parametrize(("raw", "available"), BTRFS)
def test_btrfs(raw: int, available: int) -> None:
    assert btrfs.space(raw).usable_bytes == pytest.approx(available, abs=64 * 1024)


@needs("mkfs.ext4")
@needs("dumpe2fs")
@pytest.mark.parametrize("size", [50_000_000_000, 120_034_123_776, 750_156_374_016])
def test_ext4_against_mke2fs_itself(tmp_path: Path, size: int) -> None:
    image = tmp_path / "disk.img"
    with image.open("wb") as handle:
        handle.truncate(size)
    lazy = "lazy_itable_init=1,lazy_journal_init=1,nodiscard"
    subprocess.run(["mkfs.ext4", "-q", "-F", "-E", lazy, str(image)], check=True)
    head = subprocess.run(
        ["dumpe2fs", "-h", str(image)], check=True, capture_output=True, text=True
    ).stdout
    fields = {
        k: int(v) for k, v in re.findall(r"^(Block count|Overhead clusters): +(\d+)", head, re.M)
    }
    total = (fields["Block count"] - fields["Overhead clusters"]) * 4096
    assert ext4.space(size).total_bytes == total
