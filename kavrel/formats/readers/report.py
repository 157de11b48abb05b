"""What reading a file gives: a verdict on every line, proposals for the plan, and differences."""

from collections.abc import Iterator
from typing import Any, Literal

from pydantic import BaseModel

LARGEST = 2**20
LONGEST_LINE = 4000
Verdict = Literal["understood", "not understood", "no matter"]


class Unreadable(ValueError):
    """Raised for what is no text file of this kind; the text says why."""


class Line(BaseModel):
    """One line of the file, and what was made of it."""

    number: int
    text: str
    verdict: Verdict
    why: str = ""


class ReadItem(BaseModel):
    """A thing that the plan could take over; `item` is complete but for its id when it is new."""

    collection: str
    what: Literal["new", "changed", "same"]
    name: str
    item: dict[str, Any]
    why: str = ""


class Report(BaseModel):
    """Everything that was found. Nothing of the file is dropped: each line has its verdict."""

    kind: str
    lines: list[Line] = []
    proposals: list[ReadItem] = []
    differences: list[str] = []

    def say(self, number: int, text: str, verdict: Verdict, why: str = "") -> None:
        """Adds a verdict."""
        shown = text if len(text) <= 200 else f"{text[:200]} ..."
        self.lines.append(Line(number=number, text=shown, verdict=verdict, why=why))


def decoded(content: bytes) -> tuple[str, Line | None]:
    """The text, and a note where it was not UTF-8."""
    if len(content) > LARGEST:
        raise Unreadable(f"at most {LARGEST // 1024} KiB are read")
    if b"\0" in content:
        raise Unreadable("this is no text file: it has NUL bytes in it")
    try:
        return content.decode("utf-8"), None
    except UnicodeDecodeError:
        why = "the file is not UTF-8: it was read as Latin-1"
        note = Line(number=0, text="", verdict="not understood", why=why)
        return content.decode("latin-1"), note


def numbered(text: str, report: Report, comments: str = "#") -> Iterator[tuple[int, str]]:
    """Lines with something on them; comments and blanks get their verdict here."""
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.strip()
        if not line or line[0] in comments:
            if line:
                report.say(number, line, "no matter", "a comment")
            continue
        if len(line) > LONGEST_LINE:
            report.say(number, line, "not understood", f"longer than {LONGEST_LINE} characters")
            continue
        yield number, line


def printable(text: str) -> str:
    """Text as a name in the plan may have it."""
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())[:80]
