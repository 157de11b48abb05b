"""Copies of the database: before each change of its schema, every night, by hand; and back again.

Which nightly copies stay is ruled by the same rules as the points of a plan's jobs.
"""

import re
import sqlite3
import zlib
from collections.abc import Iterator
from contextlib import closing, suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from urllib.parse import quote

from kavrel.core.plan import Retention
from kavrel.formats import plan_file
from kavrel.store.database import Database, StoreError, backup, migrations, to_read
from kavrel.store.owner import of_its_folder
from kavrel.store.plans import AGGREGATES

FOLDER = "backups"
NIGHTLY = re.compile(r"kavrel-(\d{8}T\d{6})Z\.db")
RULE = re.compile(r"(\d{1,4})([dwmy])")
UNITS = {"d": "daily", "w": "weekly", "m": "monthly", "y": "yearly"}
USUAL = "7d2w1m1y"
STAMP = "%Y%m%dT%H%M%S"


class BadRule(ValueError):
    """Not a rule such as 7d2w1m1y."""


@dataclass(frozen=True)
class Held:
    """What a copy holds: plans by name with their newest revision, its schema, and how much it is."""

    plans: tuple[tuple[str, int], ...]
    schema_number: int
    size_bytes: int


def folder_of(database: Path) -> Path:
    """Where the copies of a database lie."""
    return database.parent / FOLDER


def rule_of(text: str) -> Retention:
    """`7d2w1m1y` as the rule of a job: so many daily, weekly, monthly and yearly, beyond one another."""
    parts = RULE.findall(text.strip().lower())
    if not parts or "".join(n + u for n, u in parts) != text.strip().lower():
        raise BadRule("so many days, weeks, months and years, as 7d2w1m1y")
    counts = {UNITS[u]: int(n) for n, u in parts}
    if len(counts) != len(parts) or not any(counts.values()):
        raise BadRule("each of d, w, m, y once, and at least one copy")
    return Retention.model_validate({"daily": 0, "weekly": 0, "monthly": 0} | counts)


def nightly(database: Path, rule: Retention, zone: str, now: datetime) -> tuple[Path, list[Path]]:
    """Makes a copy, proves that it is whole, and lets go what the rule no longer keeps.

    Gives the copy and what went. Nothing goes when the new copy is not good. Raises StoreError.
    """
    folder = folder_of(database)
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    of_its_folder(folder)
    made = folder / f"kavrel-{now.astimezone(UTC):{STAMP}}Z.db"
    backup(database, made)
    try:
        held(made)
    except StoreError:
        made.unlink(missing_ok=True)
        raise
    return made, prune(folder, rule, zone, now)


def prune(folder: Path, rule: Retention, zone: str, now: datetime) -> list[Path]:
    """Removes nightly copies that no rule keeps; the newest always stays. Gives what went."""
    from kavrel.core.copies.retention import existing, keep  # loads numpy

    files = copies(folder)
    moments = [(t, t) for t, _ in files]
    points = keep(moments, rule, zone)
    stay = {p.data_time for p in existing(points, now.timestamp())} | {m for m, _ in moments[-1:]}
    gone = [path for t, path in files if t not in stay]
    for path in gone:
        path.unlink()
    return gone


def copies(folder: Path) -> list[tuple[float, Path]]:
    """Nightly copies with their moments (epoch s), the oldest first."""
    backups = []
    for path in folder.glob("kavrel-*.db"):
        if named := NIGHTLY.fullmatch(path.name):
            when = datetime.strptime(named[1], STAMP).replace(tzinfo=UTC)
            backups.append((when.timestamp(), path))
    return sorted(backups)


def held(path: Path) -> Held:
    """What a copy holds, once SQLite's own check has found it whole; raises StoreError."""
    if not path.is_file():
        raise StoreError(f"there is no copy at {path}")
    try:
        with closing(sqlite3.connect(to_read(path), uri=True)) as db:
            (said,) = db.execute("PRAGMA integrity_check(1)").fetchone()
            if said != "ok":
                raise StoreError(f"{path} is damaged: {said}")
            (number,) = db.execute("PRAGMA user_version").fetchone()
            plans = db.execute("SELECT name, head FROM plan ORDER BY name").fetchall()
    except sqlite3.DatabaseError as error:
        raise StoreError(f"{path} is no database of Kavrel: {error}") from error
    newest = migrations()[-1][0]
    if number > newest:
        raise StoreError(
            f"{path} was written by a newer Kavrel (schema {number}, this one knows {newest})"
        )
    return Held(tuple(plans), number, path.stat().st_size)


def restore(copy: Path, database: Path, now: datetime) -> Path | None:
    """Puts a copy in the place of the database; gives where the replaced one lies now, if any.

    No server may have the database open. Raises StoreError, and then nothing is changed.
    """
    held(copy)
    part = database.with_name(database.name + ".restored")
    part.unlink(missing_ok=True)
    database.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    with Database.alone(database):
        backup(copy, part)
        aside = set_aside(database, "replaced", now)
        part.replace(database)
    return aside


def set_aside(database: Path, why: str, now: datetime) -> Path | None:
    """Moves a database with all that SQLite keeps beside it; gives where it lies now."""
    if not database.exists():
        return None
    stamp = now.astimezone(UTC)
    target = database.with_name(f"{database.name}.{why}-{stamp:{STAMP}}Z")
    while target.exists():
        stamp += timedelta(seconds=1)
        target = database.with_name(f"{database.name}.{why}-{stamp:{STAMP}}Z")
    for end in ("-wal", "-shm"):
        beside = database.with_name(database.name + end)
        if beside.exists():
            beside.replace(target.with_name(target.name + end))
    return database.replace(target)


def salvage(damaged: Path, target: Path) -> dict[str, tuple[int, int]]:
    """Writes what can still be read of a damaged database into a new one, which is then whole.

    Gives for each table how many rows were read, and how many of them could be kept: a row whose
    plan is gone has no place. The damaged file is only read. Raises StoreError.
    """
    if target.exists():
        raise StoreError(f"{target} is already there: name a new file")
    fresh = Database(target)
    fresh.close()
    saved: dict[str, tuple[int, int]] = {}
    with (
        closing(sqlite3.connect(f"file:{quote(str(damaged))}?mode=ro", uri=True)) as old,
        closing(sqlite3.connect(target, isolation_level=None)) as new,
    ):
        new.execute("PRAGMA foreign_keys = OFF")
        tables = new.execute(
            "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'"
        ).fetchall()
        new.execute("BEGIN")
        for (table,) in tables:
            columns = _shared(old, new, table)
            rows = list(_readable(old, table, columns)) if columns else []
            for row in rows:
                marks = ", ".join("?" * len(row))
                sql = f"INSERT OR IGNORE INTO {table} ({', '.join(columns)}) VALUES ({marks})"  # noqa: S608
                with suppress(sqlite3.IntegrityError):  # a value that is garbled
                    new.execute(sql, row)
            saved[table] = (len(rows), 0)
        _plans_of_revisions(new)
        while astray := new.execute("PRAGMA foreign_key_check").fetchall():
            for table, row, *_ in astray:
                new.execute(f"DELETE FROM {table} WHERE rowid = ?", (row,))  # noqa: S608
        new.execute("COMMIT")
        for (table,) in tables:
            (kept,) = new.execute(f"SELECT count(*) FROM {table}").fetchone()  # noqa: S608
            saved[table] = (saved[table][0], kept)
    return saved


def _shared(old: sqlite3.Connection, new: sqlite3.Connection, table: str) -> list[str]:
    """Columns that both have; none where the old one cannot even be asked."""
    try:
        there = {c[1] for c in old.execute(f"PRAGMA table_info({table})")}
    except sqlite3.DatabaseError:
        return []
    return [c[1] for c in new.execute(f"PRAGMA table_info({table})") if c[1] in there]


def _plans_of_revisions(new: sqlite3.Connection) -> None:
    """Each plan anew from its newest revision that can be read: its own tables may have gaps."""
    for (plan_id,) in new.execute("SELECT DISTINCT plan_id FROM revision").fetchall():
        contents = new.execute(
            "SELECT number, content, made_at FROM revision WHERE plan_id = ? ORDER BY number DESC",
            (plan_id,),
        ).fetchall()
        for number, content, made_at in contents:
            try:
                plan = plan_file.load(zlib.decompress(content))
            except (plan_file.PlanFileError, zlib.error):
                new.execute(
                    "DELETE FROM revision WHERE plan_id = ? AND number = ?", (plan_id, number)
                )
                continue
            new.execute(
                "INSERT OR IGNORE INTO plan (id, name, variant, currency, zone, head, created_at)"
                " VALUES (?, ?, ?, ?, ?, ?, ?)",
                (plan_id, plan.name, plan.variant, plan.currency, plan.zone, number, made_at),
            )
            for aggregate in AGGREGATES:
                aggregate.write(new, plan_id, plan)
            new.execute("UPDATE plan SET head = ? WHERE id = ?", (number, plan_id))
            break
    new.execute("DELETE FROM plan WHERE id NOT IN (SELECT plan_id FROM revision)")
    new.execute(
        "UPDATE plan SET pinned = NULL WHERE pinned NOT IN"
        " (SELECT number FROM revision r WHERE r.plan_id = plan.id)"
    )
    new.execute(
        "UPDATE revision SET parent = NULL WHERE parent NOT IN"
        " (SELECT p.number FROM revision p WHERE p.plan_id = revision.plan_id)"
    )


def _readable(
    old: sqlite3.Connection, table: str, wanted: list[str]
) -> Iterator[tuple[object, ...]]:
    """Rows from both ends up to where the file is damaged; each once."""
    seen: set[object] = set()
    for order in ("ASC", "DESC"):
        try:
            cursor = old.execute(
                f"SELECT rowid, {', '.join(wanted)} FROM {table} ORDER BY rowid {order}"  # noqa: S608
            )
            while row := cursor.fetchone():
                if row[0] in seen:
                    break
                seen.add(row[0])
                yield row[1:]
        except sqlite3.DatabaseError:
            continue
