"""How much likelier a disk dies whose readings are bad; where a line is drawn under them."""

from kavrel.core.assumption import COMMON, Assumption

FAST07 = (
    "Pinheiro, Weber, Barroso: Failure Trends in a Large Disk Drive Population (FAST 2007), after the "
    "first of its kind, within 60 days; value from memory"
)

ASSUMPTIONS = (
    Assumption("wear_uncorrectable", "Uncorrectable sector: dies likelier", 39, "times", 1, 100, FAST07, "log"),
    Assumption("wear_reallocated", "Reallocated sector: dies likelier", 14, "times", 1, 100, FAST07, "log"),
    Assumption("wear_pending", "Pending sector: dies likelier", 16, "times", 1, 100, FAST07, "log"),
    Assumption("wear_hot", "A disk is hot above", 50, "degrees Celsius", 30, 80, COMMON, "log"),
    Assumption("wear_worn", "Flash is worn at", 80, "% of its rated writes", 10, 100, COMMON, "log"),
)  # fmt: skip
