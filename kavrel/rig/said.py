"""What a command was asked and what it said."""

from typing import NamedTuple


class Said(NamedTuple):
    """Exit code, what it wrote, and what it complained of."""

    code: int = 0
    out: bytes = b""
    err: str = ""


FINE = Said()


def lines(*rows: str) -> Said:
    """Some lines, and all went well."""
    return Said(0, "".join(f"{row}\n" for row in rows).encode())


def failed(why: str, code: int = 1) -> Said:
    """A complaint."""
    return Said(code, b"", why if not why or why.endswith("\n") else f"{why}\n")
