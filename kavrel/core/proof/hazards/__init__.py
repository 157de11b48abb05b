"""The hazards. A new one is a new file here and a line in `HAZARDS`."""

from kavrel.core.index import Index
from kavrel.core.proof.hazards.boot_lost import BOOT_LOST
from kavrel.core.proof.hazards.box_lost import BOX_LOST
from kavrel.core.proof.hazards.cloud_closed import CLOUD_CLOSED
from kavrel.core.proof.hazards.controller_dies import CONTROLLER_DIES
from kavrel.core.proof.hazards.corruption import CORRUPTION
from kavrel.core.proof.hazards.deleted import DELETED
from kavrel.core.proof.hazards.fire import FIRE
from kavrel.core.proof.hazards.hazard import Hazard
from kavrel.core.proof.hazards.key_lost import KEY_LOST
from kavrel.core.proof.hazards.malware import MALWARE
from kavrel.core.proof.hazards.malware_credentials import MALWARE_CREDENTIALS
from kavrel.core.proof.hazards.never_tried import NEVER_TRIED
from kavrel.core.proof.hazards.offsite_silent import OFFSITE_SILENT
from kavrel.core.proof.hazards.one_disk import ONE_DISK
from kavrel.core.proof.hazards.power_cut import POWER_CUT
from kavrel.core.proof.hazards.second_disk import SECOND_DISK
from kavrel.core.proof.hazards.theft import THEFT
from kavrel.core.proof.hazards.uplink_down import UPLINK_DOWN
from kavrel.core.registry import Registry

HAZARDS: Registry[Hazard] = Registry(
    (
        ONE_DISK,
        SECOND_DISK,
        BOX_LOST,
        BOOT_LOST,
        CONTROLLER_DIES,
        POWER_CUT,
        DELETED,
        CORRUPTION,
        MALWARE,
        MALWARE_CREDENTIALS,
        THEFT,
        FIRE,
        OFFSITE_SILENT,
        UPLINK_DOWN,
        KEY_LOST,
        CLOUD_CLOSED,
        NEVER_TRIED,
    )
)


def hazards_of(index: Index) -> tuple[Hazard, ...]:
    """Those that can happen to a plan at all: what it has nothing of is not asked."""
    return tuple(h for h in HAZARDS.values() if h.concerns(index))
