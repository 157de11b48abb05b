"""Small files that stand for those of the rig: of their names, times and changes.

Two files are as large as one another here when they are so there, within chance, and content differs when it
differs there.
"""

import hashlib
import os
from collections.abc import Iterator
from pathlib import Path

from kavrel.rig.files import File

SIZES = 9_973  # of a prime: two sizes that differ hardly ever look the same
KEY = 64  # bytes that a small file begins with: which version of which file it is


def key_of(file: File) -> bytes:
    """What a file's small one begins with: a version is itself alone, and two of one size and time are two."""
    return hashlib.sha256(f"{file.mark} {file.size} {file.sound}".encode()).hexdigest().encode()


def put(path: Path, file: File) -> bytes:
    """Writes the small one of a file; returns what it begins with."""
    path.parent.mkdir(parents=True, exist_ok=True)
    key = key_of(file)
    path.write_bytes(key + b"." * (file.size % SIZES))
    moment = int(file.mtime * 1e9)
    os.utime(path, ns=(moment, moment))
    return key


def keys(folder: Path) -> Iterator[tuple[str, bytes]]:
    """Small files below a folder: the name of each, and what it begins with."""
    for path in folder.rglob("*"):
        if path.is_file():
            with path.open("rb") as file:
                yield str(path.relative_to(folder)), file.read(KEY)
