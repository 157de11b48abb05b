"""Drills in the browser: one that fails, and one that is passed and logged, at the width of a phone."""

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page

pytestmark = [pytest.mark.browser, pytest.mark.xdist_group("browser")]


def test_a_drill_is_failed_gently_and_another_is_passed_on_a_phone(page: Page) -> None:
    page.sheet("log")
    page.reads("Due now")
    page.keys("i")
    page.press("a disk dies")
    page.reads("heron: scrub of ridge failed")
    page.see("Command", "input").send_keys("zpool status ridge\n")
    page.reads("ata-LR-4137")
    page.accessible()
    for disk in ("pull D2,", "pull D3,"):
        page.button(disk)
        page.reads("It was whole" if disk == "pull D2," else "the pool is gone")
    page.button("that is it")
    page.reads("not over: negative scans is not back")
    page.reads("could still have been saved better before “pull D3, bay 3.5-3, serial LR-4211”")
    page.press("leave")
    page.size(390, 844)
    page.press("after a power cut")
    page.reads("was away for an hour and is back")
    page.fits()
    for deed in ("install or start heron", "install or start wren", "passphrase of ridge"):
        page.button(deed)
        page.reads({"i": "runs."}.get(deed[0], "is open."))
    page.reads("Nothing is missing any more")
    page.button("that is it")
    page.reads("over after")
    # Every figure can be checked on an envelope.
    page.button("It took")
    page.reads("Working: time of the drill")
    page.reads("the sum of its steps")
    page.fits()
    page.keys(Keys.ESCAPE)
    page.press("write it into the log")
    page.press("it is in the log")
    page.fits()
    page.accessible()
    page.keys("e")
    page.reads("after a power cut: over after")
