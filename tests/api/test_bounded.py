"""Work that takes too long is given up, and what it was for is refused."""

import threading
import time

import pytest

from kavrel.api.bounded import TooLong, within


def test_the_result_comes_and_so_does_what_was_raised() -> None:
    assert within(5.0, lambda: 7) == 7
    with pytest.raises(KeyError):
        within(5.0, lambda: dict[str, int]()["missing"])


def test_what_never_ends_is_ended() -> None:
    turned = threading.Event()

    def forever() -> None:
        try:
            while True:
                sum(range(1000))
        finally:
            turned.set()

    begun = time.monotonic()
    with pytest.raises(TooLong):
        within(0.1, forever)
    assert turned.wait(5.0)  # the worker itself has stopped as well
    assert time.monotonic() - begun < 5.0
