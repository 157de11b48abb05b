"""What a copy book remembers: answers that are asked for again and again, by what was asked."""

from collections.abc import Callable
from functools import wraps
from typing import Any, Concatenate, ParamSpec, TypeVar

from kavrel.core.plan import Job

Asked = ParamSpec("Asked")
Answer = TypeVar("Answer")
Remembers = TypeVar("Remembers", bound="Remembering")


class Remembering:
    """Has answers by the name of what was asked, and by its arguments; jobs count by their ids."""

    def __init__(self) -> None:
        self.remembered: dict[tuple[Any, ...], Any] = {}

    def once(self, work: Callable[[], Answer], *asked: object) -> Answer:
        """What somebody else works out from this book, the first time that they ask so."""
        if asked not in self.remembered:
            self.remembered[asked] = work()
        told: Answer = self.remembered[asked]
        return told

    def known_to(self, kind: type["Remembering"]) -> dict[tuple[Any, ...], Any]:
        """The answers to what a kind of book is asked that this one is, without what it adds itself."""
        return {k: v for k, v in self.remembered.items() if hasattr(kind, k[0])}


def remembered(
    work: Callable[Concatenate[Remembers, Asked], Answer],
) -> Callable[Concatenate[Remembers, Asked], Answer]:
    """A method whose answer does not change as long as its object lives."""
    name = work.__name__

    @wraps(work)
    def ask(self: Remembers, first: Any, *rest: Any, **named: Any) -> Any:
        key = (name, first.id if isinstance(first, Job) else first, *rest, *named.values())
        try:
            return self.remembered[key]
        except KeyError:
            told = self.remembered[key] = work(self, first, *rest, **named)
            return told

    return ask  # type: ignore[return-value]
