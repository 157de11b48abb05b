"""What machines say: looks, readings of disks, how full things were, runs of jobs, and tokens of hosts."""

import hashlib
import hmac
import secrets
import sqlite3
import zlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from kavrel.core.kept import Kept
from kavrel.core.seen.machine import Machine, Readings, SeenDisk, SeenRun
from kavrel.store.database import Database

KEPT_WHOLE = 40  # looks of a host whose listings are kept; of older ones what was read stays
READ_AHEAD = 16
FUTURE = 600.0  # a clock may be so many seconds ahead
READINGS = tuple(Readings.model_fields)
Fill = tuple[str, str, int]  # collection, thing, bytes


class ClockAhead(ValueError):
    """A look from the future: it would hide every true one until then."""


class NoSuchToken(KeyError):
    """Nobody has this token, or it was withdrawn."""


@dataclass(frozen=True)
class LookRow:
    """A look that is kept. `again`: the very same had been sent before."""

    number: int
    host: str
    host_name: str
    seen_at: float
    arrived_at: float
    sent: bool
    hash: str
    again: bool = False


@dataclass(frozen=True)
class ReadingRow:
    """Readings of a disk at a moment."""

    serial: str
    seen_at: float
    readings: dict[str, int | bool | None]


@dataclass(frozen=True)
class TokenRow:
    """A token of a host, without the token."""

    host: str
    made_at: float
    withdrawn_at: float | None
    used_at: float | None


class Looks:
    """Everything that machines said about the labs of a database."""

    def __init__(self, database: Database, now: Callable[[], datetime]) -> None:
        self._database, self._now = database, now
        self._cache: Kept[tuple[str, int], Machine] = Kept(READ_AHEAD)

    # -- looks -------------------------------------------------------------------------------------

    def keep(
        self,
        plan_id: str,
        host: str,
        machine: Machine,
        said: bytes,
        fills: Iterable[Fill] = (),
        sent: bool = False,
    ) -> LookRow:
        """Keeps a look with its readings and runs; one that was kept before is not kept twice.

        Raises ClockAhead. An older look is kept as what it is: the newest by its own clock counts.
        """
        now = self._now().timestamp()
        if machine.at > now + FUTURE:
            raise ClockAhead("its clock is ahead of the one here: set it right, then look again")
        mark = hashlib.sha256(said).hexdigest()
        with self._database.transaction() as db:
            known = db.execute(
                "SELECT number, host, host_name, seen_at, arrived_at, sent, hash FROM look"
                " WHERE plan_id = ? AND host = ? AND hash = ?",
                (plan_id, host, mark),
            ).fetchone()
            if known:
                return replace(_row(known), again=True)
            (last,) = db.execute(
                "SELECT coalesce(max(number), 0) FROM look WHERE plan_id = ?", (plan_id,)
            ).fetchone()
            row = LookRow(last + 1, host, machine.host, machine.at, now, sent, mark)
            db.execute(
                "INSERT INTO look VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    plan_id, row.number, host, machine.host, machine.at, now, int(sent), mark,
                    zlib.compress(machine.model_dump_json().encode()), zlib.compress(said),
                ),
            )  # fmt: skip
            _readings(db, plan_id, machine)
            db.executemany(
                "INSERT OR IGNORE INTO fill_reading VALUES (?, ?, ?, ?, ?)",
                [(plan_id, c, t, machine.at, b) for c, t, b in fills],
            )
            self._runs(db, plan_id, host, machine.runs)
            db.execute(
                "UPDATE look SET said = NULL WHERE plan_id = ? AND host = ? AND said IS NOT NULL AND number"
                " NOT IN (SELECT number FROM look WHERE plan_id = ? AND host = ?"
                " ORDER BY seen_at DESC LIMIT ?)",
                (plan_id, host, plan_id, host, KEPT_WHOLE),
            )
        return row

    @staticmethod
    def _runs(db: sqlite3.Connection, plan_id: str, host: str, runs: Iterable[SeenRun]) -> None:
        db.executemany(
            "INSERT OR IGNORE INTO run (plan_id, host, job, began, ended, result, said, bytes)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            [(plan_id, host, r.job, r.began, r.ended, r.result, r.said, r.bytes) for r in runs],
        )

    def rows(self, plan_id: str) -> list[LookRow]:
        """Looks of a plan, the newest by the machines' own clocks first; none from the future."""
        with self._database.reading() as db:
            got = db.execute(
                "SELECT number, host, host_name, seen_at, arrived_at, sent, hash FROM look"
                " WHERE plan_id = ? AND seen_at <= ? ORDER BY seen_at DESC, number DESC",
                (plan_id, self._now().timestamp() + FUTURE),
            ).fetchall()
        return [_row(r) for r in got]

    def newest(self, plan_id: str) -> dict[str, Machine]:
        """Host to the machine as it was seen last: by its own clock, whenever it arrived."""
        newest = self.newest_numbers(plan_id)
        return {host: self.machine(plan_id, number) for host, number in newest.items()}

    def newest_numbers(self, plan_id: str) -> dict[str, int]:
        """Host to the number of its newest look, which never changes once it is kept."""
        newest: dict[str, int] = {}
        for row in self.rows(plan_id):
            newest.setdefault(row.host, row.number)
        return newest

    def machine(self, plan_id: str, number: int) -> Machine:
        """What was read from a look; raises KeyError."""
        known = self._cache.get((plan_id, number))
        if known is not None:
            return known
        with self._database.reading() as db:
            got = db.execute(
                "SELECT machine FROM look WHERE plan_id = ? AND number = ?", (plan_id, number)
            ).fetchone()
        if got is None:
            raise KeyError(number)
        machine = Machine.model_validate_json(zlib.decompress(got[0]))
        self._cache.put((plan_id, number), machine)
        return machine

    def said(self, plan_id: str, number: int) -> bytes | None:
        """The listings as they arrived; None where only what was read of them is kept."""
        with self._database.reading() as db:
            got = db.execute(
                "SELECT said FROM look WHERE plan_id = ? AND number = ?", (plan_id, number)
            ).fetchone()
        return zlib.decompress(got[0]) if got and got[0] is not None else None

    # -- over time ---------------------------------------------------------------------------------

    def readings(self, plan_id: str, serial: str | None = None) -> list[ReadingRow]:
        """Readings of disks, each disk's oldest first."""
        sql = f"SELECT serial, seen_at, {', '.join(READINGS)} FROM disk_reading WHERE plan_id = ?"  # noqa: S608
        given: tuple[Any, ...] = (plan_id,)
        if serial is not None:
            sql, given = f"{sql} AND serial = ?", (plan_id, serial)
        with self._database.reading() as db:
            got = db.execute(f"{sql} ORDER BY serial, seen_at", given).fetchall()
        return [
            ReadingRow(
                r[0],
                r[1],
                {
                    k: bool(v) if k == "healthy" and v is not None else v
                    for k, v in zip(READINGS, r[2:], strict=True)
                },
            )
            for r in got
        ]

    def fills(self, plan_id: str) -> dict[tuple[str, str], list[tuple[float, int]]]:
        """Collection and thing to moments and bytes, the oldest first."""
        result: dict[tuple[str, str], list[tuple[float, int]]] = {}
        with self._database.reading() as db:
            for collection, thing, at, used in db.execute(
                "SELECT collection, thing, seen_at, used_bytes FROM fill_reading WHERE plan_id = ?"
                " ORDER BY seen_at",
                (plan_id,),
            ):
                result.setdefault((collection, thing), []).append((at, used))
        return result

    def runs(self, plan_id: str, most: int = 2000) -> list[tuple[str, SeenRun]]:
        """Host and run, the newest first."""
        return self._some_runs(plan_id, False, most)

    def carried(self, plan_id: str) -> list[tuple[str, SeenRun]]:
        """Those of which it is known what they carried."""
        return self._some_runs(plan_id, True, 20_000)

    def _some_runs(self, plan_id: str, counted: bool, most: int) -> list[tuple[str, SeenRun]]:
        with self._database.reading() as db:
            got = db.execute(
                "SELECT host, job, began, ended, result, said, bytes FROM run WHERE plan_id = ?"
                " AND (bytes IS NOT NULL OR NOT ?) ORDER BY began DESC LIMIT ?",
                (plan_id, counted, most),
            ).fetchall()
        return [
            (host, SeenRun(**dict(zip(SeenRun.model_fields, told, strict=True))))
            for host, *told in got
        ]

    # -- tokens ------------------------------------------------------------------------------------

    def give_token(self, plan_id: str, host: str) -> str:
        """A new token for a host, said this once; those that it had are withdrawn."""
        token = secrets.token_urlsafe(32)
        now = self._now().timestamp()
        with self._database.transaction() as db:
            self._withdraw(db, plan_id, host, now)
            db.execute(
                "INSERT INTO host_token (plan_id, host, hash, made_at) VALUES (?, ?, ?, ?)",
                (plan_id, host, _hash(token), now),
            )
        return token

    def withdraw_token(self, plan_id: str, host: str) -> None:
        """From now on nothing is taken by it."""
        with self._database.transaction() as db:
            self._withdraw(db, plan_id, host, self._now().timestamp())

    @staticmethod
    def _withdraw(db: sqlite3.Connection, plan_id: str, host: str, now: float) -> None:
        db.execute(
            "UPDATE host_token SET withdrawn_at = ? WHERE plan_id = ? AND host = ? AND withdrawn_at IS NULL",
            (now, plan_id, host),
        )

    def whose_token(self, token: str) -> tuple[str, str]:
        """The plan and the host of a token; raises NoSuchToken."""
        mark = _hash(token)
        with self._database.transaction() as db:
            got = db.execute(
                "SELECT plan_id, host, hash FROM host_token WHERE hash = ? AND withdrawn_at IS NULL",
                (mark,),
            ).fetchone()
            if got is None or not hmac.compare_digest(got[2], mark):
                raise NoSuchToken
            db.execute(
                "UPDATE host_token SET used_at = ? WHERE hash = ?", (self._now().timestamp(), mark)
            )
        return got[0], got[1]

    def tokens(self, plan_id: str) -> list[TokenRow]:
        """Every token that was given, the newest first."""
        with self._database.reading() as db:
            got = db.execute(
                "SELECT host, made_at, withdrawn_at, used_at FROM host_token WHERE plan_id = ?"
                " ORDER BY made_at DESC, rowid DESC",
                (plan_id,),
            ).fetchall()
        return [TokenRow(*r) for r in got]


def _row(got: tuple[Any, ...]) -> LookRow:
    number, host, host_name, seen_at, arrived_at, sent, mark = got
    return LookRow(number, host, host_name, seen_at, arrived_at, bool(sent), mark)


def _hash(token: str) -> str:
    # 256 random bits need no slow hash: nobody can guess them.
    return hashlib.sha256(token.encode()).hexdigest()


def _readings(db: sqlite3.Connection, plan_id: str, machine: Machine) -> None:
    rows = [
        (plan_id, d.serial, machine.at, *(_plain(getattr(d, k)) for k in READINGS))
        for d in machine.disks
        if d.serial and _has_readings(d)
    ]
    marks = ", ".join("?" * (3 + len(READINGS)))
    db.executemany(f"INSERT OR IGNORE INTO disk_reading VALUES ({marks})", rows)  # noqa: S608


def _plain(value: int | bool | None) -> int | None:
    return None if value is None else int(value)


def _has_readings(disk: SeenDisk) -> bool:
    return any(getattr(disk, k) is not None for k in READINGS)
