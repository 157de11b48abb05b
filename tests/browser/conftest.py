"""A real Chromium on a real server; waits poll, nothing sleeps."""

import shutil
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any

import pytest
from selenium import webdriver
from selenium.common.exceptions import (
    ElementClickInterceptedException,
    NoSuchElementException,
    StaleElementReferenceException,
    WebDriverException,
)
from selenium.webdriver import ActionChains
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

from tests.conftest import Served

FLAGS = [
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-dev-shm-usage",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-default-apps",
    "--force-device-scale-factor=1",
    "--hide-scrollbars",
    "--lang=en-US",
]
RULES = "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1, EXCLUDE localhost"
AXE = Path(__file__).resolve().parents[2] / "web/node_modules/axe-core/axe.min.js"
# What is visible of the page holds the words, whatever stands between them.
SAYS = r"""
const one = (text) => text.replace(/\s+/g, ' ').trim();
return one(document.body?.innerText ?? '').includes(one(arguments[0]));
"""
# The first visible element of a tag with this label or text: in one go, where the driver would take one for
# each that it finds.
FINDS = r"""
const [name, tag] = arguments;
const one = (text) => (text ?? '').replace(/[ \t\r\n]+/g, ' ').trim();
const long = 4 * name.length + 2000;
for (const e of document.querySelectorAll(tag)) {
  const text = e.textContent;
  const fits = e.getAttribute('aria-label') === name || (text.length < long && one(text) === name);
  if (fits && e.checkVisibility({ visibilityProperty: true }) && e.getClientRects().length) return e;
}
return null;
"""
WCAG = ("wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa")
# What axe finds wrong, with nothing told of what is right.
AXES = """
const [tags, done] = arguments;
axe.run(document, { runOnly: tags, resultTypes: ['violations'] }).then(done);
"""


class Page:
    """The application as a person uses it: by names and keys."""

    def __init__(self, driver: webdriver.Chrome, served: Served) -> None:
        self.driver = driver
        self.served = served
        self.plan = next(p["id"] for p in served.plans() if p["name"] == "Lantern Row")

    def size(self, width: int, height: int) -> None:
        self.driver.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride",
            {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 600},
        )

    def open(self, path: str) -> None:
        self.driver.get(self.served.url + path)

    def sheet(self, name: str) -> None:
        self.open(f"/plan/{self.plan}/{name}")
        self.see("Consequences", "section")

    def wait(self, look: Callable[[Any], Any]) -> Any:
        ignored = (
            NoSuchElementException,
            StaleElementReferenceException,
            ElementClickInterceptedException,
        )

        def looked(driver: Any) -> Any:
            try:
                return look(driver)
            except WebDriverException as error:
                if "aborted by navigation" not in str(error.msg):  # the page went under the look
                    raise
                return None

        return WebDriverWait(self.driver, 90, 0.05, ignored_exceptions=ignored).until(looked)

    def see(self, name: str, tag: str = "*") -> WebElement:
        """The visible element with this label or text."""
        found: WebElement = self.wait(lambda d: d.execute_script(FINDS, name, tag))
        return found

    def says(self, text: str) -> bool:
        """Whether the page says something now: asked of the page itself, a hundred times as quick
        as to fetch all that is visible on it by the driver."""
        return bool(self.driver.execute_script(SAYS, text))

    def reads(self, text: str) -> None:
        """Waits until the page says something."""
        self.wait(lambda _: self.says(text))

    def reads_no_more(self, text: str) -> None:
        """Waits until the page says it nowhere."""
        self.wait(lambda _: not self.says(text))

    def press(self, name: str, tag: str = "button") -> None:
        def look(_: webdriver.Chrome) -> bool:
            self.see(name, tag).click()
            return True

        self.wait(look)

    def button(self, part: str) -> None:
        """Presses the button whose text contains something."""

        def look(driver: webdriver.Chrome) -> bool:
            for found in driver.find_elements(By.XPATH, f'//button[contains(., "{part}")]'):
                if found.is_displayed() and found.is_enabled():
                    found.click()
                    return True
            return False

        self.wait(look)

    def keys(self, *keys: str) -> None:
        ActionChains(self.driver).send_keys(*keys).perform()

    def field(self, label: str) -> WebElement:
        """The form field with this label."""
        path = f'//label[normalize-space()="{label}"]'

        def look(driver: webdriver.Chrome) -> WebElement:
            label = driver.find_element(By.XPATH, path)
            driver.execute_script(
                "const d = arguments[0].closest('details'); if (d) d.open = true;", label
            )
            return driver.find_element(By.ID, label.get_attribute("for") or "")

        found: WebElement = self.wait(look)
        return found

    def fill(self, label: str, text: str) -> None:
        from selenium.webdriver.common.keys import Keys

        field = self.field(label)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(Keys.DELETE)
        field.send_keys(text)

    def choose(self, label: str, option: str) -> None:
        from selenium.webdriver.support.ui import Select

        Select(self.field(label)).select_by_visible_text(option)

    def tick(self, label: str) -> None:
        """Ticks a box that stands inside its label."""
        self.wait(
            lambda d: (
                d.find_element(
                    By.XPATH, f'//label[contains(normalize-space(), "{label}")]/input'
                ).click(),
                True,
            )[1]
        )

    def figure(self, label: str) -> str:
        """Text of a cell of the strip."""
        path = f'//section[@aria-label="Consequences"]//button[starts-with(normalize-space(), "{label}")]'
        found: str = self.wait(lambda d: d.find_element(By.XPATH, path)).text
        return found

    def closed(self) -> None:
        """Waits until no slip lies open."""
        self.wait(lambda d: not d.find_elements(By.CSS_SELECTOR, '[role="dialog"]'))

    def accessible(self, rules: Sequence[str] = WCAG) -> None:
        """WCAG 2.2 AA as far as axe sees it, or some of its rules."""
        if not self.driver.execute_script("return 'axe' in window"):
            self.driver.execute_script(AXE.read_text(encoding="utf-8"))
        found = self.driver.execute_async_script(AXES, list(rules))
        told = [
            f"{v['id']}: {v['nodes'][0]['html'][:160]} {v['nodes'][0]['any'][:1]}"
            for v in found["violations"]
        ]
        assert told == []

    def stands_still(self) -> None:
        """The frame fills the window: what is long scrolls inside of it, and the frame never does."""
        beyond = self.driver.execute_script(
            "return document.documentElement.scrollHeight - window.innerHeight"
        )
        assert beyond <= 0, f"{self.driver.current_url} is {beyond} px too high"

    def fits(self) -> None:
        """Nothing sticks out of the page sideways."""
        wide = self.driver.execute_script(
            "return document.documentElement.scrollWidth - window.innerWidth"
        )
        assert wide <= 0


@pytest.fixture(scope="session")
def chromium(tmp_path_factory: pytest.TempPathFactory) -> Iterator[webdriver.Chrome]:
    if not shutil.which("chromium") or not shutil.which("chromedriver"):
        pytest.skip("chromium and chromedriver are not on this machine (make test installs them)")
    options = webdriver.ChromeOptions()
    for flag in (*FLAGS, RULES, f"--user-data-dir={tmp_path_factory.mktemp('chromium')}"):
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    driver.set_script_timeout(60)
    yield driver
    driver.quit()


@pytest.fixture
def page(chromium: webdriver.Chrome, served: Served) -> Iterator[Page]:
    found = Page(chromium, served)
    found.size(1280, 800)
    chromium.get_log("browser")
    yield found
    bad = [x["message"] for x in chromium.get_log("browser") if x["level"] == "SEVERE"]
    # A refused change is an answer, not a fault; the browser logs its status all the same.
    assert [b for b in bad if "status of 4" not in b] == []
