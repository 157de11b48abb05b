"""A starting lab: a drawing, a few questions, and the plan that they give."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

from kavrel.core.bench.capacity import CapacityError, parse_capacity
from kavrel.core.plan import Plan
from kavrel.core.shares.names import slug

Answers = Mapping[str, str]


class AnswerError(ValueError):
    """An answer that cannot be; `ask` names the question."""

    def __init__(self, ask: str, text: str) -> None:
        super().__init__(text)
        self.ask = ask


@dataclass(frozen=True)
class Ask:
    """A question: for a size as disks are sold, a size of data, a name, or people by their logins."""

    id: str
    label: str
    kind: Literal["disk", "data", "name", "people"]
    start: str


@dataclass(frozen=True)
class Sketch:
    """A lab to start from. `says` is what it is good for, in one sentence."""

    id: str
    title: str
    says: str
    asks: tuple[Ask, ...]
    draw: Callable[["Said"], Plan]


class Said:
    """Answers as the sketch wants them; raises AnswerError."""

    def __init__(self, sketch: Sketch, answers: Answers) -> None:
        known = {a.id: a for a in sketch.asks}
        self._answers = {k: a.start for k, a in known.items()}
        for key, text in answers.items():
            if key not in known:
                raise AnswerError(key, f"this sketch does not ask for {key}")
            if text.strip():
                self._answers[key] = text.strip()

    def disk(self, ask: str) -> int:
        """Bytes of a disk, exact by the size standards."""
        try:
            return parse_capacity(self._answers[ask])
        except CapacityError as error:
            raise AnswerError(ask, str(error)) from error

    def data(self, ask: str) -> int:
        """Bytes of data, decimal."""
        text = self._answers[ask].upper().replace(" ", "")
        units = {"GB": 10**9, "TB": 10**12}
        try:
            size = float(text[:-2].replace(",", ".")) * units[text[-2:]]
        except (ValueError, KeyError):
            raise AnswerError(ask, "write a size, as 800 GB or 1.4 TB") from None
        if not 10**6 <= size <= 10**15:
            raise AnswerError(ask, "write a size from 1 MB to 1000 TB")
        return int(size)

    def name(self, ask: str) -> str:
        """A name of one line."""
        text = " ".join(self._answers[ask].split())
        if not text.isprintable() or len(text) > 40:
            raise AnswerError(ask, "a name is up to 40 signs that can be printed")
        return text

    def people(self, ask: str) -> list[str]:
        """Logins."""
        names = [n for n in self._answers[ask].replace(",", " ").split() if n]
        logins = [slug(n, "") for n in names]
        if not all(n and n[0].isalpha() and len(n) <= 30 for n in logins) or len(logins) > 12:
            raise AnswerError(ask, "write up to twelve names with blanks between, as ana bo")
        if len(set(logins)) != len(logins):
            raise AnswerError(ask, "everybody needs a name of their own")
        return logins
