"""What docs/security.md says it holds: every line of the standard once, and every test that it names."""

import re
from collections import Counter
from pathlib import Path

import pytest

HOME = Path(__file__).parent.parent
TEXT = (HOME / "docs" / "security.md").read_text(encoding="utf-8")
SHORT = {f"{n}::": f"tests/api/test_{n}.py::" for n in ("door", "lan", "told")}
ROW = re.compile(
    r"^\| (\d+\.\d+\.\d+) \| ([12]) \| (.+?) \| (.+?) \| (.*?) \| (.*?) \|$", re.MULTILINE
)
STATES = {"held", "in part", "not held", "n/a"}


def rows() -> list[tuple[str, ...]]:
    return ROW.findall(TEXT)


def test_every_line_of_both_levels_is_gone_through_once() -> None:
    # How many there are of each level: OWASP ASVS 5.0.0, value from memory.
    assert Counter(level for _, level, *_ in rows()) == {"1": 70, "2": 183}
    assert len({number for number, *_ in rows()}) == 253
    assert len(re.findall(r"^\| \d", TEXT, re.MULTILINE)) == 253, "a line that is no line"
    for number, _, _, state, how, _ in rows():
        assert state in STATES, number
        assert how or state == "held", f"{number} is {state} and does not say why"


def test_what_is_held_by_a_test_names_one_that_is_there() -> None:
    named = {t for *_, tests in rows() for t in re.findall(r"`([^`]+)`", tests)}
    assert len(named) > 60
    for name in named:
        file, _, function = next(
            (
                name.replace(short, whole)
                for short, whole in SHORT.items()
                if name.startswith(short)
            ),
            name,
        ).partition("::")
        source = (HOME / file).read_text(encoding="utf-8")
        assert re.search(rf"^def {function}\(", source, re.MULTILINE), name


WAYS_AROUND = ("dangerouslySetInnerHTML", "innerHTML", "outerHTML =", "insertAdjacentHTML", "eval(")


@pytest.mark.parametrize("around", [*WAYS_AROUND, "new Function"])
def test_the_page_sets_text_as_text_and_runs_none(around: str) -> None:
    sources = [p for p in (HOME / "web" / "src").rglob("*.ts*") if ".test." not in p.name]
    assert len(sources) > 100
    assert [str(p) for p in sources if around in p.read_text(encoding="utf-8")] == []
