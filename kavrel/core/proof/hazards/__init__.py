"""The hazards. A new one is a new file here and a line in `HAZARDS`."""

from kavrel.core.proof.hazards.box_lost import BOX_LOST
from kavrel.core.proof.hazards.deleted import DELETED
from kavrel.core.proof.hazards.fire import FIRE
from kavrel.core.proof.hazards.hazard import Hazard
from kavrel.core.proof.hazards.malware import MALWARE
from kavrel.core.proof.hazards.offsite_silent import OFFSITE_SILENT
from kavrel.core.proof.hazards.one_disk import ONE_DISK
from kavrel.core.proof.hazards.second_disk import SECOND_DISK

HAZARDS: tuple[Hazard, ...] = (
    ONE_DISK,
    SECOND_DISK,
    BOX_LOST,
    DELETED,
    MALWARE,
    FIRE,
    OFFSITE_SILENT,
)
