"""Money in minor units."""

import pytest

from kavrel.core.quantities import currency_minor


@pytest.mark.parametrize(
    ("code", "minor"),
    # ISO 4217, list one: digits behind the point.
    [("EUR", 100), ("JPY", 1), ("KWD", 1000), ("CLF", 10_000), ("HUF", 100), ("UGX", 1)],
)
def test_a_currency_has_the_minor_units_of_the_standard(code: str, minor: int) -> None:
    assert currency_minor(code) == minor
