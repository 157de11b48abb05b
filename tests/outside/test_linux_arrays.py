"""md arrays, LVM volumes and file systems against real ones.

Sources: mdadm 4.2 and LVM2 on Linux 6.1 in user-mode-linux (metadata 1.2, no bitmap); mkfs.ext4,
mkfs.xfs and mkfs.btrfs of Debian 12 on sparse files, mounted, statvfs. Measured November 2026.
"""

import os
import re
import struct
import subprocess
from pathlib import Path

import pytest

from kavrel.core.filesystems import apfs, btrfs, ext4, ntfs, xfs
from kavrel.core.pools.arrays import (
    lvm_linear,
    md_mirror,
    md_parity,
    md_raid10,
    md_stripe,
    md_striped_mirrors,
)
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
    assert md_striped_mirrors([[FOUR] * 2] * 2) == 8_001_032_290_304
    assert md_striped_mirrors([[FOUR] * 2] * 3) == 12_001_548_435_456
    # md's stripe uses all of unequal disks: 2 + 6 TB.
    assert md_stripe([2_000_398_934_016, 6_001_175_126_016]) == 8_001_303_347_200


def test_md_has_a_raid_10_of_its_own_beside_the_nested_one() -> None:
    twelve, eight = 12_000_138_625_024, 8_001_563_222_016
    # One array gives n x the smallest / 2, over odd numbers of disks too; mirrors keep their own.
    assert md_raid10([twelve, twelve, eight, twelve]) == 16_002_855_206_912
    assert md_raid10([twelve] * 3) == 18_000_005_038_080
    assert md_raid10([twelve] * 5) == 30_000_008_396_800
    nested = md_striped_mirrors([[twelve, twelve], [eight, twelve]])
    assert nested == 20_001_160_429_568


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


# GB: blocks of 4 KiB available; mkfs.xfs 6.1 on sparse files, mounted, November 2026.
SMALL_XFS = {1: 217906, 4: 945225, 16: 3854484, 40: 9673004, 80: 19370542, 120: 29068082}


@pytest.mark.parametrize("gb", sorted(SMALL_XFS))
def test_small_xfs(gb: int) -> None:
    assert xfs.usable_bytes(gb * 10**9) == pytest.approx(SMALL_XFS[gb] * 4096, rel=5e-4)


@pytest.mark.parametrize(("raw", "total", "available"), XFS)
def test_xfs(raw: int, total: int, available: int) -> None:
    found = xfs.space(raw)
    assert found.total_bytes == total
    # The reserve depends on the allocation groups; it is modelled as one share.
    assert found.usable_bytes == pytest.approx(available, rel=1e-4)


@pytest.mark.parametrize(("raw", "available"), BTRFS)
def test_btrfs(raw: int, available: int) -> None:
    assert btrfs.shown_bytes(raw) == pytest.approx(available, abs=64 * 1024)
    # Data comes with checksums, 4 bytes for 4 KiB, twice on one device.
    assert btrfs.space(raw).usable_bytes == pytest.approx(
        available / (1 + 2 / 1024), abs=128 * 1024
    )


@needs("mkfs.btrfs")
@pytest.mark.skipif(os.geteuid() != 0, reason="mounting needs root")
def test_btrfs_keeps_a_thousandth_of_the_data_as_checksums(tmp_path: Path) -> None:
    image, place = tmp_path / "image", tmp_path / "place"
    place.mkdir()
    with image.open("wb") as file:
        file.truncate(4 * 2**30)
    subprocess.run(["mkfs.btrfs", "-q", "-f", str(image)], check=True)

    def used() -> int:
        shown = subprocess.run(
            ["btrfs", "filesystem", "df", "-b", str(place)],
            check=True,
            capture_output=True,
            text=True,
        ).stdout
        found = re.search(r"Metadata, DUP: total=\d+, used=(\d+)", shown)
        assert found, shown
        return int(found.group(1))

    mounted = subprocess.run(["mount", "-o", "loop", str(image), str(place)], check=False)
    if mounted.returncode:
        pytest.skip("no loop devices here")
    try:
        before = used()
        chunk = os.urandom(2**20)
        with (place / "data").open("wb") as file:
            for _ in range(1024):
                file.write(chunk)
            os.fsync(file.fileno())
        subprocess.run(["sync", "-f", str(place)], check=True)
        grown = used() - before
    finally:
        subprocess.run(["umount", str(place)], check=True)
    # 1 GiB at 4 bytes for 4 KiB is 1 MiB, each of its two copies; leaves are not all full.
    assert 2**20 <= grown <= 1.4 * 2**20


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


@needs("mkfs.xfs")
@pytest.mark.parametrize("size", [120_034_123_776, 2_000_398_934_016, 16_000_900_661_248])
def test_xfs_against_mkfs_xfs_itself(tmp_path: Path, size: int) -> None:
    # `mkfs.xfs -N` prints what it would make: blocks of data and of the log.
    image = tmp_path / "disk.img"
    with image.open("wb") as handle:
        handle.truncate(size)
    said = subprocess.run(
        ["mkfs.xfs", "-N", str(image)], check=True, capture_output=True, text=True
    ).stdout
    data = re.search(r"^data .*blocks=(\d+)", said, re.M)
    log = re.search(r"^log .*blocks=(\d+)", said, re.M)
    assert data
    assert log
    total = (int(data.group(1)) - int(log.group(1))) * 4096
    assert xfs.space(size).total_bytes == total


@needs("mkntfs")
@pytest.mark.parametrize("size", [250_059_350_016, 2_000_398_934_016])
def test_ntfs_against_mkntfs_itself(tmp_path: Path, size: int) -> None:
    image = tmp_path / "disk.img"
    with image.open("wb") as handle:
        handle.truncate(size)
    layout = ["-s", "512", "-p", "0", "-H", "255", "-S", "63"]
    subprocess.run(["mkntfs", "-q", "-F", "-f", *layout, str(image)], check=True)
    said = subprocess.run(
        ["ntfsinfo", "-f", "-m", str(image)], check=True, capture_output=True, text=True
    ).stdout
    found = re.search(r"Free Clusters: (\d+)", said)
    assert found
    assert ntfs.usable_bytes(size) == int(found[1]) * ntfs.CLUSTER


@needs("mkapfs")
@pytest.mark.parametrize("size", [250_059_350_016, 1_000_204_886_016])
def test_apfs_against_mkapfs_itself(tmp_path: Path, size: int) -> None:
    """Source: Apple File System Reference: nx_superblock, and the spaceman with its free count."""
    image = tmp_path / "disk.img"
    with image.open("wb") as handle:
        handle.truncate(size)
    subprocess.run(["mkapfs", str(image)], check=True)
    with image.open("rb") as handle:
        blocks = (handle.read(apfs.BLOCK) for _ in range(4096))
        spaceman = next(b for b in blocks if struct.unpack_from("<H", b, 24)[0] == 5)
    free = struct.unpack_from("<IIQ", spaceman, 64)[2]
    assert apfs.usable_bytes(size) / apfs.BLOCK == pytest.approx(free, abs=64)


@needs("mkfs.btrfs")
@pytest.mark.parametrize("profile", [("single", 0), ("raid1", 2), ("raid1c3", 3)])
def test_btrfs_first_chunks_against_mkfs_btrfs_itself(
    tmp_path: Path, profile: tuple[str, int]
) -> None:
    # What mkfs sets aside for metadata and system on each device, of the chunks it prints.
    name, copies = profile
    images = []
    for n in range(max(copies, 1)):
        image = tmp_path / f"disk{n}.img"
        with image.open("wb") as handle:
            handle.truncate(500_107_862_016)
        images.append(str(image))
    meta = "dup" if copies == 0 else name
    said = subprocess.run(
        ["mkfs.btrfs", "-q", "-f", "-d", name, "-m", meta, *images],
        check=False,
        capture_output=True,
        text=True,
    )
    assert said.returncode == 0, said.stderr
    shown = subprocess.run(
        ["btrfs", "inspect-internal", "dump-tree", "-t", "chunk", images[0]],
        check=True,
        capture_output=True,
        text=True,
    ).stdout
    chunks = re.findall(r"length (\d+) owner \d+ stripe_len \d+ type (\S+)", shown)
    system = sum(int(n) for n, kind in chunks if kind.startswith("SYSTEM"))
    metadata = sum(int(n) for n, kind in chunks if kind.startswith("METADATA"))
    times = 2 if copies == 0 else 1
    # mkfs starts with one metadata chunk of 256 MiB to 1 GiB and a system chunk of 8 MiB.
    assert system == 8 * 2**20
    assert 256 * 2**20 <= metadata <= 1024 * 2**20
    assert times * (system + metadata) <= btrfs.held_bytes(500_107_862_016, copies) + 2**24


@pytest.mark.parametrize(
    ("copies", "filled"),
    [(2, 14_000_542_711_808), (3, 8_000_502_759_424)],
)
def test_copies_over_unequal_disks_as_filled_until_full(copies: int, filled: int) -> None:
    # mkfs.btrfs over 4, 4, 8 and 12 TB, posix_fallocate until it was full, November 2026.
    from kavrel.core.bench.capacity import labelled_bytes
    from kavrel.core.pools.families.copy_profiles import usable_height

    disks = [labelled_bytes(g) for g in (4000, 4000, 8000, 12_000)]
    # What was filled was allocated and not written, so without checksums.
    assert btrfs.shown_bytes(usable_height(disks, copies), copies) == pytest.approx(
        filled, rel=1.5e-4
    )


def test_striped_copies_over_unequal_disks_as_filled_until_full() -> None:
    from kavrel.core.bench.capacity import labelled_bytes
    from kavrel.core.pools.families.copy_profiles import striped_use

    disks = tuple(labelled_bytes(g) for g in (4000, 4000, 8000, 12_000))
    assert btrfs.shown_bytes(sum(striped_use(disks)) // 2, 2) == pytest.approx(
        12_001_264_795_648, rel=5e-4
    )


def test_a_stripe_of_mirrors_survives_the_losses_that_md_survives() -> None:
    # raid10 near=2 of 4 on Linux 6.1: outlives legs 0 and 2, not 0 and 1; so 4 of 6 pairs.
    from kavrel.core.pools.families import FAMILIES
    from kavrel.core.pools.survival import survival

    two_lost = survival(FAMILIES["striped_mirror"], [2, 2])[1]
    assert (two_lost.sets, two_lost.survived) == (6, 4)
