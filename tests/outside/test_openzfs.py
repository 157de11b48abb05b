"""ZFS pool sizes against real pools.

Source: OpenZFS 2.1.11 (its user-space library made these pools on sparse files in November 2026);
block allocation from vdev_raidz_asize of the same version. Disks of 4,000,787,030,016 bytes,
ashift 12. `SIZE` is what `zpool list` shows, `AVAIL` what `zfs list` shows of the empty pool.
"""

import pytest

from kavrel.core.filesystems.filesystem import Vdev
from kavrel.core.filesystems.zfs import allocated_bytes, efficiency, space

DISK = 4_000_787_030_016
WITHIN = 2_000_000  # bytes: the pool's own first metadata

# width: SIZE, then AVAIL for raidz1, raidz2, raidz3
POOLS: dict[int, tuple[int, tuple[int | None, int | None, int | None]]] = {
    3: (11_991_548_690_432, (7_849_119_111_200, 3_857_322_584_160, None)),
    4: (15_994_458_210_304, (11_483_533_774_528, 7_609_875_926_720, 3_873_791_504_384)),
    5: (19_997_367_730_176, (15_837_019_899_200, 11_696_939_759_392, 7_830_261_337_600)),
    6: (24_000_277_250_048, (19_034_656_585_872, 15_847_119_529_080, 11_112_689_909_248)),
    8: (32_006_096_289_792, (26_805_191_856_720, 22_616_893_825_888, 18_116_036_444_544)),
    10: (39_994_735_460_352, (35_404_756_469_808, 30_327_299_497_168, 26_499_678_089_504)),
    12: (48_000_554_500_096, (42_519_302_643_088, 36_425_481_912_688, 34_737_962_008_960)),
}


@pytest.mark.parametrize("width", sorted(POOLS))
@pytest.mark.parametrize("parity", [1, 2, 3])
def test_raidz_pools(width: int, parity: int) -> None:
    size, available = POOLS[width]
    measured = available[parity - 1]
    if measured is None:
        return
    found = space([Vdev((DISK,) * width, parity)], 12, 131_072)
    assert found.total_bytes == size
    assert abs(found.usable_bytes - measured) < WITHIN


def test_single_disk_and_mirror() -> None:
    found = space([Vdev((DISK,))], 12, 131_072)
    assert found.total_bytes == 3_985_729_650_688
    assert found.usable_bytes == pytest.approx(3.8617119e12, abs=WITHIN)


def test_six_disks_of_20_tb_with_two_parity() -> None:
    found = space([Vdev((20_000_588_955_648,) * 6, 2)], 12, 131_072)
    assert abs(found.usable_bytes - 79_785_358_140_536) < WITHIN


def test_a_480_gb_disk_alone_shows_461_gb() -> None:
    # Measured, and common practice, no source.
    found = space([Vdev((480_103_981_056,))], 12, 131_072).usable_bytes
    assert abs(found - 461_976_895_488) < WITHIN
    assert found // 10**9 == 461


@pytest.mark.parametrize(
    ("gb", "size", "available"),
    [
        (1, 939_524_096, 804_782_080),
        (2, 1_879_048_192, 1_744_306_176),
        (4, 3_758_096_384, 3_623_354_368),
        (7, 6_979_321_856, 6_760_693_760),
        (8, 7_516_192_768, 7_280_787_456),
        (16, 15_569_256_448, 15_082_192_896),
        (32, 31_675_383_808, 30_685_003_776),
        (34, 33_822_867_456, 32_765_378_560),
        (36, 35_970_351_104, 34_862_530_560),
        (64, 63_887_638_528, 61_907_402_752),
    ],
)
def test_small_pools(gb: int, size: int, available: int) -> None:
    found = space([Vdev((gb * 10**9,))], 12, 131_072)
    assert found.total_bytes == size
    assert abs(found.usable_bytes - available) < WITHIN


@pytest.mark.parametrize(
    ("gb", "size", "available"),
    [
        (4, 11_811_160_064, 7_619_860_512),
        (8, 23_622_320_128, 15_240_452_128),
        (16, 47_781_511_168, 30_839_199_776),
    ],
)
def test_small_raidz1_of_three(gb: int, size: int, available: int) -> None:
    found = space([Vdev((gb * 10**9,) * 3, 1)], 12, 131_072)
    assert found.total_bytes == size
    assert abs(found.usable_bytes - available) < WITHIN


def test_two_groups_of_different_width_each_by_their_own_ratio() -> None:
    both = [Vdev((DISK,) * 5, 2), Vdev((DISK,) * 7, 2)]
    assert abs(space(both, 12, 131_072).usable_bytes - 30_347_499_354_080) < 4 * WITHIN
    # 16 KiB takes 36 864 bytes on 5 disks, 24 576 on 7; 128 KiB takes 221 184 and 196 608 there.
    small = space(both, 12, 16_384).usable_bytes
    five, seven = (space([v], 12, 131_072).usable_bytes for v in both)
    by_hand = five * (16_384 / 36_864) / (131_072 / 221_184)
    by_hand += seven * (16_384 / 24_576) / (131_072 / 196_608)
    assert small == pytest.approx(by_hand, rel=0.005)


def test_large_records_are_credited() -> None:
    # 1 MiB takes 1 757 184 bytes on raidz2 of 5 (measured): 0.5967 against 0.5926 of 128 KiB.
    five = [Vdev((DISK,) * 5, 2)]
    gained = space(five, 12, 1_048_576).usable_bytes / space(five, 12, 131_072).usable_bytes
    assert gained == pytest.approx((1_048_576 / 1_757_184) / (131_072 / 221_184), rel=1e-6)
    # Up to a ninth more at worse widths: raidz3 of 8 keeps 32 of 56 sectors at 128 KiB.
    eight = [Vdev((DISK,) * 8, 3)]
    most = space(eight, 12, 1_048_576).usable_bytes / space(eight, 12, 131_072).usable_bytes
    assert 1.05 < most < 1.12


@pytest.mark.parametrize(
    ("block", "width", "parity", "taken"),
    [
        (131_072, 6, 2, 196_608),
        (131_072, 5, 2, 221_184),
        (131_072, 4, 1, 180_224),
        (131_072, 8, 3, 56 * 4096),
        (8192, 6, 2, 24_576),
        (4096, 4, 1, 8192),
        (4096, 8, 3, 16_384),
    ],
)
def test_block_allocation(block: int, width: int, parity: int, taken: int) -> None:
    assert allocated_bytes(block, width, parity, 12) == taken


@pytest.mark.parametrize(
    ("width", "parity", "ratio"),
    [(4, 1, 32 / 44), (5, 2, 32 / 54), (6, 2, 32 / 48), (8, 3, 32 / 56)],
)
def test_efficiency_of_128_kib_records(width: int, parity: int, ratio: float) -> None:
    assert efficiency(131_072, width, parity, 12) == pytest.approx(ratio)


def test_8_kib_volumes_on_raidz2_take_three_times_their_size() -> None:
    # Common practice, no source: "may use three times their size".
    assert allocated_bytes(8192, 6, 2, 12) == 3 * 8192
