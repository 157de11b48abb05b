"""Ways by which somebody is told, and the outbox: nothing is lost, nothing goes twice."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, fields
from datetime import UTC, datetime
from secrets import token_hex
from typing import Any, Literal

from kavrel.core.told.news import News, Topic
from kavrel.store.database import Database

WayKind = Literal["mail", "webhook", "page"]
Security = Literal["tls", "starttls", "none"]
State = Literal["waiting", "sending", "sent", "unsure", "given up"]
MOST_MESSAGES = 200  # of a way that are kept once they are settled
# What lies further ahead was written by a clock that was wrong: what waits for it would wait for years.
AHEAD_SECONDS = 86_400.0
# Seconds until the next try; after the last one it is given up: some three days in all.
AGAIN = (60, 300, 900, 3600, *[4 * 3600] * 18)


@dataclass(frozen=True)
class Way:
    """A way by which somebody is told. Hours are HH:MM in the plan's zone."""

    id: str
    kind: WayKind
    name: str
    works: bool
    place: str
    server: str
    port: int
    security: Security
    login: str
    secret: str
    sender: str
    quiet_from: str
    quiet_until: str
    daily_at: str
    heartbeat_day: int | None
    topics: tuple[Topic, ...] = ()


@dataclass(frozen=True)
class Message:
    """A message of the outbox."""

    number: int
    plan_id: str
    way: str
    mark: str
    made_at: float
    daily: bool
    subject: str
    body: str
    state: State
    tries: int
    next_at: float
    settled_at: float | None
    error: str


_WAY = tuple(f.name for f in fields(Way) if f.name != "topics")
_MESSAGE = ", ".join(f.name for f in fields(Message))


def _message(row: tuple[Any, ...]) -> Message:
    told = dict(zip((f.name for f in fields(Message)), row, strict=True))
    return Message(**{**told, "daily": bool(told["daily"])})


class NoSuchWay(KeyError):
    """The plan has no such way."""


class Outbox:
    """Ways, news and messages of all plans of a database."""

    def __init__(self, database: Database, now: Callable[[], datetime]) -> None:
        self._database, self._now = database, now

    # -- ways --------------------------------------------------------------------------------------

    def ways(self, plan_id: str) -> list[Way]:
        """The ways of a plan, by name."""
        with self._database.reading() as db:
            topics: dict[str, list[Topic]] = {}
            for way, topic in db.execute(
                "SELECT way, topic FROM way_topic WHERE plan_id = ? ORDER BY topic", (plan_id,)
            ):
                topics.setdefault(way, []).append(topic)
            rows = db.execute(
                f"SELECT {', '.join(_WAY)} FROM way WHERE plan_id = ? ORDER BY name, id",  # noqa: S608
                (plan_id,),
            ).fetchall()
        ways = (dict(zip(_WAY, row, strict=True)) for row in rows)
        return [
            Way(**{**w, "works": bool(w["works"]), "topics": tuple(topics.get(w["id"], ()))})
            for w in ways
        ]

    def way(self, plan_id: str, way_id: str) -> Way:
        """One of them; raises NoSuchWay."""
        for way in self.ways(plan_id):
            if way.id == way_id:
                return way
        raise NoSuchWay(way_id)

    def put(self, plan_id: str, way: Way) -> None:
        """Adds a way, or changes it."""
        values = [getattr(way, name) for name in _WAY]
        sets = ", ".join(f"{n} = excluded.{n}" for n in _WAY if n != "id")
        marks = ", ".join("?" * len(_WAY))
        with self._database.transaction() as db:
            db.execute(
                f"INSERT INTO way (plan_id, {', '.join(_WAY)}) VALUES (?, {marks})"  # noqa: S608
                f" ON CONFLICT (plan_id, id) DO UPDATE SET {sets}",
                [plan_id, *(int(v) if isinstance(v, bool) else v for v in values)],
            )
            db.execute("DELETE FROM way_topic WHERE plan_id = ? AND way = ?", (plan_id, way.id))
            db.executemany(
                "INSERT INTO way_topic VALUES (?, ?, ?)",
                [(plan_id, way.id, t) for t in dict.fromkeys(way.topics)],
            )

    def remove(self, plan_id: str, way_id: str) -> None:
        """Takes a way out with all that it was told; raises NoSuchWay."""
        with self._database.transaction() as db:
            done = db.execute("DELETE FROM way WHERE plan_id = ? AND id = ?", (plan_id, way_id))
            if not done.rowcount:
                raise NoSuchWay(way_id)

    def plans(self) -> list[str]:
        """Plans that have a way that works."""
        with self._database.reading() as db:
            rows = db.execute("SELECT DISTINCT plan_id FROM way WHERE works = 1 ORDER BY plan_id")
            return [r[0] for r in rows.fetchall()]

    # -- news --------------------------------------------------------------------------------------

    def tell(self, plan_id: str, way_id: str, news: Iterable[News]) -> int:
        """Takes down what is new to this way; gives how much that is."""
        at = self._now().timestamp()
        with self._database.transaction() as db:
            before = db.total_changes
            db.executemany(
                "INSERT OR IGNORE INTO news VALUES (?, ?, ?, ?, ?, ?, ?, ?, 0)",
                [
                    (plan_id, way_id, n.key, at, n.topic, int(n.urgent), n.title, n.text)
                    for n in news
                ],
            )
            return db.total_changes - before

    def untold(self, plan_id: str, way_id: str, urgent: bool) -> list[News]:
        """News that no message holds yet: the urgent, or the others; the oldest first."""
        with self._database.reading() as db:
            rows = db.execute(
                "SELECT key, topic, urgent, title, body FROM news WHERE plan_id = ? AND way = ?"
                " AND NOT told AND urgent = ? ORDER BY found_at, rowid",
                (plan_id, way_id, int(urgent)),
            ).fetchall()
        return [
            News(key=k, topic=t, urgent=bool(u), title=title, text=text)
            for k, t, u, title, text in rows
        ]

    def forget(self, plan_id: str, way_id: str, still: Iterable[str]) -> None:
        """News that were told and are over: should they come back they are news again.

        Runs and weekly words are past by nature and stay, so that they are not told twice.
        """
        keep = set(still)
        with self._database.transaction() as db:
            rows = db.execute(
                "SELECT key FROM news WHERE plan_id = ? AND way = ?"
                " AND topic NOT IN ('failure', 'heartbeat', 'backup')",
                (plan_id, way_id),
            ).fetchall()
            db.executemany(
                "DELETE FROM news WHERE plan_id = ? AND way = ? AND key = ?",
                [(plan_id, way_id, k) for (k,) in rows if k not in keep],
            )

    # -- messages ----------------------------------------------------------------------------------

    def compose(
        self,
        plan_id: str,
        way_id: str,
        subject: str,
        body: str,
        keys: Iterable[str],
        daily: bool,
    ) -> None:
        """Puts a message into the outbox that tells these news, all in one step."""
        now = self._now().timestamp()
        with self._database.transaction() as db:
            db.execute(
                "INSERT INTO message (plan_id, way, mark, made_at, daily, subject, body, state, next_at)"
                " VALUES (?, ?, ?, ?, ?, ?, ?, 'waiting', ?)",
                (plan_id, way_id, token_hex(12), now, int(daily), subject, body, now),
            )
            db.executemany(
                "UPDATE news SET told = 1 WHERE plan_id = ? AND way = ? AND key = ?",
                [(plan_id, way_id, k) for k in keys],
            )
            db.execute(
                "UPDATE message SET named = 1 WHERE plan_id = ? AND way = ? AND state = 'unsure'",
                (plan_id, way_id),
            )
            db.execute(
                "DELETE FROM message WHERE plan_id = ? AND way = ? AND state IN"
                " ('sent', 'unsure', 'given up') AND number NOT IN (SELECT number FROM message"
                " WHERE plan_id = ? AND way = ? ORDER BY number DESC LIMIT ?)",
                (plan_id, way_id, plan_id, way_id, MOST_MESSAGES),
            )

    def claim(self) -> Message | None:
        """The next message whose time has come, marked as being sent: nobody else gets it."""
        now = self._now().timestamp()
        with self._database.transaction() as db:
            row = db.execute(
                f"SELECT {_MESSAGE} FROM message WHERE state = 'waiting'"  # noqa: S608
                " AND (next_at <= ? OR next_at > ?) ORDER BY number LIMIT 1",
                (now, now + max(AGAIN) + AHEAD_SECONDS),
            ).fetchone()
            if row is None:
                return None
            message = _message(row)
            db.execute("UPDATE message SET state = 'sending' WHERE number = ?", (message.number,))
        return message

    def sent(self, message: Message) -> None:
        """It was taken by the other side."""
        self._settle(message, "sent", "")

    def not_sent(self, message: Message, why: str) -> None:
        """It was refused or nobody answered: it is tried again later, for some days."""
        if message.tries >= len(AGAIN):
            self._settle(message, "given up", why)
            return
        then = self._now().timestamp() + AGAIN[message.tries]
        with self._database.transaction() as db:
            db.execute(
                "UPDATE message SET state = 'waiting', tries = tries + 1, next_at = ?, error = ?"
                " WHERE number = ?",
                (then, why[:300], message.number),
            )

    def _settle(self, message: Message, state: State, why: str) -> None:
        with self._database.transaction() as db:
            db.execute(
                "UPDATE message SET state = ?, settled_at = ?, tries = tries + 1, error = ?"
                " WHERE number = ?",
                (state, self._now().timestamp(), why[:300], message.number),
            )

    def wake(self) -> int:
        """After a start: what was being sent when the server died may have gone or not."""
        with self._database.transaction() as db:
            done = db.execute(
                "UPDATE message SET state = 'unsure', settled_at = ? WHERE state = 'sending'",
                (self._now().timestamp(),),
            )
            return done.rowcount

    def unsure(self, plan_id: str, way_id: str) -> list[str]:
        """Subjects of messages that may not have gone, and that no later message has named."""
        with self._database.reading() as db:
            rows = db.execute(
                "SELECT subject FROM message WHERE plan_id = ? AND way = ?"
                " AND state = 'unsure' AND named = 0 ORDER BY number",
                (plan_id, way_id),
            ).fetchall()
        return [r[0] for r in rows]

    def last_daily(self, plan_id: str, way_id: str) -> float | None:
        """When the last message of a day was made (epoch s)."""
        with self._database.reading() as db:
            (at,) = db.execute(
                "SELECT max(made_at) FROM message WHERE plan_id = ? AND way = ? AND daily = 1"
                " AND made_at <= ?",
                (plan_id, way_id, self._now().timestamp() + AHEAD_SECONDS),
            ).fetchone()
        return None if at is None else float(at)

    def messages(self, plan_id: str, most: int = 50) -> list[Message]:
        """Messages of a plan, the newest first."""
        with self._database.reading() as db:
            rows = db.execute(
                f"SELECT {_MESSAGE} FROM message WHERE plan_id = ? ORDER BY number DESC LIMIT ?",  # noqa: S608
                (plan_id, most),
            ).fetchall()
        return [_message(r) for r in rows]

    def waiting(self) -> int:
        """How many messages wait."""
        with self._database.glancing() as db:
            counted = db.execute("SELECT count(*) FROM message WHERE state = 'waiting'").fetchone()
        return int(counted[0])

    # -- what the server does once a day -----------------------------------------------------------

    def done_on(self, chore: str) -> str:
        """The day (ISO) on which something was done last; empty when it never was.

        A day that is yet to come is none: what a clock once said that was wrong keeps nothing from
        being done.
        """
        coming = datetime.fromtimestamp(self._now().timestamp() + AHEAD_SECONDS, UTC).date()
        with self._database.reading() as db:
            row = db.execute("SELECT day FROM chore_done WHERE name = ?", (chore,)).fetchone()
        return row[0] if row and row[0] <= coming.isoformat() else ""

    def said_of(self, chore: str) -> str:
        """What came of it."""
        with self._database.reading() as db:
            row = db.execute("SELECT said FROM chore_done WHERE name = ?", (chore,)).fetchone()
        return row[0] if row else ""

    def did(self, chore: str, day: str, said: str) -> None:
        """Takes down that it was done, and what came of it."""
        with self._database.transaction() as db:
            db.execute(
                "INSERT INTO chore_done VALUES (?, ?, ?) ON CONFLICT (name) DO UPDATE SET"
                " day = excluded.day, said = excluded.said",
                (chore, day, said[:300]),
            )
