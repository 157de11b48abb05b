"""Templates of server files: strict about names, and careful with everything that people typed."""

import shlex
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from jinja2 import Environment

FOLDER = Path(__file__).resolve().parent.parent / "templates"


def plain(text: str) -> str:
    """Free text for a comment: one line, without what parsers act upon at its ends."""
    line = " ".join(str(text).split())
    return "".join(c if c.isprintable() else " " for c in line).strip("\\ ")


def unit_path(path: str) -> str:
    """A path as a word of a unit file. Source: systemd.syntax(7), systemd.unit(5) on specifiers."""
    escaped = path.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%")
    return f'"{escaped}"'


def in_quotes(text: str) -> str:
    """Text between the double quotes of an environment file. Source: systemd.exec(5)."""
    return "".join(f"\\{c}" if c in '\\"$`' else c for c in text)


@cache
def _environment() -> "Environment":
    # With the first file that is written: a server starts without.
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    made = Environment(
        loader=FileSystemLoader(FOLDER),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        keep_trailing_newline=True,
        autoescape=False,  # noqa: S701 - configuration files; every free text goes through a filter
    )
    made.filters["plain"] = plain
    made.filters["shell"] = shlex.quote
    made.filters["unit"] = unit_path
    made.filters["env"] = in_quotes
    return made


def render(name: str, **values: Any) -> str:
    """The text of a template; an undefined name is an error."""
    return _environment().get_template(name).render(**values)
