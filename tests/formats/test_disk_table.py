"""Tables of disks read in: what a spreadsheet gives, our own drive list, and rows that are wrong."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kavrel.core.plan import Plan
from kavrel.formats.disk_table import is_table, take_table
from kavrel.formats.disks_csv import disks_csv
from tests.builders import lab


def test_our_own_drive_list_comes_back_as_it_is(demo: Plan) -> None:
    text = disks_csv(demo)
    assert is_table(text)
    offer = take_table(text, demo)
    assert offer.not_taken == ()
    assert {t.what for t in offer.things} == {"same"}
    assert len(offer.things) == len(demo.disks)


@pytest.mark.parametrize("parted", ["\t", ";", ","])
def test_what_a_spreadsheet_puts_on_the_clipboard(parted: str) -> None:
    rows = [
        ["Disk", "Serial", "Size", "Price", "Type", "Site"],
        ["K1", "X-1", "8TB", "179.50", "hdd", "home"],
        ["K2", "X-2", "500 GB", "49", "ssd", ""],
    ]
    offer = take_table("\n".join(parted.join(r) for r in rows), lab())
    new = {t.item["label"]: t.item for t in offer.things}
    assert (new["K1"]["capacity_bytes"], new["K1"]["price_minor"]) == (8_001_563_222_016, 17_950)
    assert new["K1"]["shelf"] == "home"
    assert (new["K2"]["kind"], new["K2"]["capacity_bytes"]) == ("ssd", 500_107_862_016)


def test_a_row_that_is_wrong_says_which_and_why() -> None:
    text = (
        "label,serial,capacity,host,price\n"
        "A,S1,huge,,\nB,S2,,,\nC,S3,4TB,nowhere,\nD,S4,4TB,,much\nE,S5,4TB,,\nF,S5,4TB,,\n"
    )
    offer = take_table(text, lab())
    said = " | ".join(offer.not_taken)
    for words in (
        "row 2: capacity",
        "row 3: capacity: there is none",
        "row 4: host",
        "row 5: price",
    ):
        assert words in said
    # A serial that stands twice is one disk, told of twice.
    assert [t.item["label"] for t in offer.things] == ["E", "F"]
    assert len({t.item["id"] for t in offer.things}) == 1


@pytest.mark.parametrize(
    "text", ["", "hello", "a,b\n1,2", "label,colour\nx,red", '{"blockdevices": []}']
)
def test_what_is_no_table_is_not_taken_for_one(text: str) -> None:
    assert not is_table(text)


@given(st.text(max_size=80))
def test_no_cells_break_it(cells: str) -> None:
    take_table(f"label,serial,capacity,price,host,bay\n{cells}", lab())
