"""Disks by one line: what is understood, where they go, and what is refused with words."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.bench.line import LineError, completions, read_line
from kavrel.core.edit import checked, fresh_id
from kavrel.core.plan import COLLECTIONS, Disk, Host, Offer, Plan, Site

HOME = Site(id="home", name="home")
NAS = Host(id="nas", name="nas", site="home", bays_35=4, slots_nvme=2, ports_usb=2)
LAB = Plan(name="x", sites=(HOME,), hosts=(NAS,))


def made(text: str, plan: Plan = LAB) -> Plan:
    for collection, item in read_line(text, plan, fresh_id).things:
        new = COLLECTIONS[collection].model_validate(item)
        plan = plan.model_copy(update={collection: (*getattr(plan, collection), new)})
    return checked(plan)


def test_six_disks_go_into_bays_and_the_rest_on_the_shelf() -> None:
    line = read_line("6 x 8TB heron 179 each", LAB, fresh_id)
    assert line.says == (
        "6 hard disks heron of 8.00 TB, 179 EUR each: 4 in nas, 2 on the shelf at home"
    )
    plan = made("6 x 8TB heron 179 each")
    assert [d.bay for d in plan.disks] == ["3.5-1", "3.5-2", "3.5-3", "3.5-4", None, None]
    assert {d.capacity_bytes for d in plan.disks} == {labelled_bytes(8000)}
    assert {d.price_minor for d in plan.disks} == {17_900}
    assert [d.label for d in plan.disks][:2] == ["heron 1", "heron 2"]


@pytest.mark.parametrize(
    "text",
    [
        "2x nvme 1TB wren",
        "2 x 1TB nvme wren",
        "nvme 2x 1 TB wren",
        "2x1TB wren nvme",
        "2 × 1TB NVMe wren new",
    ],
)
def test_words_in_any_order(text: str) -> None:
    disks = made(text).disks
    assert [(d.kind, d.form, d.bay) for d in disks] == [
        ("nvme", "m.2", "nvme-1"),
        ("nvme", "m.2", "nvme-2"),
    ]
    assert disks[0].label == "wren 1"


def test_parts_conditions_and_prices_of_their_own() -> None:
    plan = made("2x 4TB used heron 60, 1x ssd 960GB 49,50 each; 2.5 5TB smr")
    assert [(d.kind, d.condition, d.price_minor, d.form) for d in plan.disks] == [
        ("hdd", "used", 6000, "3.5"),
        ("hdd", "used", 6000, "3.5"),
        ("ssd", "new", 4950, "2.5"),
        ("hdd", "new", 0, "2.5"),
    ]
    assert plan.disks[3].recording == "smr"


def test_a_box_that_there_is_not_is_made_with_its_bays_from_nothing() -> None:
    plan = made("cellar: 4 x 4TB heron 99 each, 2x nvme 500GB", Plan(name="x"))
    (host,) = plan.hosts
    assert (host.name, host.bays_35, host.slots_nvme, host.kind) == ("cellar", 4, 2, "small_box")
    # Nobody said that its passwords were changed.
    assert not host.default_passwords_changed
    assert all(d.host == host.id for d in plan.disks)
    assert len(made("Cellar: 1x 4TB", plan).hosts) == 1


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("heron", "no size"),
        ("6 x 8TB 4TB", "two sizes"),
        ("2 x 4TB 30 40", "two prices"),
        ("2 x 4TiB", "decimal units"),
        ("1 x 10GB", "start at 50 GB"),
        ("400 x 4TB", "at most 100"),
        (",", "how many, and a size"),
        ("nas:", "how many, and a size"),
        ("90x 4TB, 20x 8TB", "at most 100"),
    ],
)
def test_what_is_wrong_is_said_with_what_would_be_right(text: str, words: str) -> None:
    with pytest.raises(LineError, match=words):
        read_line(text, LAB, fresh_id)


def test_a_usb_port_is_nobodys_first_choice() -> None:
    board = Host(id="b", name="board", site="home", ports_usb=2)
    plan = made("1x 4TB", Plan(name="x", sites=(HOME,), hosts=(board,)))
    assert plan.disks[0].shelf == "home"


def test_a_line_that_was_begun_goes_on_from_the_price_list() -> None:
    offer = Offer(id="o", label="heron 8", capacity_bytes=labelled_bytes(8000), price_minor=17_900)
    plan = LAB.model_copy(update={"offers": (offer,)})
    assert "6 x 8TB heron 8 179 each" in completions("6 x 8", plan)
    assert "nas: 2x" in completions("2x", plan) or completions("2x", plan)


@given(st.text(max_size=60))
def test_no_text_breaks_it(text: str) -> None:
    try:
        line = read_line(text, LAB, fresh_id)
    except LineError:
        return
    assert all(
        isinstance(COLLECTIONS[c].model_validate(i), Disk | Host | Site) for c, i in line.things
    )
