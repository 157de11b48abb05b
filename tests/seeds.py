"""Seeds of random labs: `make prove` runs every second one, with KAVREL_SEEDS=all all of them."""

import os
from collections.abc import Sequence

ALL = os.environ.get("KAVREL_SEEDS") == "all"


def some(seeds: Sequence[int], *always: int) -> list[int]:
    """The seeds that are run, and those that once found a fault: always."""
    chosen = seeds if ALL else seeds[::2]
    return [*chosen, *(n for n in always if n not in chosen)]
