"""A run outside its window."""

from kavrel.core.cautions.caution import Rule
from kavrel.core.cautions.mishaps import first_of_each

WINDOW_MISSED = Rule(
    "window_missed",
    "caution",
    "week",
    "job",
    "Give it a longer window, start it earlier, or let Arrange find a place.",
    first_of_each("window"),
)
