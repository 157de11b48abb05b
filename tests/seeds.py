"""What is drawn by seed, or one of many: `make prove` runs every fourth, with KAVREL_SEEDS=all all of them."""

import os
from collections.abc import Sequence
from typing import TypeVar

ALL = os.environ.get("KAVREL_SEEDS") == "all"
One = TypeVar("One", int, str)


def some(seeds: Sequence[One], *always: One) -> list[One]:
    """Those that are run; those that once found a fault are run always."""
    chosen: list[One] = list(seeds if ALL else seeds[::4])
    return chosen + [n for n in always if n not in chosen]
