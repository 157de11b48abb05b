"""Old revisions are thinned by a rule that is shown: the pinned and the present one always stay."""

from datetime import date, datetime
from itertools import groupby
from typing import NamedTuple

from kavrel.core.quantities import later
from kavrel.store.database import Database

NEWEST, ALL_DAYS, DAILY_DAYS = 200, 30, 365
SAYS = (
    f"Kept: the newest {NEWEST}, all of {ALL_DAYS} days, the last of each day for a year and of each "
    "month before; and what is pinned."
)


class Made(NamedTuple):
    """A revision and the day on which it was made."""

    number: int
    on: date


def kept(revisions: list[Made], always: frozenset[int], today: date) -> set[int]:
    """Which of the revisions (the oldest first) stay."""
    stay = set(always) | {r.number for r in revisions[-NEWEST:]}
    stay |= {r.number for r in revisions if r.on > later(today, -ALL_DAYS)}
    young = later(today, -DAILY_DAYS)
    for _, same in groupby(
        revisions, lambda r: (r.on.year, r.on.month, r.on.day if r.on > young else 0)
    ):
        stay.add(list(same)[-1].number)
    return stay & {r.number for r in revisions}


def thin(database: Database, today: date) -> int:
    """Removes what the rule does not keep; undo goes on to the next that is there. Gives how many went."""
    gone = 0
    with database.reading() as db:
        plans = db.execute("SELECT id, head, pinned FROM plan").fetchall()
    for plan_id, head, pinned in plans:
        with database.transaction() as db:
            rows = db.execute(
                "SELECT number, parent, made_at FROM revision WHERE plan_id = ? ORDER BY number",
                (plan_id,),
            ).fetchall()
            made = [Made(n, datetime.fromisoformat(at).date()) for n, _, at in rows]
            stay = kept(made, frozenset({head, *([pinned] if pinned else [])}), today)
            parents = {n: parent for n, parent, _ in rows}
            for number, before in parents.items():
                parent = before
                while parent is not None and parent not in stay:
                    parent = parents.get(parent)
                if number in stay and parent != before:
                    db.execute(
                        "UPDATE revision SET parent = ? WHERE plan_id = ? AND number = ?",
                        (parent, plan_id, number),
                    )
            lost = [(plan_id, n) for n in parents if n not in stay]
            db.executemany("DELETE FROM revision WHERE plan_id = ? AND number = ?", lost)
            gone += len(lost)
    return gone
