"""How often what has to be looked after is due."""

from kavrel.core.assumption import COMMON, Assumption

ASSUMPTIONS = (
    Assumption("scrub_days", "Scrub or parity check every", 90, "days", 1, 730, COMMON, "log"),
    Assumption("smart_days", "SMART long test every", 30, "days", 1, 730, COMMON, "log"),
    Assumption("restore_test_days", "Restore test every", 180, "days", 1, 1825, COMMON, "log"),
    Assumption(
        "exercise_days", "Exercise of a bad night every", 180, "days", 1, 1825, COMMON, "log"
    ),
    Assumption("update_days", "Updates of a host every", 60, "days", 1, 730, COMMON, "log"),
)
