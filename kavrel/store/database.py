"""The database file: opened by one server at a time, migrated, copied safely while running."""

import fcntl
import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from datetime import UTC, datetime
from importlib import resources
from pathlib import Path
from threading import Lock, RLock
from urllib.parse import quote

from kavrel.store.owner import of_its_folder


class StoreError(RuntimeError):
    """The database cannot be used; the text says why in plain words."""


class StoreDamaged(StoreError):
    """The file is damaged. It is not written to; see `kavrel rescue` and `kavrel restore`."""


class StoreFull(StoreError):
    """The disk that the database is on is full; nothing was changed."""


def migrations() -> list[tuple[int, str]]:
    """Numbered SQL scripts in order."""
    folder = resources.files("kavrel.store") / "schema"
    names = sorted(f.name for f in folder.iterdir() if f.name.endswith(".sql"))
    return [(int(name[:4]), (folder / name).read_text(encoding="utf-8")) for name in names]


class Database:
    """One open database; transactions are serialized by a lock."""

    def __init__(self, path: Path, beside: bool = False) -> None:
        """`beside`: a server may have it open; only who may come in is then read and changed."""
        self.path = path
        self._guard = RLock()
        self._lock: int | None = None
        try:
            path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            if not beside:
                self._lock = _hold(path.with_name(path.name + ".lock"))
                _whole(path)
            _private(path)
            self._db = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
            self._db.execute("PRAGMA foreign_keys = ON")
            self._db.execute("PRAGMA journal_mode = WAL")
            self._db.execute("PRAGMA synchronous = FULL")
            self._migrate()
            # For a quick look while a change is being reckoned: it sees what is committed.
            self._eye = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
            self._eye.execute("PRAGMA query_only = ON")
            self._eye_guard = Lock()
        except StoreError:
            self._let_go()
            raise
        except sqlite3.DatabaseError as error:
            self._let_go()
            raise StoreError(f"{path} cannot be opened as a database: {error}") from error
        except OSError as error:
            self._let_go()
            raise StoreError(f"{path} cannot be opened: {error.strerror}") from error

    @staticmethod
    @contextmanager
    def alone(path: Path) -> Iterator[None]:
        """Keeps servers away from a database meanwhile; raises StoreError where one is at work."""
        lock = _hold(path.with_name(path.name + ".lock"))
        try:
            yield
        finally:
            os.close(lock)

    def _let_go(self) -> None:
        if self._lock is not None:
            os.close(self._lock)
            self._lock = None

    def _migrate(self) -> None:
        version = self._db.execute("PRAGMA user_version").fetchone()[0]
        known = migrations()
        if version > known[-1][0]:
            raise StoreError(
                f"{self.path} was written by a newer Kavrel (schema {version}, this one knows "
                f"{known[-1][0]})"
            )
        if 0 < version < known[-1][0]:
            folder = self.path.parent / "backups"
            folder.mkdir(mode=0o700, exist_ok=True)
            of_its_folder(folder)
            backup(
                self.path,
                folder / f"before-schema-{known[-1][0]}-{datetime.now(UTC):%Y%m%dT%H%M%S%f}Z.db",
            )
        for number, script in known:
            if number > version:
                self._db.executescript(
                    f"BEGIN IMMEDIATE;\n{script}\nPRAGMA user_version = {number};\nCOMMIT;"
                )

    @contextmanager
    def transaction(self) -> Iterator[sqlite3.Connection]:
        """All or nothing: commits at the end, rolls back when anything is raised."""
        with self._guard:
            try:
                self._db.execute("BEGIN IMMEDIATE")
                yield self._db
                self._db.execute("COMMIT")
            except sqlite3.OperationalError as error:
                self._roll_back()
                if error.sqlite_errorcode in (sqlite3.SQLITE_FULL, sqlite3.SQLITE_IOERR_WRITE):
                    raise StoreFull(
                        "the disk that holds the database is full: nothing was changed"
                    ) from error
                raise StoreError(f"the database refused: {error}") from error
            except BaseException:
                self._roll_back()
                raise

    def _roll_back(self) -> None:
        # SQLite rolls back by itself after some errors; then there is nothing left to do.
        with suppress(sqlite3.OperationalError):
            self._db.execute("ROLLBACK")

    @contextmanager
    def reading(self) -> Iterator[sqlite3.Connection]:
        """Read access; sees the last committed state."""
        with self._guard:
            yield self._db

    @contextmanager
    def glancing(self) -> Iterator[sqlite3.Connection]:
        """Read access that waits for no change that is being made meanwhile."""
        with self._eye_guard:
            yield self._eye

    def schema_number(self) -> int:
        """The number of the newest migration that was made; raises sqlite3's errors."""
        with self.glancing() as db:
            return int(db.execute("PRAGMA user_version").fetchone()[0])

    def size_bytes(self) -> int:
        """Bytes of the file, without what SQLite keeps beside it."""
        return self.path.stat().st_size

    def close(self) -> None:
        """Closes the file and lets another server have it."""
        with self._guard, self._eye_guard:
            self._eye.close()
            self._db.close()
            self._let_go()


def _hold(lock: Path) -> int:
    handle = os.open(lock, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    of_its_folder(lock)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        os.close(handle)
        raise StoreError(
            f"another Kavrel has {lock.with_suffix('')} open: stop it, or name another database"
        ) from None
    return handle


def _whole(path: Path) -> None:
    """Raises StoreDamaged where SQLite's own check finds fault, before anything is written.

    After a crash, told by what it left beside the file, everything is looked at; else the quick check.
    """
    if not path.is_file() or not path.stat().st_size:
        return
    log = path.with_name(path.name + "-wal")
    check = "integrity_check" if log.is_file() and log.stat().st_size else "quick_check"
    try:
        with closing(sqlite3.connect(f"file:{quote(str(path))}?mode=ro", uri=True)) as db:
            (said,) = db.execute(f"PRAGMA {check}(1)").fetchone()
    except sqlite3.OperationalError as error:
        raise StoreError(f"{path} cannot be opened as a database: {error}") from error
    except sqlite3.DatabaseError as error:
        said = str(error)
    if said != "ok":
        raise StoreDamaged(
            f"{path} cannot be opened: it is damaged ({said}). It was not written to. Bring the newest copy of "
            f"{path.parent / 'backups'} back with `kavrel restore`, or save what can still be read "
            "with `kavrel rescue`"
        )


def _private(path: Path) -> None:
    """Makes the file, or what is there, its owner's alone; SQLite's side files follow it."""
    new = not path.exists()
    path.touch(mode=0o600, exist_ok=True)
    if new:
        of_its_folder(path)
    if path.stat().st_uid == os.geteuid():
        path.chmod(0o600)


def to_read(path: Path) -> str:
    """The URI by which a database is read and not changed.

    On a medium that nobody writes to SQLite cannot put its side files: there it is read as it lies.
    Source: URI Filenames in SQLite, `immutable`.
    """
    side = path.with_name(path.name + "-wal")
    still = not side.exists() and not os.access(path.parent, os.W_OK)
    return f"file:{quote(str(path))}?mode=ro{'&immutable=1' if still else ''}"


def backup(source: Path, target: Path) -> None:
    """Copies the database to a new file, whole, while a server may be running.

    Raises StoreError when there is nothing to copy or the target is already there.
    """
    if not source.is_file():
        raise StoreError(f"there is no database at {source}")
    if target.exists():
        raise StoreError(f"{target} is already there: name a new file")
    part = target.with_name(target.name + ".part")
    try:
        have = sqlite3.connect(to_read(source), uri=True)
        _private(part)
        copy = sqlite3.connect(part)
        with copy:
            have.backup(copy)
        # One file, that is read without another beside it: a copy is looked at on any medium.
        copy.execute("PRAGMA journal_mode = DELETE")
        copy.close()
        have.close()
        part.replace(target)
    except (sqlite3.Error, OSError) as error:
        part.unlink(missing_ok=True)
        raise StoreError(f"the copy failed: {error}") from error
