"""How the script says what is left to the hand, and chains commands."""

import shlex
from collections.abc import Sequence

from kavrel.formats.servers.template import plain


def quoted(text: str) -> str:
    """Free text as one word of the shell, on one line."""
    return shlex.quote(plain(text))


def left(text: str) -> str:
    """A command that notes what is left to the hand."""
    return f"left {quoted(text)}"


def all_or_left(commands: Sequence[str], text: str, by: str = "left") -> str:
    """Commands of which each needs the one before it; where one fails, that is said in the end."""
    return " &&\n  ".join(commands) + f" ||\n  {by} {quoted(text)}"
