"""Whose the files beside a database are."""

import contextlib
import os
from pathlib import Path


def of_its_folder(path: Path) -> None:
    """Gives what root has made to whoever the folder belongs to.

    A service runs as a user of its own and root types the commands beside it: what root made alone there
    the service could not open. SQLite itself does so with its side files (unix VFS, `robustFchown`).
    """
    if os.geteuid() == 0:
        folder = path.parent.stat()
        if folder.st_uid not in (0, path.stat().st_uid):
            with contextlib.suppress(PermissionError):  # on a share that takes root for nobody
                os.chown(path, folder.st_uid, folder.st_gid)
