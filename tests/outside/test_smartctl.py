"""The stand-in's smartctl against the tool itself, which reads a disk's answers from its own record of them.

Source: smartmontools 7.3 of Debian 12.
"""

import json
import re
import subprocess
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest

from kavrel.core.plan import Disk
from kavrel.formats.looks.read import read_look
from kavrel.rig.smart.disk import SelfTest, Smart
from kavrel.rig.smart.document import document
from kavrel.rig.smart.text import BANNER, started, text
from tests.builders import GB, TB
from tests.outside.debian import HOME, NotHere, fetched
from tests.outside.smart_disk import record

pytestmark = pytest.mark.prove
AT = 1_790_000_000.0
LONG, SHORT = SelfTest("long", 4000), SelfTest("short", 4100)
BAD = SelfTest("long", 4200, failed=True)


@pytest.fixture(scope="module")
def smartctl() -> Path:
    """It itself, unpacked and not installed: other tests look at a machine without it."""
    home = HOME / "smartmontools"
    try:
        if not home.exists():
            HOME.mkdir(parents=True, exist_ok=True)
            fetched(home, ("smartmontools",))
    except (NotHere, OSError) as error:
        pytest.skip(f"no smartmontools: {error}")
    return home / "unpacked" / "usr" / "sbin" / "smartctl"


def disk(**more: Any) -> Disk:
    base = {"id": "one", "label": "one", "serial": "SN-1", "capacity_bytes": 4 * TB}
    return Disk.model_validate(base | more)


def smart(of: Disk, *tests: SelfTest, **readings: int) -> Smart:
    return Smart(of, "-", AT, {"hours": 4300, "temperature": 36} | readings, tests)


DISKS = {
    "well": smart(disk()),
    "of flash": smart(
        disk(kind="ssd", form="2.5", capacity_bytes=480 * GB, sector="512n"), written=77, hours=12
    ),
    "on a card": smart(disk(kind="ssd", form="m.2", capacity_bytes=1000204886016)),
    "native": smart(disk(sector="4kn", capacity_bytes=18 * TB), SHORT),
    "worn": smart(disk(), LONG, SHORT, reallocated=1912, crc=40),
    "dies": smart(disk(), LONG, BAD, reallocated=3960, pending=96),
    "was mended": smart(disk(), BAD, SHORT, SelfTest("long", 4290)),
    "failed twice": smart(disk(), BAD, SelfTest("long", 4250, True), SelfTest("short", 4299)),
    "often tested": smart(disk(), *(SelfTest("short", n, n == 5) for n in range(60, 0, -1))),
}


def asks(tool: Path, of: Smart, *words: str, starts: str = "") -> tuple[str, int]:
    done = subprocess.run(
        [str(tool), *words, "-"], input=record(of, starts=starts), capture_output=True, text=True, check=False,
        env={"LC_ALL": "C", "TZ": "UTC"},
    )  # fmt: skip
    said = re.sub(r"\nREPLAY-IOCTL: .*\n", "\n", done.stdout)
    said = re.sub(r"(?m)^REPLAY-IOCTL: .*\n", "", said)
    return said, done.returncode


def alike(said: str) -> str:
    """Without the build, the clock, and blanks at the end, where the record's own words stood."""
    said = re.sub(r"(?m)^Copyright .*\n", "", said)
    said = re.sub(r"x86_64-linux-[\w.-]+", "KERNEL", said)
    return re.sub(r"\w{3} \w{3} [ \d]\d \d\d:\d\d:\d\d \d{4} UTC", "MOMENT", said).rstrip()


@pytest.mark.parametrize("name", DISKS)
def test_text_and_code_are_those_of_the_tool(smartctl: Path, name: str) -> None:
    of = DISKS[name]
    theirs, code = asks(smartctl, of, "-a")
    assert alike(text(of)) == alike(theirs)
    assert of.code == code


@pytest.mark.parametrize("name", DISKS)
def test_each_value_of_the_document_is_the_tool_s(smartctl: Path, name: str) -> None:
    of = DISKS[name]
    theirs, _ = asks(smartctl, of, "-j", "-a")
    told, ours = json.loads(theirs), document(of, ["-j", "-a", "-"])
    for one in (told, ours):
        one["device"] |= {"type": "", "info_name": ""}  # a record is no disk behind SATA
        one["smartctl"]["platform_info"] = one["local_time"] = ""
    assert ours == told
    assert list(ours) == list(told), "in its order"


@pytest.mark.parametrize("kind", ["short", "long"])
def test_a_test_is_started_in_its_words(smartctl: Path, kind: str) -> None:
    of = DISKS["well"]
    theirs, code = asks(smartctl, of, "-t", kind, starts=kind)
    assert (alike(started(of, kind)), code) == (alike(theirs), 0)
    assert asks(smartctl, of, "-q", "errorsonly", "-t", kind, starts=kind)[0].strip() == ""


def test_each_name_that_no_record_can_hold_is_a_word_of_the_tool(smartctl: Path) -> None:
    """NVMe's and flash's own counts come by other ways than a record has."""
    nvme = Smart(disk(kind="nvme", form="m.2"), "/dev/nvme0", AT, {})
    worn = document(DISKS["of flash"], [], wear=True)["ata_device_statistics"]
    words = smartctl.read_bytes()

    def names(told: Any) -> set[str]:
        if isinstance(told, dict):
            return set(told).union(*map(names, told.values()))
        return set[str]().union(*map(names, told)) if isinstance(told, list) else set()

    wanted = (
        names(document(nvme, [])) | names(worn) | {r["name"] for r in worn["pages"][0]["table"]}
    )
    wanted -= {"flags", "id"}  # of other places, too
    assert sorted(n for n in wanted if n.encode() + b"\0" not in words) == []
    lines = (x.partition(":")[0] for x in text(nvme).removeprefix(BANNER).splitlines() if ":" in x)
    # A namespace's number is written into its name.
    asked = {re.sub(r"\d", "%u", x) for x in lines}
    assert sorted(x for x in asked if f"{x}:".encode() not in words) == []


@pytest.mark.parametrize("name", DISKS)
@pytest.mark.parametrize(
    "words", [("-j", "-a"), ("-a",), ("-i", "-H", "-A", "-f", "brief", "-l", "selftest")]
)
def test_what_the_tool_says_is_read_as_it_is(
    smartctl: Path, name: str, words: Sequence[str]
) -> None:
    of = DISKS[name]
    (seen,) = read_look(asks(smartctl, of, *words)[0].encode(), AT).machine.disks
    meant: dict[str, Any] = {
        k: of.reading(k) for k in ("hours", "reallocated", "pending", "uncorrectable", "crc")
    }
    meant |= {"failed_tests": of.failed_tests[1], "healthy": of.passes, "serial": "SN-1"}
    meant |= {"capacity_bytes": of.disk.capacity_bytes, "sector": of.disk.sector}
    meant["kind"] = "ssd" if of.flash else "hdd"
    assert {k: getattr(seen, k) for k in meant} == meant
