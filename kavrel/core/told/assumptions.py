"""How long silence may last before it is news."""

from kavrel.core.assumption import COMMON, Assumption

ASSUMPTIONS = (
    Assumption("silent_box_days", "A box that sends looks is silent after", 3, "days", 0.1, 60, COMMON, "log"),
    Assumption("hollow_days", "A job that carries nothing is told of after", 14, "days", 1, 365, COMMON, "log"),
    Assumption("hollow_share", "Nothing: less, of what changes, than", 0.01, "of it", 1e-4, 0.5, COMMON, "log"),
    Assumption("overdue_again_days", "What is due is said again after", 14, "days", 1, 365, COMMON, "log"),
)  # fmt: skip
