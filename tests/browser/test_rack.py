"""At the rack: a tray label before the camera opens its disk; a drawing is kept as a file that stands alone."""

import shutil
import xml.etree.ElementTree as ET
from collections.abc import Iterator
from pathlib import Path

import pytest
import segno
from selenium import webdriver
from selenium.webdriver.chrome.service import Service

from tests.browser.conftest import FLAGS, RULES, Page
from tests.conftest import Served

pytestmark = [pytest.mark.browser, pytest.mark.xdist_group("browser")]


def film(path: Path, text: str) -> None:
    """A film of a label's code, as an uncompressed camera would give it (YUV4MPEG2)."""
    rows = [
        bytes(r) for r in segno.make(text, error="m", micro=False).matrix_iter(scale=6, border=4)
    ]
    wide = (len(rows[0]) + 1) // 2 * 2
    rows = [bytes(16 if p else 235 for p in r).ljust(wide, b"\xeb") for r in rows]
    if len(rows) % 2:
        rows.append(b"\xeb" * wide)
    gray = b"\x80" * (wide // 2 * (len(rows) // 2) * 2)
    frame = b"FRAME\n" + b"".join(rows) + gray
    path.write_bytes(f"YUV4MPEG2 W{wide} H{len(rows)} F5:1 Ip A1:1 C420\n".encode() + frame * 5)


@pytest.fixture
def camera(served: Served, tmp_path: Path) -> Iterator[Page]:
    if not shutil.which("chromium") or not shutil.which("chromedriver"):
        pytest.skip("chromium and chromedriver are not on this machine (make test installs them)")
    film(tmp_path / "label.y4m", f"{served.url}/plan/x/bench?disk=d4")
    options = webdriver.ChromeOptions()
    fake = (
        "--use-fake-device-for-media-stream",
        "--use-fake-ui-for-media-stream",
        f"--use-file-for-fake-video-capture={tmp_path / 'label.y4m'}",
    )
    for flag in (*FLAGS, RULES, *fake, f"--user-data-dir={tmp_path / 'chromium'}"):
        options.add_argument(flag)
    downloads = {"download.default_directory": str(tmp_path), "download.prompt_for_download": False}
    options.add_experimental_option("prefs", downloads)
    driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    driver.set_script_timeout(60)
    page = Page(driver, served)
    page.size(390, 844)
    yield page
    driver.quit()


def test_a_label_opens_its_disk_and_a_drawing_is_kept_as_a_file(
    camera: Page, tmp_path: Path
) -> None:
    camera.sheet("bench")
    camera.button("which disk")
    # The fourth disk of the demo lab, read from the film before the camera.
    camera.wait(lambda _: camera.field("Serial").get_attribute("value") == "LR-4248")
    camera.fits()
    camera.keys("\ue00c")
    camera.closed()
    camera.open(f"/plan/{camera.plan}/bench?disk=d1")
    camera.wait(lambda _: camera.field("Serial").get_attribute("value") == "LR-4137")
    camera.keys("\ue00c")
    camera.closed()
    camera.size(1280, 800)
    camera.sheet("copies")
    camera.wait(
        lambda d: d.execute_script("return document.querySelectorAll('main svg text').length > 3")
    )
    camera.keys("f")
    camera.reads("Drawings of this sheet as SVG")
    camera.wait(
        lambda d: d.execute_script(
            "const b = [...document.querySelectorAll('li')].find((l) =>"
            " l.textContent.startsWith('Drawings of this sheet'))?.querySelector('button');"
            " b?.click(); return !!b"
        )
    )
    camera.wait(lambda _: list(tmp_path.glob("*.svg")))
    (file,) = tmp_path.glob("*.svg")
    root = ET.fromstring(file.read_text(encoding="utf-8"))
    assert root.tag == "{http://www.w3.org/2000/svg}svg"
    assert root.get("viewBox")
    text = file.read_text(encoding="utf-8")
    assert "var(" not in text, "its colours stand in the file"
    assert "class=" not in text
    assert len(root.findall(".//{http://www.w3.org/2000/svg}text")) > 3
