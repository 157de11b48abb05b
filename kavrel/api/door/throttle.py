"""Wrong passwords are slowed down: by address, and by name for whoever comes from elsewhere.

From the machine itself nobody is locked out of a name: whoever keeps failing at a name over the
network cannot keep its owner from coming in at the machine.
"""

import time
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from limits import RateLimitItem


class Throttle:
    """Counts failures in moving windows; what went well is not counted."""

    def __init__(self) -> None:
        from limits import parse
        from limits.storage import MemoryStorage
        from limits.strategies import MovingWindowRateLimiter

        self._limiter: MovingWindowRateLimiter = MovingWindowRateLimiter(MemoryStorage())
        self._address: RateLimitItem = parse("10/5 minutes")
        self._name: RateLimitItem = parse("20/15 minutes")
        self._here: RateLimitItem = parse("60/minute")

    def _counts(self, name: str, address: str, local: bool) -> list[tuple["RateLimitItem", str]]:
        if local:
            return [(self._here, "here")]
        return [(self._address, f"address {address}"), (self._name, f"name {name.casefold()}")]

    def wait(self, name: str, address: str, local: bool) -> float:
        """Seconds until another try is taken; 0 when one is taken now."""
        ends = 0.0
        for limit, key in self._counts(name, address, local):
            if not self._limiter.test(limit, key):
                ends = max(ends, self._limiter.get_window_stats(limit, key).reset_time)
        return max(1.0, ends - time.time()) if ends else 0.0

    def failed(self, name: str, address: str, local: bool) -> None:
        """Counts a failure."""
        for limit, key in self._counts(name, address, local):
            self._limiter.hit(limit, key)
