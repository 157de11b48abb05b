"""The kinds of job. A new one is a new file here and a line in `KINDS`."""

from collections.abc import Callable

from kavrel.core.index import Index
from kavrel.core.kinds.backup import BACKUP
from kavrel.core.kinds.bin import BIN
from kavrel.core.kinds.bucket import BUCKET
from kavrel.core.kinds.config import CONFIG
from kavrel.core.kinds.drive import DRIVE
from kavrel.core.kinds.dump import DUMP
from kavrel.core.kinds.folder_mirror import FOLDER_MIRROR
from kavrel.core.kinds.image import IMAGE
from kavrel.core.kinds.kind import Kind
from kavrel.core.kinds.mirror import MIRROR
from kavrel.core.kinds.mover import MOVER
from kavrel.core.kinds.pc_copy import PC_COPY
from kavrel.core.kinds.replication import REPLICATION
from kavrel.core.kinds.restart import RESTART
from kavrel.core.kinds.restore_test import RESTORE_TEST
from kavrel.core.kinds.scrub import SCRUB
from kavrel.core.kinds.shelf import SHELF
from kavrel.core.kinds.smart_long import SMART_LONG
from kavrel.core.kinds.smart_short import SMART_SHORT
from kavrel.core.kinds.snapshot import SNAPSHOT
from kavrel.core.kinds.sync import SYNC
from kavrel.core.kinds.updates import UPDATES
from kavrel.core.plan import Job
from kavrel.core.registry import Registry

KINDS: Registry[Kind] = Registry(
    (
        SNAPSHOT,
        REPLICATION,
        BACKUP,
        FOLDER_MIRROR,
        MIRROR,
        IMAGE,
        DUMP,
        BUCKET,
        SYNC,
        PC_COPY,
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
)


def jobs_that(index: Index, wanted: Callable[[Kind], bool]) -> list[Job]:
    """The jobs whose kind is so, in the plan's order."""
    kinds = [kind for kind in index.jobs_of_kind if wanted(KINDS[kind])]
    if len(kinds) < 2:
        return index.jobs_of_kind[kinds[0]] if kinds else []
    return [j for j in index.plan.jobs if j.kind in kinds]


def snapped(index: Index) -> set[str]:
    """Ids of the datasets that some job keeps points of on their own pool."""
    return {d for j in jobs_that(index, lambda kind: kind.in_place) for d in j.datasets}


def scrubbed(index: Index) -> set[str]:
    """Ids of the pools that some job scrubs."""
    return {j.pool for j in jobs_that(index, lambda kind: kind.scrubs) if j.pool}
