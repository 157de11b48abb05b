"""Who may come in: people, their sessions, and the book kept at the door."""

import hashlib
import secrets
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from kavrel.store.database import Database

Role = Literal["planner", "hands", "reader"]
ROLES: tuple[Role, ...] = ("planner", "hands", "reader")
# Of whom more than a password is asked: a code beside it, or a passkey instead.
SecondFor = Literal["nobody", "planners", "everybody"]
SECOND_FOR: tuple[SecondFor, ...] = ("nobody", "planners", "everybody")
# At most 40 characters, no slash, no colon, no blank at either end.
NAME = r"^[^\s\x00-\x1f\x7f:/]([^\x00-\x1f\x7f:/]{0,38}[^\s\x00-\x1f\x7f:/])?$"
# A session ends when it is not used for a week, and in any case after a month (OWASP ASVS 5.0, 7.3).
IDLE_SECONDS = 7 * 86_400.0
LONGEST_SECONDS = 30 * 86_400.0
AHEAD_SECONDS = 86_400.0
USED_STEP = 60.0  # when a session was used is written once a minute
MOST_SESSIONS = 20  # of a person; the one that was used longest ago makes room
MOST_NOTES = 5_000
REFUSED_AGAIN = 60.0  # seconds within which the same refusal is written once


class NoSuchPerson(KeyError):
    """Nobody is called that."""


class NameTaken(ValueError):
    """Somebody is called that already, whatever the case of its letters."""


class LastPlanner(ValueError):
    """Without a planner nobody could let anybody in."""


@dataclass(frozen=True)
class Person:
    """Somebody who may come in. `second`: a code is asked for beside the password.

    `given`: somebody else chose the password.
    """

    name: str
    role: Role
    second: bool
    made_at: float
    calendar: bool
    passkeys: int
    given: bool


@dataclass(frozen=True)
class Secrets:
    """What a person is recognised by."""

    password_hash: str
    second_secret: str | None
    second_last: int


@dataclass(frozen=True)
class Session:
    """Where somebody is signed in; `number` names it and lets nobody in.

    `strong`: by a code beside the password, or by a passkey.
    """

    number: str
    person: str
    made_at: float
    used_at: float
    address: str
    device: str
    strong: bool


@dataclass(frozen=True)
class DoorNote:
    """A line of the book at the door."""

    at: float
    who: str
    address: str
    what: str


def _mark(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


_PERSON = (
    "SELECT name, role, second_secret IS NOT NULL, made_at, calendar_hash IS NOT NULL,"
    " (SELECT count(*) FROM passkey WHERE person = person.name), password_given FROM person"
)


def _session(row: tuple[str, str, float, float, str, str, int]) -> Session:
    return Session(*row[:6], strong=bool(row[6]))


def _person(row: tuple[str, Role, int, float, int, int, int]) -> Person:
    name, role, second, made_at, calendar, passkeys, given = row
    return Person(name, role, bool(second), made_at, bool(calendar), passkeys, bool(given))


class People:
    """The people of a database. Nothing is remembered: another process may let people in, too."""

    def __init__(self, database: Database, now: Callable[[], datetime]) -> None:
        self._database, self._now = database, now

    def _moment(self) -> float:
        return self._now().timestamp()

    # -- people ------------------------------------------------------------------------------------

    def any(self) -> bool:
        """Whether anybody has to sign in at all."""
        with self._database.glancing() as db:
            return bool(db.execute("SELECT EXISTS (SELECT 1 FROM person)").fetchone()[0])

    def all(self) -> list[Person]:
        """Everybody, by name."""
        with self._database.glancing() as db:
            rows = db.execute(f"{_PERSON} ORDER BY name").fetchall()
        return [_person(r) for r in rows]

    def person(self, name: str) -> Person:
        """One of them; raises NoSuchPerson."""
        with self._database.glancing() as db:
            row = db.execute(f"{_PERSON} WHERE name = ?", (name,)).fetchone()
        if row is None:
            raise NoSuchPerson(name)
        return _person(row)

    def secrets(self, name: str) -> Secrets | None:
        """What a person is recognised by; None for nobody."""
        with self._database.glancing() as db:
            row = db.execute(
                "SELECT password_hash, second_secret, second_last FROM person WHERE name = ?",
                (name,),
            ).fetchone()
        return Secrets(*row) if row else None

    def add(
        self,
        name: str,
        role: Role,
        password_hash: str,
        first: bool = False,
        given: bool = False,
    ) -> Person:
        """Lets somebody in; raises NameTaken, or with `first` when anybody is there already.

        `given`: the password is somebody else's choice.
        """
        with self._database.transaction() as db:
            there = db.execute(
                "SELECT 1 FROM person WHERE name = ? OR ?", (name, int(first))
            ).fetchone()
            if there:
                raise NameTaken(name)
            db.execute(
                "INSERT INTO person (name, role, password_hash, made_at, password_given)"
                " VALUES (?, ?, ?, ?, ?)",
                (name, role, password_hash, self._moment(), given),
            )
        return self.person(name)

    def set_role(self, name: str, role: Role) -> None:
        """Gives another role; raises NoSuchPerson, LastPlanner."""
        with self._database.transaction() as db:
            self._there(db, name)
            if role != "planner":
                self._another_planner(db, name)
            db.execute("UPDATE person SET role = ? WHERE name = ?", (role, name))

    def remove(self, name: str) -> None:
        """Lets somebody in no more, and ends all that was open; raises NoSuchPerson, LastPlanner."""
        with self._database.transaction() as db:
            self._there(db, name)
            self._another_planner(db, name)
            db.execute("DELETE FROM person WHERE name = ?", (name,))

    def set_password(
        self, name: str, password_hash: str, keep: str | None = None, given: bool = False
    ) -> None:
        """Another password; every session of the person but that of the cookie `keep` ends.

        `given`: it is somebody else's choice.
        """
        with self._database.transaction() as db:
            self._there(db, name)
            db.execute(
                "UPDATE person SET password_hash = ?, password_given = ? WHERE name = ?",
                (password_hash, given, name),
            )
            db.execute(
                "DELETE FROM session WHERE person = ? AND hash <> ?", (name, _mark(keep or ""))
            )

    def rehash(self, name: str, password_hash: str) -> None:
        """The same password under the present cost; nothing else changes."""
        with self._database.transaction() as db:
            db.execute("UPDATE person SET password_hash = ? WHERE name = ?", (password_hash, name))

    def set_second(self, name: str, secret: str | None, step: int = 0) -> None:
        """From now on codes of this secret are asked for, or none."""
        with self._database.transaction() as db:
            self._there(db, name)
            db.execute(
                "UPDATE person SET second_secret = ?, second_last = ? WHERE name = ?",
                (secret, step, name),
            )

    def forget_passkeys(self, name: str) -> int:
        """Takes all passkeys of a person away, as after a theft, and ends all sessions; how many."""
        with self._database.transaction() as db:
            self._there(db, name)
            db.execute("DELETE FROM session WHERE person = ?", (name,))
            return db.execute("DELETE FROM passkey WHERE person = ?", (name,)).rowcount

    def spend(self, name: str, step: int) -> bool:
        """Takes the code of a step once; False when it, or a later one, was taken before."""
        with self._database.transaction() as db:
            done = db.execute(
                "UPDATE person SET second_last = ? WHERE name = ? AND second_last < ?",
                (step, name, step),
            )
            return done.rowcount == 1

    def second_for(self) -> SecondFor:
        """Of whom more than a password is asked."""
        with self._database.glancing() as db:
            rule: SecondFor = db.execute("SELECT second_for FROM door_rule").fetchone()[0]
        return rule

    def ask_second_of(self, whom: SecondFor) -> None:
        """From now on more than a password is asked of these; what a password alone opened ends."""
        with self._database.transaction() as db:
            db.execute("UPDATE door_rule SET second_for = ?", (whom,))
            db.execute(
                "DELETE FROM session WHERE NOT strong AND person IN (SELECT name FROM person"
                " WHERE ? = 'everybody' OR (? = 'planners' AND role = 'planner'))",
                (whom, whom),
            )

    def strong(self, cookie: str) -> bool:
        """Whether a session was opened, or gone on with, by more than a password."""
        with self._database.glancing() as db:
            row = db.execute(
                "SELECT strong FROM session WHERE hash = ?", (_mark(cookie),)
            ).fetchone()
        return bool(row and row[0])

    @staticmethod
    def _there(db: sqlite3.Connection, name: str) -> None:
        if not db.execute("SELECT 1 FROM person WHERE name = ?", (name,)).fetchone():
            raise NoSuchPerson(name)

    @staticmethod
    def _another_planner(db: sqlite3.Connection, name: str) -> None:
        other = db.execute(
            "SELECT 1 FROM person WHERE role = 'planner' AND name <> ?", (name,)
        ).fetchone()
        if not other:
            raise LastPlanner(name)

    # -- sessions ----------------------------------------------------------------------------------

    def open(self, name: str, address: str, device: str, strong: bool = False) -> str:
        """A new session; gives its cookie, which is said once and kept as a hash alone.

        `strong`: it was opened by more than a password.
        """
        cookie, now = secrets.token_urlsafe(32), self._moment()
        with self._database.transaction() as db:
            db.execute(
                "INSERT INTO session VALUES (?, ?, (SELECT name FROM person WHERE name = ?), ?, ?, ?, ?, ?)",
                (
                    _mark(cookie),
                    secrets.token_hex(6),
                    name,
                    now,
                    now,
                    address,
                    device[:120],
                    strong,
                ),
            )
            db.execute(
                "DELETE FROM session WHERE person = ? AND hash NOT IN (SELECT hash FROM session"
                " WHERE person = ? ORDER BY used_at DESC, rowid DESC LIMIT ?)",
                (name, name, MOST_SESSIONS),
            )
        return cookie

    def strengthen(self, cookie: str) -> None:
        """More than the password was shown within this session."""
        with self._database.transaction() as db:
            db.execute("UPDATE session SET strong = 1 WHERE hash = ?", (_mark(cookie),))

    def whose(self, cookie: str) -> tuple[Person, Session, bool] | None:
        """Who holds this cookie, and whether more than a password is asked of them that was not shown.

        None for a cookie that nobody has, or that is too old.
        """
        now, mark = self._moment(), _mark(cookie)
        with self._database.glancing() as db:
            row = db.execute(
                "SELECT s.number, s.person, s.made_at, s.used_at, s.address, s.device, s.strong,"
                " second_for = 'everybody' OR (second_for = 'planners' AND p.role = 'planner'),"
                " p.role, p.second_secret IS NOT NULL, p.made_at, p.calendar_hash IS NOT NULL,"
                " (SELECT count(*) FROM passkey WHERE person = p.name), p.password_given"
                " FROM session s JOIN person p ON p.name = s.person JOIN door_rule"
                " WHERE s.hash = ?",
                (mark,),
            ).fetchone()
        if row is None:
            return None
        session, asked = _session(row[:7]), bool(row[7])
        ahead = (
            session.used_at > now + AHEAD_SECONDS
        )  # opened by a clock that was wrong: it would last
        idle = now - session.used_at > IDLE_SECONDS
        if ahead or idle or now - session.made_at > LONGEST_SECONDS:
            self.close(cookie)
            return None
        if now - session.used_at > USED_STEP:
            with self._database.transaction() as db:
                db.execute("UPDATE session SET used_at = ? WHERE hash = ?", (now, mark))
        return _person((session.person, *row[8:])), session, asked and not session.strong

    def close(self, cookie: str) -> None:
        """Ends the session of a cookie."""
        with self._database.transaction() as db:
            db.execute("DELETE FROM session WHERE hash = ?", (_mark(cookie),))

    def sessions(self, name: str | None = None) -> list[Session]:
        """Open sessions, of one person or all, the one used last first; what is too old is gone."""
        now = self._moment()
        with self._database.transaction() as db:
            db.execute(
                "DELETE FROM session WHERE used_at < ? OR made_at < ? OR used_at > ?",
                (now - IDLE_SECONDS, now - LONGEST_SECONDS, now + AHEAD_SECONDS),
            )
            rows = db.execute(
                "SELECT number, person, made_at, used_at, address, device, strong FROM session"
                " WHERE ? IS NULL OR person = ? ORDER BY used_at DESC, number",
                (name, name),
            ).fetchall()
        return [_session(r) for r in rows]

    def end(self, number: str, name: str | None = None) -> bool:
        """Ends a session by its number, of this person alone if one is named."""
        with self._database.transaction() as db:
            done = db.execute(
                "DELETE FROM session WHERE number = ? AND (? IS NULL OR person = ?)",
                (number, name, name),
            )
            return done.rowcount == 1

    # -- calendars ---------------------------------------------------------------------------------

    def give_calendar(self, name: str) -> str:
        """A secret address of a person's calendar; the one before is worth nothing from now on."""
        secret = secrets.token_urlsafe(24)
        with self._database.transaction() as db:
            self._there(db, name)
            db.execute("UPDATE person SET calendar_hash = ? WHERE name = ?", (_mark(secret), name))
        return secret

    def withdraw_calendar(self, name: str) -> None:
        """No calendar is given out for this person any more."""
        with self._database.transaction() as db:
            db.execute("UPDATE person SET calendar_hash = NULL WHERE name = ?", (name,))

    def whose_calendar(self, secret: str) -> Person | None:
        """Whose calendar a secret address is."""
        with self._database.glancing() as db:
            row = db.execute(f"{_PERSON} WHERE calendar_hash = ?", (_mark(secret),)).fetchone()
        return _person(row) if row else None

    # -- the book at the door ----------------------------------------------------------------------

    def note(self, who: str, address: str, what: str) -> None:
        """Writes a line; the oldest lines make room."""
        with self._database.transaction() as db:
            db.execute(
                "INSERT INTO door_note (at, who, address, what) VALUES (?, ?, ?, ?)",
                (self._moment(), who[:80], address[:60], what[:200]),
            )
            db.execute(
                "DELETE FROM door_note WHERE number <= (SELECT max(number) FROM door_note) - ?",
                (MOST_NOTES,),
            )

    def note_refusal(self, who: str, address: str, what: str) -> None:
        """Writes a line unless the very same one stands there from the last minute.

        A page that keeps asking must not push out of the book what happened before.
        """
        with self._database.glancing() as db:
            again = db.execute(
                "SELECT 1 FROM door_note WHERE at > ? AND who = ? AND what = ?",
                (self._moment() - REFUSED_AGAIN, who[:80], what[:200]),
            ).fetchone()
        if not again:
            self.note(who, address, what)

    def notes(self, most: int = 200) -> list[DoorNote]:
        """The book, the newest line first."""
        with self._database.glancing() as db:
            rows = db.execute(
                "SELECT at, who, address, what FROM door_note ORDER BY number DESC LIMIT ?", (most,)
            ).fetchall()
        return [DoorNote(*r) for r in rows]
