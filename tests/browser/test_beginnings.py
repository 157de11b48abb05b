"""From nothing to a proof: by a sketch, by paste; the actions of a person are counted."""

from typing import Any

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from kavrel.sketches import SKETCHES
from tests.browser.conftest import Page
from tests.formats.looks.machines import nas, second_box

pytestmark = [pytest.mark.browser, pytest.mark.xdist_group("browser")]
FOUND = '//select/option[. = "as found on the machines"]'
PASTE = """
const field = document.activeElement;
const data = new DataTransfer();
data.setData('text/plain', arguments[0]);
field.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
"""


class Hand:
    """A person whose every click, choice, and line typed and entered counts."""

    def __init__(self, page: Page) -> None:
        self.page, self.actions = page, 0

    def press(self, part: str) -> None:
        self.page.button(part)
        self.actions += 1

    def key(self, key: str) -> None:
        self.page.keys(key)
        self.actions += 1

    def line(self, label: str, text: str) -> None:
        self.page.fill(label, text)
        self.actions += 1

    def paste(self, text: str) -> None:
        self.page.see("What the machine printed", "textarea")
        self.page.driver.execute_script(PASTE, text)
        self.actions += 1

    def new_plan(self, name: str) -> None:
        self.page.open("/plans")
        self.line("Name of the lab", name)
        self.page.press("start")
        self.actions += 1
        self.page.reads("An empty bench")


def serious_without_a_way(page: Page) -> list[tuple[str, str]]:
    plan = page.driver.current_url.split("/plan/")[1].split("/")[0]
    state = page.served.http.get(f"/api/plans/{plan}").json()
    cautions = state["evaluation"]["cautions"]
    return [(c["rule"], c["name"]) for c in cautions if c["severity"] == "serious" and not c["fix"]]


def test_each_sketch_is_taken_to_a_proof(page: Page) -> None:
    for sketch in SKETCHES.values():
        hand = Hand(page)
        hand.new_plan(f"from {sketch.id}")
        if sketch.id == "router_disk":
            page.see("Sketches", "section")
            page.accessible()
            page.fits()
        hand.press(sketch.says)
        page.see(f"Start from {sketch.title}", "h2")
        hand.press("start from it")
        page.closed()
        page.see("What is there", "h2")
        hand.key("6")
        page.see("What would be lost", "h2")
        assert serious_without_a_way(page) == []
        # A lab with a copy elsewhere, the data shared, and proven: far fewer than forty.
        assert hand.actions <= 6


def test_two_boxes_are_pasted_and_proven_in_twelve_actions(page: Page) -> None:
    """Four equal disks, three datasets, two people, hourly points, a nightly copy to a second box."""
    hand = Hand(page)
    hand.new_plan("pasted")
    hand.key("l")
    hand.paste(nas().decode())
    page.see("What it would add: nas", "h3")
    page.accessible()
    hand.press("take over all")
    page.closed()
    page.see("Host nas", "section")
    hand.key("l")
    hand.paste(second_box().decode())
    page.see("What it would add: cellar", "h3")
    hand.press("take over all")
    page.closed()
    hand.key("6")
    page.see("What would be lost", "h2")
    # The copy on the second box brings back what the first one loses.
    cell = page.wait(lambda d: d.find_element(By.CSS_SELECTOR, '[aria-label^="photos, box lost"]'))
    assert "comes back" in (cell.get_attribute("aria-label") or "")
    assert hand.actions <= 12
    # What is there is kept as a look, and nothing differs from the plan that came of it.
    page.keys("7")
    page.reads("Due now")
    page.keys("t")
    page.reads("Nothing was looked at yet")
    page.accessible()
    page.keys("u")
    page.keys("1")
    page.wait(lambda d: not d.find_elements(By.CSS_SELECTOR, '[aria-label="Host cellar"]'))


def test_a_line_makes_a_box_with_its_disks_and_says_so_before(page: Page) -> None:
    hand = Hand(page)
    hand.new_plan("by lines")
    field = page.wait(lambda d: d.find_element(By.CSS_SELECTOR, 'input[list="lines"]'))
    field.send_keys("cellar: 4 x 4TB heron 99 each")
    page.reads("a new box cellar with 4 bays")
    field.submit()
    page.see("Host cellar", "section")
    field = page.wait(lambda d: d.find_element(By.CSS_SELECTOR, 'input[list="lines"]'))
    field.send_keys("2 x wren")
    page.reads("write one, as 8TB or 500GB")
    assert field.get_attribute("value") == "2 x wren"


def planned(page: Page) -> dict[str, Any]:
    found: dict[str, Any] = page.served.http.get(f"/api/plans/{page.plan}").json()["plan"]
    return found


def test_disks_are_typed_and_pasted_into_a_table_and_one_undo_takes_them_back(page: Page) -> None:
    before = len(planned(page)["disks"])
    page.sheet("bench")
    page.keys("t")
    page.see("Disks as a table", "h2")
    page.accessible()
    page.see("Serial of D1", "input").send_keys(Keys.CONTROL, "a")
    page.see("Serial of D1", "input").send_keys("T-0001", Keys.ARROW_DOWN)
    page.see("Label of new row 1", "input").click()
    rows = "Label\tSerial\tCapacity\tHost\tBay\nT1\tT-100\t8 TB\tnowhere\t3.5-11\nT2\tT-101\t8 TB\t\t\n"
    page.driver.execute_script(PASTE, rows)
    page.button("save 9 cells")
    page.reads("one of: heron")
    assert len(planned(page)["disks"]) == before
    host = page.see("In host of new row 1", "input")
    host.send_keys(Keys.CONTROL, "a")
    host.send_keys("heron")
    page.button("save 9 cells")
    page.reads("saved")
    disks = {d["label"]: d for d in planned(page)["disks"]}
    assert len(disks) == before + 2
    assert disks["D1"]["serial"] == "T-0001"
    assert (disks["T1"]["bay"], disks["T1"]["shelf"]) == ("3.5-11", None)
    assert disks["T2"]["capacity_bytes"] == 8_001_563_222_016  # IDEMA LBA1-03, as for a typed 8 TB
    assert disks["T2"]["shelf"]
    # What was typed and not saved is asked for before it goes.
    page.see("Serial of T2", "input").send_keys("9")
    page.keys(Keys.ESCAPE)
    page.reads("Not saved yet.")
    page.press("throw them away")
    page.closed()
    page.keys("u")
    page.wait(lambda _: len(planned(page)["disks"]) == before)


def test_what_was_found_is_read_taken_over_and_seen_in_the_proof(page: Page) -> None:
    page.sheet("log")
    page.reads("Due now")
    page.keys("t")
    page.see("Found on heron", "section")
    page.accessible()
    page.fits()
    page.reads("zfs set quota=none ridge/home-folders")
    page.keys("o")
    page.reads("Silent for longer than their rhythm allows")
    page.accessible()
    page.fits()
    page.keys("w")
    page.reads("40 pending sectors")
    page.accessible()
    page.fits()
    page.button("reckon with it")
    page.wait(lambda d: not d.find_elements(By.XPATH, '//button[. = "reckon with it"]'))
    page.keys("u")
    page.sheet("proof")
    page.reads("as found on the machines")
    page.wait(lambda d: d.find_element(By.XPATH, FOUND).click() or True)
    page.reads("nobody saw: it counts as not there")
    page.accessible()
    page.size(390, 844)
    page.sheet("log")
    page.reads("Due now")
    page.keys("t")
    page.see("Found on heron", "section")
    page.fits()
    page.size(1280, 800)
