"""The kinds of job. A new one is a new file here and a line in `KINDS`."""

from collections.abc import Mapping

from kavrel.core.copies.kinds.backup import BACKUP
from kavrel.core.copies.kinds.kind import Kind
from kavrel.core.copies.kinds.replication import REPLICATION
from kavrel.core.copies.kinds.shelf import SHELF
from kavrel.core.copies.kinds.snapshot import SNAPSHOT

KINDS: Mapping[str, Kind] = {k.id: k for k in (SNAPSHOT, REPLICATION, BACKUP, SHELF)}
