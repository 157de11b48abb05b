"""Draws docs/screenshots anew: one current picture of each main view, from the demo lab."""

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from selenium.webdriver.common.by import By

from tools.stage import SEE, Stage

TARGET = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
SHEETS = ("bench", "pools", "shares", "copies", "week", "proof", "log")


def main() -> None:
    """Takes all pictures."""
    TARGET.mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory() as folder:
        stage = Stage(Path(folder))
        if stage.missing:
            sys.exit(stage.missing)
        driver = stage.driver

        def shot(name: str) -> None:
            driver.save_screenshot(str(TARGET / f"{name}.png"))

        try:
            for sheet in SHEETS:
                stage.sheet(sheet)
                shot(sheet)
            for name, key in (("years", "y"), ("odds", "o"), ("find", "i"), ("shuffle", "s")):
                stage.sheet("pools")
                driver.find_element(By.TAG_NAME, "body").send_keys(key)
                stage.wait(lambda d: d.execute_script(SEE))
                shot(f"pools-{name}")
            for name, key in (("ways", "w"), ("addresses", "a")):
                stage.sheet("shares")
                driver.find_element(By.TAG_NAME, "body").send_keys(key)
                stage.wait(lambda d: d.execute_script(SEE))
                shot(f"shares-{name}")
            for sheet in ("pools", "proof"):
                stage.sheet(sheet)
                driver.execute_script("document.documentElement.dataset.drawing = 'night'")
                shot(f"{sheet}-night")
            stage.sheet("bench")
            driver.find_element(By.XPATH, '//button[contains(., "A pool lost")]').click()
            stage.wait(lambda d: d.find_elements(By.CSS_SELECTOR, '[role="dialog"] h2'))
            shot("working")
            stage.sheet("runbook")
            shot("runbook")
            stage.size(390, 844)
            stage.sheet("log")
            shot("log-390")
            stage.sheet("run-sheet")
            stage.wait(lambda d: d.find_elements(By.XPATH, '//button[. = "failed"]'))
            shot("run-sheet-390")
        finally:
            stage.close()


if __name__ == "__main__":
    main()
