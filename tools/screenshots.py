"""Draws docs/screenshots anew: one current picture of each main view, from the demo lab."""

import sys
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from selenium.webdriver.common.by import By

from kavrel.demo.people import PEOPLE
from tools.stage import SEE, Stage

TARGET = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
VIEWS = (
    ("pools", "find", "i"),
    ("log", "drift", "t"),
)
FOUND = '//select/option[. = "as found on the machines"]'
SHEETS = ("bench", "pools", "shares", "copies", "week", "proof", "log")


def drill(stage: Stage) -> None:
    """Plays the first steps of a drill."""
    stage.sheet("log")
    stage.wait(lambda d: "Due now" in d.find_element(By.TAG_NAME, "main").text)
    stage.driver.find_element(By.TAG_NAME, "body").send_keys("i")
    stage.wait(lambda d: d.find_element(By.XPATH, '//button[. = "a disk dies"]')).click()
    line = stage.wait(lambda d: d.find_element(By.CSS_SELECTOR, "input[aria-label=Command]"))
    line.send_keys("zpool status ridge\n")
    stage.wait(lambda d: "FAULTED" in d.find_element(By.TAG_NAME, "main").text)


def telephone(stage: Stage, shot: Callable[[str], None]) -> None:
    """What is looked at on a telephone."""
    stage.size(390, 844)
    stage.sheet("log")
    shot("log-390")
    stage.sheet("run-sheet")
    stage.wait(lambda d: d.find_elements(By.XPATH, '//button[. = "failed"]'))
    shot("run-sheet-390")
    stage.sheet("proof")
    shot("proof-390")
    house(stage)
    shot("house")


def house(stage: Stage) -> None:
    """Makes the first planner on the page, who lets two others in."""
    stage.driver.get(f"{stage.served.url}/house")
    fill = "input[autocomplete={}]"
    for kind, text in (("username", PEOPLE[0][0]), ("new-password", PEOPLE[0][2])):
        stage.wait(lambda d, k=kind: d.find_element(By.CSS_SELECTOR, fill.format(k))).send_keys(
            text
        )
    stage.driver.find_element(By.XPATH, '//button[. = "make the first planner"]').click()
    stage.wait(lambda d: d.find_elements(By.XPATH, '//h2[. = "Who may come in"]'))
    http, (own, _, password) = stage.served.http, PEOPLE[0]
    http.post("/api/visitor/in", json={"name": own, "password": password})
    for name, role, words in PEOPLE[1:]:
        given = {"name": name, "role": role, "password": words, "own_password": password}
        http.post("/api/people", json=given).raise_for_status()
    stage.driver.refresh()
    stage.wait(lambda d: d.find_elements(By.XPATH, f'//b[. = "{PEOPLE[2][0]}"]'))


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
            for sheet, name, key in VIEWS:
                stage.sheet(sheet)
                driver.find_element(By.TAG_NAME, "body").send_keys(key)
                stage.wait(lambda d: d.execute_script(SEE))
                if name == "drift":
                    stage.wait(
                        lambda d: "found its timer" in d.find_element(By.TAG_NAME, "main").text
                    )
                shot(f"{sheet}-{name}")
            drill(stage)
            shot("log-drills")
            stage.sheet("proof")
            stage.wait(lambda d: d.find_element(By.XPATH, FOUND)).click()
            stage.wait(lambda d: "really exist" in d.find_element(By.TAG_NAME, "main").text)
            shot("proof-found")
            empty = {"name": "a new lab", "currency": "EUR", "zone": "Europe/Lisbon"}
            made = stage.served.http.post("/api/plans", json=empty).json()["meta"]["id"]
            demo, stage.plan = stage.plan, made
            stage.sheet("bench")
            stage.wait(lambda d: d.find_elements(By.CSS_SELECTOR, '[aria-label="Sketches"] li'))
            shot("bench-empty")
            stage.plan = demo
            stage.sheet("proof")
            driver.execute_script("document.documentElement.dataset.drawing = 'night'")
            shot("proof-night")
            stage.sheet("bench")
            driver.find_element(By.XPATH, '//button[contains(., "Pool lost")]').click()
            stage.wait(lambda d: d.find_elements(By.CSS_SELECTOR, '[role="dialog"] h2'))
            shot("working")
            stage.sheet("runbook")
            shot("runbook")
            telephone(stage, shot)
        finally:
            stage.close()


if __name__ == "__main__":
    main()
