"""Money in minor units."""

import pytest

from kavrel.core.quantities import currency_minor
from kavrel.core.working import step


@pytest.mark.parametrize(
    ("code", "minor"),
    # ISO 4217, list one: digits behind the point.
    [("EUR", 100), ("JPY", 1), ("KWD", 1000), ("CLF", 10_000), ("HUF", 100), ("UGX", 1)],
)
def test_a_currency_has_the_minor_units_of_the_standard(code: str, minor: int) -> None:
    assert currency_minor(code) == minor


def test_one_of_a_counted_thing_is_called_so() -> None:
    said = [
        (step("", n, unit).value, step("", n, unit).unit) for n, unit in ((1, "days"), (2, "days"))
    ]
    assert said == [(1, "day"), (2, "days")]
    assert step("", 1, "copies").unit == "copy"
    assert step("", 1.0, "times").unit == "times"  # a factor
