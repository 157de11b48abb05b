"""What lies in buckets: versions of objects, and until when a lock holds each.

Source: S3's own reference for versioning, delete markers and object lock, value from memory.
"""

import hashlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from itertools import count
from pathlib import Path
from typing import Literal

Mode = Literal["COMPLIANCE", "GOVERNANCE"]


class Refused(Exception):
    """An answer in the protocol's words: a code, and the status that goes with it."""

    def __init__(self, status: int, code: str, said: str) -> None:
        super().__init__(said)
        self.status, self.code = status, code


@dataclass
class Version:
    """One state of an object, or the mark that it was deleted.

    `etag` is hexadecimal MD5, of parts that of their sums; `file` has its bytes, None for a mark. `mode` and
    `until`: who may not delete it, and for how long.
    """

    key: str
    id: str
    at: datetime
    size: int = 0
    etag: str = ""
    file: Path | None = None
    kept: dict[str, str] = field(default_factory=dict)  # content type and x-amz-meta-…
    mode: Mode | None = None
    until: datetime | None = None

    @property
    def mark(self) -> bool:
        """Whether it says that the object was deleted."""
        return self.file is None


@dataclass
class Upload:
    """An object that comes in parts; each is its bytes' file, their MD5 and how many they are."""

    key: str
    kept: dict[str, str]
    lock: tuple[Mode, datetime] | None
    parts: dict[int, tuple[Path, str, int]] = field(default_factory=dict)


@dataclass
class Bucket:
    """Objects by key, oldest version first. With `lockable` versions stay; new ones are held for `days`."""

    name: str
    at: datetime
    versioned: bool = False
    lockable: bool = False
    mode: Mode = "COMPLIANCE"
    days: int = 0
    objects: dict[str, list[Version]] = field(default_factory=dict)
    uploads: dict[str, Upload] = field(default_factory=dict)

    def newest(self, key: str) -> Version | None:
        """The newest version of an object, also where that says that it was deleted."""
        versions = self.objects.get(key)
        return versions[-1] if versions else None

    def there(self) -> Iterator[Version]:
        """Objects that are there, by key."""
        for key in sorted(self.objects, key=lambda k: k.encode()):
            newest = self.newest(key)
            if newest is not None and not newest.mark:
                yield newest


class Store:
    """Buckets in a folder of their own, by a clock."""

    def __init__(self, folder: Path, now: Callable[[], datetime]) -> None:
        self.folder, self.now = folder, now
        self.buckets: dict[str, Bucket] = {}
        self._numbers = count(1)

    def make(self, name: str, lockable: bool = False, days: int = 0) -> Bucket:
        """A new bucket."""
        if name in self.buckets:
            raise Refused(409, "BucketAlreadyOwnedByYou", "it is there, and yours")
        made = Bucket(name, self.now(), versioned=lockable, lockable=lockable, days=days)
        self.buckets[name] = made
        return made

    def bucket(self, name: str) -> Bucket:
        """The bucket of that name."""
        try:
            return self.buckets[name]
        except KeyError:
            raise Refused(404, "NoSuchBucket", "no bucket of that name is there") from None

    def remove(self, name: str) -> None:
        """An empty bucket goes; one that holds something stays."""
        if self.bucket(name).objects:
            raise Refused(409, "BucketNotEmpty", "versions of objects are in it")
        del self.buckets[name]

    def file(self) -> Path:
        """A place for bytes that come in."""
        return self.folder / f"{next(self._numbers)}"

    def put(
        self,
        bucket: Bucket,
        key: str,
        file: Path,
        etag: str,
        kept: dict[str, str],
        lock: tuple[Mode, datetime] | None = None,
    ) -> Version:
        """A new newest version; without versions the one before is gone."""
        if lock and not bucket.lockable:
            raise Refused(400, "InvalidRequest", "this bucket has no object lock")
        number = f"{next(self._numbers):08x}"
        made = Version(key, number if bucket.versioned else "null", self.now(), kept=kept)
        made.file, made.etag, made.size = file, etag, file.stat().st_size
        if bucket.days and lock is None:
            lock = (bucket.mode, self.now() + timedelta(days=bucket.days))
        if lock:
            made.mode, made.until = lock
        self._add(bucket, made)
        return made

    def _add(self, bucket: Bucket, made: Version) -> None:
        before = bucket.objects.setdefault(made.key, [])
        if not bucket.versioned:
            for old in [v for v in before if v.id == "null"]:
                self._forget(before, old)
        before.append(made)

    def get(self, bucket: Bucket, key: str, version: str = "") -> Version:
        """A version, the newest where none is named."""
        if version:
            named = next((v for v in bucket.objects.get(key, []) if v.id == version), None)
            if named is None:
                raise Refused(404, "NoSuchVersion", "no such version is there")
            if named.mark:
                raise Refused(405, "MethodNotAllowed", "that version says that it was deleted")
            return named
        newest = bucket.newest(key)
        if newest is None or newest.mark:
            raise Refused(404, "NoSuchKey", "no such object is there")
        return newest

    def delete(self, bucket: Bucket, key: str, version: str = "", bypass: bool = False) -> Version:
        """What was made or taken away: a mark, or a version for good, unless a lock holds that."""
        versions = bucket.objects.get(key, [])
        if not version and bucket.versioned:
            mark = Version(key, f"{next(self._numbers):08x}", self.now())
            self._add(bucket, mark)
            return mark
        old = next((v for v in versions if v.id == (version or "null")), None)
        if old is None:
            return Version(key, version or "null", self.now())  # gone already: that is no error
        if self.held(old, bypass):
            raise Refused(403, "AccessDenied", f"locked until {old.until:%Y-%m-%d %H:%M} UTC")
        self._forget(versions, old)
        if not versions:
            bucket.objects.pop(key, None)
        return old

    def held(self, version: Version, bypass: bool = False) -> bool:
        """Whether a lock keeps it from being deleted now."""
        if version.until is None or version.until <= self.now():
            return False
        return version.mode == "COMPLIANCE" or not bypass

    def relock(self, version: Version, mode: Mode, until: datetime, bypass: bool) -> None:
        """A lock anew: longer at any time, shorter only where nothing holds it."""
        longer = version.until is None or (until >= version.until and mode == version.mode)
        if not longer and self.held(version, bypass):
            raise Refused(403, "AccessDenied", "a lock is not made shorter")
        version.mode, version.until = mode, until

    @staticmethod
    def _forget(versions: list[Version], old: Version) -> None:
        versions.remove(old)
        if old.file is not None:
            old.file.unlink(missing_ok=True)

    def join(self, bucket: Bucket, upload: str, numbers: list[tuple[int, str]]) -> Version:
        """The object that came in parts; its tag is that of their tags, with how many they were."""
        given = bucket.uploads[upload]
        for number, etag in numbers:
            if number not in given.parts or given.parts[number][1] != etag:
                raise Refused(400, "InvalidPart", f"part {number} is another, or not there")
        file, sums = self.file(), hashlib.md5(usedforsecurity=False)
        with file.open("wb") as whole:
            for number, etag in numbers:
                whole.write(given.parts[number][0].read_bytes())
                sums.update(bytes.fromhex(etag))
        del bucket.uploads[upload]
        for old, _, _ in given.parts.values():
            old.unlink(missing_ok=True)
        etag = f"{sums.hexdigest()}-{len(numbers)}"
        return self.put(bucket, given.key, file, etag, given.kept, given.lock)
