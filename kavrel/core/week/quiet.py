"""Quiet hours: a span of the clock that may pass midnight."""


def is_quiet(hour: float, quiet_from: float, quiet_to: float) -> bool:
    """Whether an hour of the day (0 to 24) lies in the quiet hours."""
    if quiet_from <= quiet_to:
        return quiet_from <= hour < quiet_to
    return hour >= quiet_from or hour < quiet_to
