"""Passkeys that people made: the public halves, bound to the host name that they were made at."""

import secrets
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from kavrel.store.database import Database

MOST = 20  # of a person


class TooMany(ValueError):
    """Somebody has as many passkeys as are kept."""


@dataclass(frozen=True)
class Passkey:
    """One of them; `signed` is its authenticator's own count, 0 where that does not count."""

    id: str
    person: str
    site: str
    public_key: bytes
    signed: int
    name: str
    made_at: float
    used_at: float | None


class Passkeys:
    """The passkeys of a database."""

    def __init__(self, database: Database, now: Callable[[], datetime]) -> None:
        self._database, self._now = database, now

    def handle(self, person: str) -> str:
        """The person's name towards authenticators, made at random when it is asked for first."""
        with self._database.transaction() as db:
            db.execute(
                "UPDATE person SET handle = ? WHERE name = ? AND handle IS NULL",
                (secrets.token_hex(32), person),
            )
            row = db.execute("SELECT handle FROM person WHERE name = ?", (person,)).fetchone()
        return str(row[0])

    def of(self, person: str) -> list[Passkey]:
        """A person's passkeys, the oldest first."""
        with self._database.glancing() as db:
            rows = db.execute(
                "SELECT * FROM passkey WHERE person = ? ORDER BY made_at, id", (person,)
            ).fetchall()
        return [Passkey(*r) for r in rows]

    def get(self, key_id: str) -> Passkey | None:
        """The passkey of this id, whosesoever."""
        with self._database.glancing() as db:
            row = db.execute("SELECT * FROM passkey WHERE id = ?", (key_id,)).fetchone()
        return Passkey(*row) if row else None

    def add(
        self, key_id: str, person: str, site: str, public_key: bytes, signed: int, name: str
    ) -> None:
        """Keeps a passkey; raises TooMany."""
        with self._database.transaction() as db:
            there = db.execute("SELECT count(*) FROM passkey WHERE person = ?", (person,))
            if there.fetchone()[0] >= MOST:
                raise TooMany(person)
            db.execute(
                "INSERT INTO passkey VALUES (?, (SELECT name FROM person WHERE name = ?), ?, ?, ?, ?, ?, NULL)",
                (key_id, person, site, public_key, signed, name, self._now().timestamp()),
            )

    def used(self, key_id: str, before: int, signed: int) -> bool:
        """Writes down the count that was signed; False when somebody was quicker with this one."""
        with self._database.transaction() as db:
            done = db.execute(
                "UPDATE passkey SET signed = ?, used_at = ? WHERE id = ? AND signed = ?",
                (signed, self._now().timestamp(), key_id, before),
            )
            return done.rowcount == 1

    def remove(self, key_id: str, person: str) -> bool:
        """Takes a passkey of a person away."""
        with self._database.transaction() as db:
            done = db.execute("DELETE FROM passkey WHERE id = ? AND person = ?", (key_id, person))
            return done.rowcount == 1
