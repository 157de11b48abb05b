"""A simulated history of the demo lab: looks over two months, with drift, a wearing disk and a silent job."""

from collections.abc import Iterator
from datetime import datetime, timedelta

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.pools.pool import pool_states
from kavrel.core.week.nights import scheduled_book
from kavrel.demo.machines import Stand, Twist

TB = 10**12
AGES = (56, 42, 28, 14, 1)  # days before now
PENDING = (0, 0, 8, 16, 40)
REALLOCATED = (0, 0, 0, 8, 24)
FILLED = (0.955, 0.966, 0.977, 0.989, 1.0)


def looks(plan: Plan, now: datetime) -> Iterator[tuple[str, bytes]]:
    """Host and look, the oldest first, as of a moment: the same plan and moment give the same looks."""
    index = Index(plan)
    states = pool_states(index)
    for n, days in enumerate(AGES):
        at = (now - timedelta(days=days)).replace(hour=6, minute=30, second=0, microsecond=0)
        book = scheduled_book(index, states, at.date())
        last = n == len(AGES) - 1
        heron = Twist(
            readings={
                "d3": {"pending": PENDING[n], "reallocated": REALLOCATED[n], "temperature": 41}
            },
            quotas={"homes": TB // 2} if last else {},
            filled={"scans": FILLED[n], "homes": FILLED[n]},
            silent_days={"homes-wren": 4.0} if last else {},
            failed={"homes-wren": "rsync: connection to 192.168.20.11 timed out"} if last else {},
            tried={"papers-ark": "6 files, 14.2 MB in 9.4 s, 6 as they are live"} if last else {},
            off=frozenset({"ridge-short"}) if last else frozenset(),
            more=(("F-1188", 4 * TB),) if last else (),
        )
        yield "heron", Stand(book, "heron", at, heron).look()
        if n in (1, 3, 4):
            # Its timer is the one of an older plan, before the hour was moved.
            late = {"papers-vault": "23:30"}
            dipper = Twist(silent_days={"to-mill": 3.0}, at=late) if last else Twist()
            yield "dipper", Stand(book, "dipper", at, dipper).look()
        if n in (2, 4):
            worn = {"s1": {"wear_percent": 61 + 2 * n}, "s2": {"wear_percent": 60 + 2 * n}}
            yield "wren", Stand(book, "wren", at, Twist(readings=worn)).look()
