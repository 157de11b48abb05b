"""What a command is told, and how it refuses."""

from collections.abc import Sequence
from typing import Protocol


class Refused(Exception):
    """A command does not do that: what it prints, and its exit code."""

    def __init__(self, text: str, code: int = 1) -> None:
        super().__init__(text)
        self.text, self.code = text, code


class Reader(Protocol):
    """What a command may read: a line of what is typed, or all that is piped into it."""

    def line(self) -> str:
        """One line, without its end."""

    def all(self) -> bytes:
        """Everything until its end."""


class Words:
    """The words of a command: flags with and without a value, and the rest in their order.

    Raises Refused for a flag that the stand-in does not know, as the real command would for a wrong one.
    """

    def __init__(self, words: Sequence[str], valued: str = "", plain: str = "") -> None:
        self.rest: list[str] = []
        self.given: dict[str, list[str]] = {}
        takes, stands = set(valued.split()), set(plain.split())
        left = list(words)
        while left:
            word = left.pop(0)
            name, equals, value = word.partition("=")
            if not word.startswith("-") or word == "-":
                self.rest.append(word)
            elif equals and name.startswith("--") and name in takes:
                self.given.setdefault(name, []).append(value)
            elif word in takes:
                if not left:
                    raise Refused(f"option requires an argument -- '{word.lstrip('-')}'")
                self.given.setdefault(word, []).append(left.pop(0))
            elif word in stands:
                self.given.setdefault(word, [])
            else:
                raise Refused(f"unrecognized option '{word}'")

    def __contains__(self, flag: str) -> bool:
        return flag in self.given

    def one(self, *flags: str) -> str:
        """The value of a flag, by any of its names; empty where it is not given."""
        return next((self.given[f][-1] for f in flags if self.given.get(f)), "")

    def pairs(self, flag: str) -> dict[str, str]:
        """Values that are name=value."""
        return dict(v.partition("=")[::2] for v in self.given.get(flag, ()))
