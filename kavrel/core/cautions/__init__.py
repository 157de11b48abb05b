"""The cautions. A new one is a new file here and a line in `RULES`."""

from collections.abc import Sequence

from kavrel.core.cautions.admin_every_day import ADMIN_EVERY_DAY
from kavrel.core.cautions.boot_without_copy import BOOT_WITHOUT_COPY
from kavrel.core.cautions.carry_first_copy import CARRY_FIRST_COPY
from kavrel.core.cautions.caution import Caution, Rule, View
from kavrel.core.cautions.clash import CLASH
from kavrel.core.cautions.default_passwords import DEFAULT_PASSWORDS
from kavrel.core.cautions.footage_copy_on_write import FOOTAGE_COPY_ON_WRITE
from kavrel.core.cautions.full_within_a_year import FULL_WITHIN_A_YEAR
from kavrel.core.cautions.guest_write import GUEST_WRITE
from kavrel.core.cautions.holding_unverified import HOLDING_UNVERIFIED
from kavrel.core.cautions.holds_data import HOLDS_DATA
from kavrel.core.cautions.homes_readable import HOMES_READABLE
from kavrel.core.cautions.key_burns import KEY_BURNS
from kavrel.core.cautions.little_memory import LITTLE_MEMORY
from kavrel.core.cautions.live_database import LIVE_DATABASE
from kavrel.core.cautions.lost_for_good import LOST_FOR_GOOD
from kavrel.core.cautions.many_shares import MANY_SHARES
from kavrel.core.cautions.mirror_as_backup import MIRROR_AS_BACKUP
from kavrel.core.cautions.mixed_sectors import MIXED_SECTORS
from kavrel.core.cautions.never_restored import NEVER_RESTORED
from kavrel.core.cautions.no_copy import NO_COPY
from kavrel.core.cautions.no_offsite import NO_OFFSITE
from kavrel.core.cautions.no_redundancy import NO_REDUNDANCY
from kavrel.core.cautions.no_ups import NO_UPS
from kavrel.core.cautions.no_way import NO_WAY
from kavrel.core.cautions.not_encrypted_away import NOT_ENCRYPTED_AWAY
from kavrel.core.cautions.not_surface_checked import NOT_SURFACE_CHECKED
from kavrel.core.cautions.noticed_too_late import NOTICED_TOO_LATE
from kavrel.core.cautions.odds_not_accepted import ODDS_NOT_ACCEPTED
from kavrel.core.cautions.only_copy_on_it import ONLY_COPY_ON_IT
from kavrel.core.cautions.player_writes import PLAYER_WRITES
from kavrel.core.cautions.pool_full import POOL_FULL
from kavrel.core.cautions.pool_too_small import POOL_TOO_SMALL
from kavrel.core.cautions.read_error_in_rebuild import READ_ERROR_IN_REBUILD
from kavrel.core.cautions.refurbished_at_work import REFURBISHED_AT_WORK
from kavrel.core.cautions.runs_into_next import RUNS_INTO_NEXT
from kavrel.core.cautions.same_batch import SAME_BATCH
from kavrel.core.cautions.same_box import SAME_BOX
from kavrel.core.cautions.shelf_overdue import SHELF_OVERDUE
from kavrel.core.cautions.shingled_in_group import SHINGLED_IN_GROUP
from kavrel.core.cautions.slow_disk import SLOW_DISK
from kavrel.core.cautions.smb1 import SMB1
from kavrel.core.cautions.source_can_delete import SOURCE_CAN_DELETE
from kavrel.core.cautions.stays_down import STAYS_DOWN
from kavrel.core.cautions.stranded_space import STRANDED_SPACE
from kavrel.core.cautions.throw_away_copied import THROW_AWAY_COPIED
from kavrel.core.cautions.tier_alone import TIER_ALONE
from kavrel.core.cautions.tunnel_missing import TUNNEL_MISSING
from kavrel.core.cautions.ups_signal import UPS_SIGNAL
from kavrel.core.cautions.ups_too_weak import UPS_TOO_WEAK
from kavrel.core.cautions.usb_power import USB_POWER
from kavrel.core.cautions.vms_on_parity import VMS_ON_PARITY
from kavrel.core.cautions.waking_hours import WAKING_HOURS

RULES: tuple[Rule, ...] = (
    NO_COPY,
    NO_OFFSITE,
    LOST_FOR_GOOD,
    NO_REDUNDANCY,
    SAME_BATCH,
    REFURBISHED_AT_WORK,
    READ_ERROR_IN_REBUILD,
    STRANDED_SPACE,
    POOL_FULL,
    POOL_TOO_SMALL,
    HOLDS_DATA,
    LITTLE_MEMORY,
    USB_POWER,
    BOOT_WITHOUT_COPY,
    NO_UPS,
    DEFAULT_PASSWORDS,
    NOT_SURFACE_CHECKED,
    MANY_SHARES,
    GUEST_WRITE,
    SMB1,
    ADMIN_EVERY_DAY,
    PLAYER_WRITES,
    HOMES_READABLE,
    SOURCE_CAN_DELETE,
    MIRROR_AS_BACKUP,
    NOTICED_TOO_LATE,
    NOT_ENCRYPTED_AWAY,
    KEY_BURNS,
    TUNNEL_MISSING,
    NO_WAY,
    CARRY_FIRST_COPY,
    RUNS_INTO_NEXT,
    CLASH,
    WAKING_HOURS,
    NEVER_RESTORED,
    SHELF_OVERDUE,
    THROW_AWAY_COPIED,
    LIVE_DATABASE,
    SAME_BOX,
    SHINGLED_IN_GROUP,
    MIXED_SECTORS,
    UPS_TOO_WEAK,
    UPS_SIGNAL,
    STAYS_DOWN,
    TIER_ALONE,
    VMS_ON_PARITY,
    FOOTAGE_COPY_ON_WRITE,
    ONLY_COPY_ON_IT,
    HOLDING_UNVERIFIED,
    ODDS_NOT_ACCEPTED,
    FULL_WITHIN_A_YEAR,
    SLOW_DISK,
)

ORDER = {"serious": 0, "caution": 1, "advice": 2}


def cautions(view: View) -> Sequence[Caution]:
    """All cautions of a plan, the serious ones first."""
    found = [c for rule in RULES for c in rule.cautions(view)]
    return sorted(found, key=lambda c: ORDER[c.severity])
