"""What is typed letter by letter, within a sentence: it stands between marks, as Markdown has them.

So nobody takes the words beside a command for a part of it. Every paper and page draws it apart.
"""

import re
from collections.abc import Iterator

# A mark opens after a space or a bracket and closes before one, or before what ends a part of a sentence.
_TYPED = re.compile(r"(?<![^\s(])`([^`\s](?:[^`]*[^`\s])?)`(?![^\s).,;:])")


def typed(*commands: str) -> str:
    """Commands one after the other, each to be typed as it stands."""
    return "; ".join(f"`{command}`" for command in commands if command)


def pieces(text: str) -> Iterator[tuple[bool, str]]:
    """A text in order, cut where what is typed begins and ends, with whether it is that."""
    for number, piece in enumerate(_TYPED.split(text)):
        if piece:
            yield bool(number % 2), piece


def commands(text: str) -> list[str]:
    """What a text has somebody type, in order."""
    return _TYPED.findall(text)
