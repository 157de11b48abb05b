"""Disk sizes against the two published standards.

Sources: IDEMA Document LBA1-03 (50 GB to 8 TB), SNIA SFF-8447 (above 8 TB). The sector counts are
those printed on data sheets of such disks, which follow the standards.
"""

import pytest

from kavrel.core.bench.capacity import labelled_sectors


@pytest.mark.parametrize(
    ("gigabytes", "sectors"),
    [
        (500, 976_773_168),
        (1000, 1_953_525_168),
        (2000, 3_907_029_168),
        (3000, 5_860_533_168),
        (4000, 7_814_037_168),
        (6000, 11_721_045_168),
        (8000, 15_628_053_168),
        (12_000, 23_437_770_752),
        (16_000, 31_251_759_104),
        (18_000, 35_156_656_128),
        (20_000, 39_063_650_304),
    ],
)
def test_sectors_of_a_labelled_disk(gigabytes: int, sectors: int) -> None:
    assert labelled_sectors(gigabytes) == sectors


@pytest.mark.parametrize(("gigabytes", "shown"), [(12_000, 10.9), (16_000, 14.6), (20_000, 18.2)])
def test_what_a_nas_then_shows(gigabytes: int, shown: float) -> None:
    # Common practice, no source: the figures people write to one another about.
    assert round(labelled_sectors(gigabytes) * 512 / 2**40, 1) == shown


def test_a_span_of_20_20_and_16_tb_shows_50_9() -> None:
    # Common practice, no source.
    total = sum(labelled_sectors(g) for g in (20_000, 20_000, 16_000)) * 512
    assert round(total / 2**40, 1) == 50.9
