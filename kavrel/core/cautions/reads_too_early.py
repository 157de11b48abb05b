"""A job that starts while what it reads is still being written."""

from kavrel.core.cautions.caution import Rule
from kavrel.core.cautions.mishaps import first_of_each

READS_TOO_EARLY = Rule(
    "reads_too_early",
    "caution",
    "week",
    "job",
    "Let it start after the other job instead of at a time.",
    first_of_each("order"),
    could="The second copy is always a night older than it could be.",
)
