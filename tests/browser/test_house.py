"""People in the browser: the first one, signing in, the rack without a network, signing out."""

from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.common.exceptions import WebDriverException
from selenium.webdriver.common.by import By
from selenium.webdriver.common.virtual_authenticator import VirtualAuthenticatorOptions

from tests.browser.conftest import Page
from tests.conftest import Served

pytestmark = [pytest.mark.browser, pytest.mark.xdist_group("browser")]
WORDS = {
    "Inês": "lantern over seven bricks",
    "Rui": "copper kettle wakes early",
    "Tenor": "paper boats on the canal",
}


class House(Page):
    """The demo lab with three people."""

    def __init__(self, driver: webdriver.Chrome, folder: Path) -> None:
        self.driver, self.path = driver, folder / "house.db"
        self.served = Served("demo", self.path, more=("--people",))
        self.port = self.served.port
        self.size(390, 844)

    def gone(self) -> None:
        """No network: the server does not answer."""
        self.served.stop()

    def back(self) -> None:
        self.served = Served("demo", self.path, port=self.port)

    def enter(self, name: str) -> None:
        self.fill("Name", name)
        self.fill("Password", WORDS[name])
        self.press("sign in")


@pytest.fixture
def house(chromium: webdriver.Chrome, tmp_path: Path) -> Iterator[House]:
    found = House(chromium, tmp_path)
    yield found
    found.gone()
    chromium.get("about:blank")


def test_hands_write_the_log_at_the_rack_without_a_network_and_it_is_sent_later(
    house: House,
) -> None:
    house.open("/")
    house.accessible()
    house.fill("Name", "Rui")
    house.fill("Password", "not the right words")
    house.press("sign in")
    house.reads("The name or the password is not right.")
    house.enter("Rui")
    house.wait(lambda d: "/plan/" in d.current_url)
    base = house.driver.current_url.rsplit("/", 1)[0].removeprefix(house.served.url)
    house.open(f"{base}/log")
    house.reads("Due now")
    house.wait(lambda d: d.execute_script("return !!navigator.serviceWorker.controller"))
    house.driver.refresh()  # what the worker keeps passes through it
    house.reads("Due now")
    house.wait(
        lambda d: d.execute_async_script(
            "caches.match(arguments[0]).then((r) => arguments[1](!!r))",
            f"/api{base.replace('/plan/', '/plans/')}",
        )
    )
    house.keys("i")
    house.reads("0 of 19 are on this device")
    house.press("take the drills along")
    house.reads("19 of 19 are on this device")
    house.fits()
    house.keys("e")
    house.gone()
    house.driver.refresh()
    house.reads("kept on this device")
    house.reads("Due now")
    house.keys("i")
    house.reads("19 of 19 drills are on this device")
    house.accessible()
    house.fits()
    house.see("a disk dies, for two", "a").click()
    house.reads("For the one who reads: what is so")
    house.reads("serial LR-4137")
    house.driver.back()
    house.reads("Due now")
    # Alone: what only looks is answered as it was, the rest is kept and judged later.
    house.keys("i")
    house.press("a disk dies, alone")
    house.reads("scrub of ridge failed")
    house.see("Command", "input").send_keys("zpool  status ridge\n")
    house.reads("FAULTED")
    house.press("buy a disk for ridge and fit it")
    house.see("Command", "input").send_keys("zpool replace ridge LR-4137 NEW-0001\n")
    house.reads("what it prints is seen when Kavrel answers")
    house.reads("3 steps are kept on this device")
    house.accessible()
    house.fits()
    house.press("leave")
    house.reads("“a disk dies” was played on this device, 3 steps")
    house.keys("e")
    house.reads("Due now")
    house.keys("n")
    house.field("Note, evidence").send_keys("by hand at the rack")
    house.choose("To what", "disk D1")
    house.press("add")
    house.reads("One change waits here")
    house.driver.refresh()
    house.reads("by hand at the rack")
    house.reads("One change waits here")
    house.fits()
    house.open(base.replace("/log", "") + "/restore-sheet")
    house.reads("If something has happened")
    house.back()
    house.open(f"{base}/log")
    house.reads_no_more("waits here")
    house.reads("by hand at the rack")
    house.keys("i")
    house.press("see how it was")
    house.reads("over after")
    house.reads("no more could be had")
    house.press("write it into the log")
    house.reads("it is in the log")
    house.press("leave")
    house.reads_no_more("waits to be judged")
    house.keys("v")
    house.reads("by Rui")
    house.keys("\ue00c")
    house.closed()
    # Signed out, nothing of the lab is left on the device.
    house.open("/house")
    house.fits()
    house.accessible()
    house.press("sign out")
    house.see("sign in", "button")
    house.gone()
    with suppress(WebDriverException):  # nothing may be left that would answer
        house.open(f"{base}/log")
    house.wait(lambda d: d.execute_script("return document.readyState === 'complete'"))
    assert not house.says("by hand at the rack")
    house.back()


def test_the_first_planner_is_made_on_the_page_and_lets_another_in(
    chromium: webdriver.Chrome, tmp_path: Path
) -> None:
    served = Served("demo", tmp_path / "first.db")
    page = Page(chromium, served)
    try:
        page.size(1280, 800)
        page.open("/house")
        page.reads("Nobody has to sign in here yet")
        page.fill("Name", "Inês")
        page.fill("Password", "password1234")
        page.press("make the first planner")
        page.reads("too easily guessed")
        page.fill("Password", WORDS["Inês"])
        page.press("make the first planner")
        page.reads("planner: you may change everything")
        page.fill("Your own password", WORDS["Inês"])
        page.fill("Name of whoever comes", "Rui")
        page.fill("Their first password", WORDS["Rui"])
        page.press("let in")
        page.reads("let Rui in as reader")
        page.accessible()
        page.press("sign out")
        page.fill("Name", "Rui")
        page.fill("Password", WORDS["Rui"])
        page.press("sign in")
        page.reads("Somebody else chose your password")
        page.accessible()
        page.fill("As it is", WORDS["Rui"])
        page.fill("As it shall be", WORDS["Rui"])
        page.press("change")
        page.reads("somebody else knows it")
        page.fill("As it shall be", "seven lamps in a row")
        page.press("change")
        page.wait(lambda d: "/plan/" in d.current_url)
        page.reads("reader")
    finally:
        served.stop()
        chromium.get("about:blank")


def test_a_passkey_comes_in_alone_and_a_reader_is_offered_nothing_to_change(
    house: House,
) -> None:
    """Chromium's own virtual authenticator, as WebDriver's WebAuthn extension gives it."""
    options = VirtualAuthenticatorOptions()
    options.has_resident_key = options.has_user_verification = options.is_user_verified = True
    house.driver.add_virtual_authenticator(options)
    # Passkeys are bound to a name: at the bare address none are offered.
    house.size(1280, 800)
    house.open("/house")
    assert not house.driver.find_elements(By.XPATH, '//button[contains(., "passkey")]')
    house.served.url = f"http://localhost:{house.port}"
    house.open("/house")
    house.enter("Tenor")
    house.reads("reader: you read papers and proof")
    form = '//form[@aria-label="Passkeys"]'
    house.wait(lambda d: d.find_element(By.XPATH, f"{form}//input[@type='password']")).send_keys(
        WORDS["Tenor"]
    )
    house.press("make a passkey")
    house.reads("at localhost, never used")
    house.accessible()
    house.press("sign out")
    house.press("come in by a passkey")
    house.wait(lambda d: "/plan/" in d.current_url)
    base = house.driver.current_url.rsplit("/", 1)[0].removeprefix(house.served.url)
    for sheet in ("bench", "pools", "shares", "copies", "week", "proof", "log"):
        house.open(f"{base}/{sheet}")
        house.see("Consequences", "section")
        house.wait(lambda d: not d.find_elements(By.CSS_SELECTOR, "[data-waiting]"))
        offered = house.driver.execute_script(
            "return [...document.querySelectorAll('[data-for]')].filter((e) => e.offsetParent).length"
        )
        assert offered == 0, sheet
    # Another finger: the browser says so, and the page stays where it is.
    house.open("/house")
    house.press("sign out")
    house.driver.set_user_verified(False)
    house.press("come in by a passkey")
    house.wait(lambda d: d.find_elements(By.CSS_SELECTOR, '[role="alert"]'))
    house.see("sign in", "button")
    house.driver.remove_virtual_authenticator()
