"""What the papers about Kavrel itself say is there, is there."""

import re
from pathlib import Path

HOME = Path(__file__).resolve().parents[1]


def test_every_test_that_the_security_paper_names_is_there() -> None:
    text = (HOME / "docs" / "security.md").read_text(encoding="utf-8")
    short = {"door": "tests/api/test_door.py", "lan": "tests/api/test_lan.py"}
    named = re.findall(r"`((?:tests/[\w/.]+|door|lan)(?:::\w+)?)`", text)
    assert len(named) > 25
    for name in named:
        file, _, function = name.partition("::")
        path = HOME / short.get(file, file)
        assert path.is_file(), name
        assert not function or f"def {function}(" in path.read_text(encoding="utf-8"), name


def test_every_command_that_readme_and_install_show_is_one() -> None:
    from kavrel.cli import COMMANDS

    for paper in ("README.md", "docs/install.md"):
        text = (HOME / paper).read_text(encoding="utf-8")
        shown = set(re.findall(r"`?\bkavrel ([a-z][a-z-]+)\b", text))
        ours = {w for w in shown if w in COMMANDS}
        assert {"serve", "account"} <= ours
        strangers = set(re.findall(r"`kavrel ([a-z][a-z-]+)", text)) - set(COMMANDS)
        assert not strangers, paper


def test_every_picture_of_the_readme_is_there_and_there_are_few() -> None:
    text = (HOME / "README.md").read_text(encoding="utf-8")
    shown = set(re.findall(r"docs/screenshots/([\w-]+\.png)", text))
    there = {p.name for p in (HOME / "docs" / "screenshots").glob("*.png")}
    assert shown == there
    assert len(there) < 20
