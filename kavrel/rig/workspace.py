"""Where a rig keeps its folders: in memory where the system has such a place, for they are small and many."""

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

IN_MEMORY = "/dev/shm"  # noqa: S108  # a folder of a random name, for its owner alone


@contextmanager
def workspace() -> Iterator[Path]:
    """A new folder that goes when it is done."""
    there = IN_MEMORY if os.access(IN_MEMORY, os.W_OK) else None
    folder = Path(tempfile.mkdtemp(prefix="kavrel-rig-", dir=there))
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)
