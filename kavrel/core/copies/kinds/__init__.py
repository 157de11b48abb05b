"""The kinds of job. A new one is a new file here and a line in `KINDS`."""

from collections.abc import Mapping

from kavrel.core.copies.kinds.backup import BACKUP
from kavrel.core.copies.kinds.bin import BIN
from kavrel.core.copies.kinds.bucket import BUCKET
from kavrel.core.copies.kinds.config import CONFIG
from kavrel.core.copies.kinds.drive import DRIVE
from kavrel.core.copies.kinds.dump import DUMP
from kavrel.core.copies.kinds.folder_mirror import FOLDER_MIRROR
from kavrel.core.copies.kinds.image import IMAGE
from kavrel.core.copies.kinds.kind import Kind
from kavrel.core.copies.kinds.mirror import MIRROR
from kavrel.core.copies.kinds.mover import MOVER
from kavrel.core.copies.kinds.replication import REPLICATION
from kavrel.core.copies.kinds.restart import RESTART
from kavrel.core.copies.kinds.restore_test import RESTORE_TEST
from kavrel.core.copies.kinds.scrub import SCRUB
from kavrel.core.copies.kinds.shelf import SHELF
from kavrel.core.copies.kinds.smart_long import SMART_LONG
from kavrel.core.copies.kinds.smart_short import SMART_SHORT
from kavrel.core.copies.kinds.snapshot import SNAPSHOT
from kavrel.core.copies.kinds.sync import SYNC
from kavrel.core.copies.kinds.updates import UPDATES

KINDS: Mapping[str, Kind] = {
    k.id: k
    for k in (
        SNAPSHOT,
        REPLICATION,
        BACKUP,
        FOLDER_MIRROR,
        MIRROR,
        IMAGE,
        DUMP,
        BUCKET,
        SYNC,
        DRIVE,
        SHELF,
        CONFIG,
        BIN,
        SCRUB,
        SMART_SHORT,
        SMART_LONG,
        MOVER,
        UPDATES,
        RESTART,
        RESTORE_TEST,
    )
}
