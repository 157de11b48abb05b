"""Writes what the front end takes from the core as data: its forms (for unit tests) and currencies.

With `--check` exit 1 says that a file was stale, and was made anew.
"""

import json
import sys
from pathlib import Path

from kavrel.api.forms import form_list
from kavrel.core.quantities import MINOR_DIGITS

INTO = Path(__file__).resolve().parent.parent / "web" / "src" / "api" / "generated"


def main() -> int:
    """Writes, or checks, each file."""
    stale = False
    for name, text in (
        ("forms.json", form_list().model_dump_json()),
        ("minor-digits.json", json.dumps(MINOR_DIGITS, separators=(",", ":"))),
    ):
        file = INTO / name
        if not file.exists() or file.read_text() != text + "\n":
            file.write_text(text + "\n")
            stale = True
            print(f"{file.relative_to(Path.cwd())} is made anew: commit it", file=sys.stderr)
    return 1 if stale and "--check" in sys.argv else 0


if __name__ == "__main__":
    sys.exit(main())
