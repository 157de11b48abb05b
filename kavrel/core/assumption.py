"""What an assumption is: a figure that is taken for granted, with its default, bounds and source.

Sources: "published" names it; "common practice, no source"; "value from memory".
"""

from dataclasses import dataclass

COMMON = "common practice, no source"
MEMORY = "value from memory"


@dataclass(frozen=True)
class Assumption:
    """One editable figure: `low` and `high` are the values that make sense."""

    id: str
    label: str
    default: float
    unit: str
    low: float
    high: float
    source: str
    sheet: str
