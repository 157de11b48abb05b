"""A demo server and a headless Chromium, for measuring and for the screenshots."""

import shutil
import statistics
from pathlib import Path
from typing import Any

from selenium import webdriver
from selenium.webdriver import ActionChains
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

from tests.browser.conftest import FLAGS, RULES
from tests.conftest import Served

PAINTED = "performance.getEntriesByName('first-contentful-paint')"
SEE = "return !!document.querySelector('main h2, main h1') && !document.querySelector('[data-waiting]')"
# An edit as the page sends it, timed until the strip shows the new figure. The button that keeps
# the pin is used to find React's own path: a disk's price is put through the open form.
EDIT = """
const done = arguments[arguments.length - 1];
const strip = document.querySelector('section[aria-label="Consequences"]');
const field = [...document.querySelectorAll('label')].find((l) => l.textContent === 'Price');
const input = document.getElementById(field.htmlFor);
const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
const before = strip.textContent;
const seen = new MutationObserver(() => {
  if (strip.textContent === before) return;
  seen.disconnect();
  requestAnimationFrame(() => done(performance.now() - begin));
});
seen.observe(strip, { subtree: true, childList: true, characterData: true });
input.focus();
set.call(input, arguments[0]);
input.dispatchEvent(new Event('input', { bubbles: true }));
const begin = performance.now();
setTimeout(() => input.blur(), 0);
"""

# A grant in the matrix, from the choice in the open menu until the cell says the new right.
GRANT = """
const done = arguments[arguments.length - 1];
const cell = document.querySelector('[data-cell="0,0"]');
const item = [...document.querySelectorAll('[role="menuitem"]')].find((i) =>
  i.textContent.startsWith(arguments[0]));
const before = cell.getAttribute('aria-label');
const changed = new MutationObserver(() => {
  if (cell.getAttribute('aria-label') === before) return;
  changed.disconnect();
  requestAnimationFrame(() => done(performance.now() - begin));
});
changed.observe(cell, { attributes: true });
const begin = performance.now();
item.click();
"""


class Stage:
    """The demo lab in a browser window."""

    def __init__(self, folder: Path) -> None:
        self.missing = ""
        if not shutil.which("chromium") or not shutil.which("chromedriver"):
            self.missing = "chromium and chromedriver are not on this machine"
            return
        self.served = Served("demo", folder / "demo.db")
        options = webdriver.ChromeOptions()
        for flag in (*FLAGS, RULES, f"--user-data-dir={folder / 'chromium'}"):
            options.add_argument(flag)
        service = Service(shutil.which("chromedriver"))
        self.driver = webdriver.Chrome(options=options, service=service)
        self.driver.set_script_timeout(60)
        self.size(1280, 800)
        self.plan = self.served.plans()[-1]["id"]

    def size(self, width: int, height: int) -> None:
        """Sets the viewport."""
        metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 600}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)

    def wait(self, look: Any) -> Any:
        """Polls until something is so."""
        return WebDriverWait(self.driver, 30, 0.05).until(look)

    def sheet(self, name: str) -> None:
        """Opens a sheet and waits until it is drawn."""
        self.driver.get(f"{self.served.url}/plan/{self.plan}/{name}")
        self.wait(lambda d: d.execute_script(SEE))
        self.driver.execute_async_script("document.fonts.ready.then(arguments[0])")

    def time_first_sheet(self) -> float:
        """Median milliseconds from navigation to the first drawn sheet."""
        times = []
        for _ in range(5):
            self.sheet("bench")
            self.wait(lambda d: d.execute_script(f"return {PAINTED}.length"))
            script = f"return {PAINTED}[0].startTime"
            times.append(float(self.driver.execute_script(script)))
        return statistics.median(times)

    def time_edits(self, disk: str = "D1", count: int = 21, rise: int = 10) -> list[float]:
        """Milliseconds from leaving a changed field to the strip's new figure, the quickest first.

        `rise`: by how much the price of a disk goes up each time, so much that the strip says it.
        """
        self.sheet("bench")
        find = (
            f"[...document.querySelectorAll('td button')].find((b) => b.textContent === '{disk}')"
        )
        self.wait(lambda d: d.execute_script(f"return !!{find}"))
        self.driver.execute_script(f"{find}.click()")
        self.wait(
            lambda d: d.execute_script("return !!document.querySelector('#field-price_minor')")
        )
        # A price that is as usual is folded away, and what is folded cannot be left.
        self.driver.execute_script(
            "document.querySelectorAll('details').forEach((d) => { d.open = true })"
        )
        prices = (str((20 + n) * rise) for n in range(count))
        return sorted(float(self.driver.execute_async_script(EDIT, price)) for price in prices)

    def take(self, plan: bytes) -> None:
        """Goes on with another plan."""
        answer = self.served.http.post(
            "/api/plans/import", content=plan, headers={"content-type": "application/json"}
        )
        self.plan = answer.json()["meta"]["id"]

    def time_grant(self, plan: bytes) -> float:
        """Median milliseconds from a grant chosen in a big matrix to the redrawn cell."""
        self.take(plan)
        self.sheet("shares")
        self.wait(lambda d: d.execute_script("return !!document.querySelector('[data-cell]')"))
        times = []
        for right in ("none", "read", "none", "read", "none", "read"):
            cell = self.driver.find_element(By.CSS_SELECTOR, '[data-cell="0,0"]')
            cell.send_keys(Keys.ENTER)
            self.wait(lambda d: d.find_elements(By.CSS_SELECTOR, '[role="menuitem"]'))
            if right == "read":
                ActionChains(self.driver).send_keys(Keys.ARROW_DOWN).perform()
            self.wait(lambda d: d.find_elements(By.XPATH, '//*[contains(., "It would change")]'))
            times.append(float(self.driver.execute_async_script(GRANT, right)))
            self.wait(lambda d: not d.find_elements(By.CSS_SELECTOR, '[role="menuitem"]'))
        return statistics.median(times[1:])

    def close(self) -> None:
        """Ends browser and server."""
        self.driver.quit()
        self.served.stop()
