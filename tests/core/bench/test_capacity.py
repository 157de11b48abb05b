import pytest
from hypothesis import given
from hypothesis import strategies as st

from kavrel.core.bench.bays import bays, misfit
from kavrel.core.bench.capacity import (
    CapacityError,
    labelled_bytes,
    labelled_sectors,
    parse_capacity,
)
from kavrel.core.plan import Host
from tests.builders import disk


@pytest.mark.parametrize(
    ("text", "gigabytes"),
    [
        ("12TB", 12_000),
        ("12 TB", 12_000),
        ("12tb", 12_000),
        ("0.5TB", 500),
        ("500 GB", 500),
        ("1.92 TB", 1920),
        ("  4TB ", 4000),
    ],
)
def test_reads_labels(text: str, gigabytes: int) -> None:
    assert parse_capacity(text) == labelled_bytes(gigabytes)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("12,5TB", "decimal point"),
        ("0", "from 1 GB"),
        ("-4TB", "such as"),
        ("999999999999999999", "from 1 GB"),
        ("NaN", "such as"),
        ("1e400", "such as"),
        ("four terabytes", "such as"),
        ("", "such as"),
        ("4TiB", "decimal units"),
        ("32GB", "start at 50 GB"),
        ("0.0001TB", "whole gigabytes"),
        ("500TB", "at most 100 TB"),
        ("\u0664TB", "such as"),
    ],
)
def test_says_what_would_be_right(text: str, says: str) -> None:
    with pytest.raises(CapacityError, match=says):
        parse_capacity(text)


def test_plain_number_is_exact_bytes() -> None:
    assert parse_capacity("4000787030016") == 4_000_787_030_016


@given(st.integers(50, 100_000))
def test_a_disk_is_never_smaller_than_its_label(gigabytes: int) -> None:
    exact = labelled_bytes(gigabytes)
    assert gigabytes * 10**9 <= exact < (gigabytes + 2) * 10**9
    assert exact % 512 == 0


@given(st.integers(50, 99_999))
def test_more_label_is_more_disk(gigabytes: int) -> None:
    # Where the newer standard takes over, from 8000 to 8001 GB, the two disagree by 76 464 sectors.
    more = gigabytes + 1 if gigabytes != 8000 else 8002
    assert labelled_sectors(gigabytes) <= labelled_sectors(more)


def test_bays_are_named_by_kind_in_order() -> None:
    host = Host(id="h", name="h", site="s", bays_35=2, bays_25=1, slots_nvme=1, ports_usb=1)
    assert bays(host) == ["3.5-1", "3.5-2", "2.5-1", "nvme-1", "usb-1"]


@pytest.mark.parametrize(
    ("form", "kind", "bay", "fits"),
    [
        ("3.5", "hdd", "3.5-1", True),
        ("2.5", "ssd", "3.5-1", True),
        ("3.5", "hdd", "2.5-1", False),
        ("m.2", "nvme", "nvme-1", True),
        ("m.2", "nvme", "3.5-1", False),
        ("2.5", "ssd", "nvme-1", False),
        ("3.5", "hdd", "usb-1", True),
        ("m.2", "nvme", "usb-1", False),
    ],
)
def test_which_disk_fits_which_bay(form: str, kind: str, bay: str, fits: bool) -> None:
    assert (misfit(disk(1, form=form, kind=kind), bay) is None) is fits
