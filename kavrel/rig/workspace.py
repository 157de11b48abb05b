"""Where a rig keeps its folders: in memory where the system has such a place, for they are small and many.

Each is held by a lock that ends with its process, so that the next rig can take away what one that was
killed left there, and never what another one is using. Source: flock(2).
"""

import fcntl
import os
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

IN_MEMORY = "/dev/shm"  # noqa: S108  # a folder of a random name, for its owner alone
NAMED = "kavrel-rig-"
NEW_SECONDS = 60  # one that was made a moment ago is not held yet


@contextmanager
def workspace(programs: bool = False) -> Iterator[Path]:
    """A new folder that goes when it is done; one in which `programs` can be started, where they are to be."""
    able = os.access(IN_MEMORY, os.W_OK)
    able = able and not (programs and os.statvfs(IN_MEMORY).f_flag & os.ST_NOEXEC)
    there = Path(IN_MEMORY if able else tempfile.gettempdir())
    _left_over(there)
    folder = Path(tempfile.mkdtemp(prefix=NAMED, dir=there))
    held = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        fcntl.flock(held, fcntl.LOCK_EX)
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        os.close(held)


def _left_over(there: Path) -> None:
    """Takes away the folders of this user's that no process holds any more."""
    for folder in there.glob(f"{NAMED}*"):
        with suppress(OSError):
            held = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
            try:
                facts = os.fstat(held)
                if facts.st_uid == os.getuid() and time.time() - facts.st_ctime > NEW_SECONDS:
                    fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    shutil.rmtree(folder, ignore_errors=True)
            finally:
                os.close(held)
