"""What is taken for granted of nights and of what people want of them."""

from kavrel.core.assumption import COMMON, Assumption

ASSUMPTIONS = (
    Assumption("quiet_from_hour", "Quiet hours begin", 23, "o'clock", 0, 23, COMMON, "week"),
    Assumption("quiet_to_hour", "Quiet hours end", 7, "o'clock", 0, 23, COMMON, "week"),
)
