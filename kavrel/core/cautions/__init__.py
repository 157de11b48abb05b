"""The cautions. A new one is a new file here and a line in `RULES`."""

from collections.abc import Mapping, Sequence

from kavrel.core.cautions.account_ran_out import ACCOUNT_RAN_OUT
from kavrel.core.cautions.address_misplaced import ADDRESS_MISPLACED
from kavrel.core.cautions.address_moves import ADDRESS_MOVES
from kavrel.core.cautions.admin_every_day import ADMIN_EVERY_DAY
from kavrel.core.cautions.admin_one_factor import ADMIN_ONE_FACTOR
from kavrel.core.cautions.allowance_used_up import ALLOWANCE_USED_UP
from kavrel.core.cautions.app_as_root import APP_AS_ROOT
from kavrel.core.cautions.app_cannot_write import APP_CANNOT_WRITE
from kavrel.core.cautions.app_without_path import APP_WITHOUT_PATH
from kavrel.core.cautions.app_writes_irreplaceable import APP_WRITES_IRREPLACEABLE
from kavrel.core.cautions.backup_writes_source import BACKUP_WRITES_SOURCE
from kavrel.core.cautions.bare_owner import BARE_OWNER
from kavrel.core.cautions.bin_too_long import BIN_TOO_LONG
from kavrel.core.cautions.boot_without_copy import BOOT_WITHOUT_COPY
from kavrel.core.cautions.bucket_unlocked import BUCKET_UNLOCKED
from kavrel.core.cautions.built_in_admin import BUILT_IN_ADMIN
from kavrel.core.cautions.carry_first_copy import CARRY_FIRST_COPY
from kavrel.core.cautions.causes import ORDER
from kavrel.core.cautions.caution import Caution, Rule, View
from kavrel.core.cautions.checksums_off import CHECKSUMS_OFF
from kavrel.core.cautions.child_through_parent import CHILD_THROUGH_PARENT
from kavrel.core.cautions.clash import CLASH
from kavrel.core.cautions.copy_does_not_fit import COPY_DOES_NOT_FIT
from kavrel.core.cautions.counted_twice import COUNTED_TWICE
from kavrel.core.cautions.default_login import DEFAULT_LOGIN
from kavrel.core.cautions.default_passwords import DEFAULT_PASSWORDS
from kavrel.core.cautions.encrypted_twice import ENCRYPTED_TWICE
from kavrel.core.cautions.everybody_writes import EVERYBODY_WRITES
from kavrel.core.cautions.first_copy_never_ends import FIRST_COPY_NEVER_ENDS
from kavrel.core.cautions.footage_copy_on_write import FOOTAGE_COPY_ON_WRITE
from kavrel.core.cautions.forced_change import FORCED_CHANGE
from kavrel.core.cautions.ftp_idle import FTP_IDLE
from kavrel.core.cautions.ftp_in_use import FTP_IN_USE
from kavrel.core.cautions.full_within_a_year import FULL_WITHIN_A_YEAR
from kavrel.core.cautions.grant_ran_out import GRANT_RAN_OUT
from kavrel.core.cautions.guest_sees import GUEST_SEES
from kavrel.core.cautions.guest_write import GUEST_WRITE
from kavrel.core.cautions.holding_unverified import HOLDING_UNVERIFIED
from kavrel.core.cautions.holds_data import HOLDS_DATA
from kavrel.core.cautions.homes_readable import HOMES_READABLE
from kavrel.core.cautions.homes_without_quota import HOMES_WITHOUT_QUOTA
from kavrel.core.cautions.iscsi_without_chap import ISCSI_WITHOUT_CHAP
from kavrel.core.cautions.isos_writable import ISOS_WRITABLE
from kavrel.core.cautions.key_burns import KEY_BURNS
from kavrel.core.cautions.key_in_one_place import KEY_IN_ONE_PLACE
from kavrel.core.cautions.landing_waits import LANDING_WAITS
from kavrel.core.cautions.large_records import LARGE_RECORDS
from kavrel.core.cautions.left_out_everywhere import LEFT_OUT_EVERYWHERE
from kavrel.core.cautions.little_memory import LITTLE_MEMORY
from kavrel.core.cautions.live_database import LIVE_DATABASE
from kavrel.core.cautions.locked_after_a_cut import LOCKED_AFTER_A_CUT
from kavrel.core.cautions.logins_unlisted import LOGINS_UNLISTED
from kavrel.core.cautions.lost_for_good import LOST_FOR_GOOD
from kavrel.core.cautions.lun_for_many import LUN_FOR_MANY
from kavrel.core.cautions.lun_in_a_share import LUN_IN_A_SHARE
from kavrel.core.cautions.lun_many_sessions import LUN_MANY_SESSIONS
from kavrel.core.cautions.machine_writes_much import MACHINE_WRITES_MUCH
from kavrel.core.cautions.many_administrators import MANY_ADMINISTRATORS
from kavrel.core.cautions.many_own_grants import MANY_OWN_GRANTS
from kavrel.core.cautions.many_shares import MANY_SHARES
from kavrel.core.cautions.mirror_as_backup import MIRROR_AS_BACKUP
from kavrel.core.cautions.mixed_sectors import MIXED_SECTORS
from kavrel.core.cautions.mode_denies_grant import MODE_DENIES_GRANT
from kavrel.core.cautions.mode_for_all import MODE_FOR_ALL
from kavrel.core.cautions.never_restored import NEVER_RESTORED
from kavrel.core.cautions.nfs_root import NFS_ROOT
from kavrel.core.cautions.nfs_to_a_network import NFS_TO_A_NETWORK
from kavrel.core.cautions.nfs_to_the_world import NFS_TO_THE_WORLD
from kavrel.core.cautions.no_administrator import NO_ADMINISTRATOR
from kavrel.core.cautions.no_bin import NO_BIN
from kavrel.core.cautions.no_box_makes_it import NO_BOX_MAKES_IT
from kavrel.core.cautions.no_copy import NO_COPY
from kavrel.core.cautions.no_offsite import NO_OFFSITE
from kavrel.core.cautions.no_redundancy import NO_REDUNDANCY
from kavrel.core.cautions.no_silence_alarm import NO_SILENCE_ALARM
from kavrel.core.cautions.no_ups import NO_UPS
from kavrel.core.cautions.no_way import NO_WAY
from kavrel.core.cautions.not_carried_out import NOT_CARRIED_OUT
from kavrel.core.cautions.not_encrypted_away import NOT_ENCRYPTED_AWAY
from kavrel.core.cautions.not_surface_checked import NOT_SURFACE_CHECKED
from kavrel.core.cautions.noticed_too_late import NOTICED_TOO_LATE
from kavrel.core.cautions.numbers_unsaid import NUMBERS_UNSAID
from kavrel.core.cautions.odds_not_accepted import ODDS_NOT_ACCEPTED
from kavrel.core.cautions.offsite_fixed import OFFSITE_FIXED
from kavrel.core.cautions.offsite_without_vpn import OFFSITE_WITHOUT_VPN
from kavrel.core.cautions.only_copy_on_it import ONLY_COPY_ON_IT
from kavrel.core.cautions.open_to_the_internet import OPEN_TO_THE_INTERNET
from kavrel.core.cautions.opening_to_nothing import OPENING_TO_NOTHING
from kavrel.core.cautions.passphrase_unsaid import PASSPHRASE_UNSAID
from kavrel.core.cautions.path_on_another_box import PATH_ON_ANOTHER_BOX
from kavrel.core.cautions.pc_backups_without_end import PC_BACKUPS_WITHOUT_END
from kavrel.core.cautions.player_writes import PLAYER_WRITES
from kavrel.core.cautions.points_fill_the_pool import POINTS_FILL_THE_POOL
from kavrel.core.cautions.pool_full import POOL_FULL
from kavrel.core.cautions.pool_not_scrubbed import POOL_NOT_SCRUBBED
from kavrel.core.cautions.pool_too_small import POOL_TOO_SMALL
from kavrel.core.cautions.port_clash import PORT_CLASH
from kavrel.core.cautions.promised_too_much import PROMISED_TOO_MUCH
from kavrel.core.cautions.read_error_in_rebuild import READ_ERROR_IN_REBUILD
from kavrel.core.cautions.readable_when_stolen import READABLE_WHEN_STOLEN
from kavrel.core.cautions.reads_too_early import READS_TOO_EARLY
from kavrel.core.cautions.refurbished_at_work import REFURBISHED_AT_WORK
from kavrel.core.cautions.relayed_link import RELAYED_LINK
from kavrel.core.cautions.reserved_too_much import RESERVED_TOO_MUCH
from kavrel.core.cautions.reset_pending import RESET_PENDING
from kavrel.core.cautions.root_signs_in import ROOT_SIGNS_IN
from kavrel.core.cautions.rsync_in_the_clear import RSYNC_IN_THE_CLEAR
from kavrel.core.cautions.runs_into_next import RUNS_INTO_NEXT
from kavrel.core.cautions.s3_in_the_clear import S3_IN_THE_CLEAR
from kavrel.core.cautions.same_batch import SAME_BATCH
from kavrel.core.cautions.same_box import SAME_BOX
from kavrel.core.cautions.server_speaks_smb1 import SERVER_SPEAKS_SMB1
from kavrel.core.cautions.service_on_the_internet import SERVICE_ON_THE_INTERNET
from kavrel.core.cautions.share_of_nobody import SHARE_OF_NOBODY
from kavrel.core.cautions.shelf_overdue import SHELF_OVERDUE
from kavrel.core.cautions.shingled_in_group import SHINGLED_IN_GROUP
from kavrel.core.cautions.short_passwords import SHORT_PASSWORDS
from kavrel.core.cautions.signature_out_of_date import SIGNATURE_OUT_OF_DATE
from kavrel.core.cautions.slow_disk import SLOW_DISK
from kavrel.core.cautions.smb1 import SMB1
from kavrel.core.cautions.source_can_delete import SOURCE_CAN_DELETE
from kavrel.core.cautions.stays_down import STAYS_DOWN
from kavrel.core.cautions.stranded_space import STRANDED_SPACE
from kavrel.core.cautions.system_account import SYSTEM_ACCOUNT
from kavrel.core.cautions.system_group import SYSTEM_GROUP
from kavrel.core.cautions.system_room import SYSTEM_ROOM
from kavrel.core.cautions.throw_away_copied import THROW_AWAY_COPIED
from kavrel.core.cautions.tier_alone import TIER_ALONE
from kavrel.core.cautions.trash_can_too_short import TRASH_CAN_TOO_SHORT
from kavrel.core.cautions.tunnel_missing import TUNNEL_MISSING
from kavrel.core.cautions.twice_shared import TWICE_SHARED
from kavrel.core.cautions.two_ways_to_write import TWO_WAYS_TO_WRITE
from kavrel.core.cautions.unused_account import UNUSED_ACCOUNT
from kavrel.core.cautions.ups_signal import UPS_SIGNAL
from kavrel.core.cautions.ups_too_weak import UPS_TOO_WEAK
from kavrel.core.cautions.usb_power import USB_POWER
from kavrel.core.cautions.vm_disks_shared import VM_DISKS_SHARED
from kavrel.core.cautions.vms_on_parity import VMS_ON_PARITY
from kavrel.core.cautions.waking_hours import WAKING_HOURS
from kavrel.core.cautions.window_missed import WINDOW_MISSED
from kavrel.core.cautions.windows_names import WINDOWS_NAMES

RULES: tuple[Rule, ...] = (
    NO_COPY,
    NOT_CARRIED_OUT,
    NO_BOX_MAKES_IT,
    COPY_DOES_NOT_FIT,
    SYSTEM_GROUP,
    SYSTEM_ACCOUNT,
    NUMBERS_UNSAID,
    NO_OFFSITE,
    LOST_FOR_GOOD,
    NO_REDUNDANCY,
    SAME_BATCH,
    REFURBISHED_AT_WORK,
    READ_ERROR_IN_REBUILD,
    STRANDED_SPACE,
    SYSTEM_ROOM,
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
    LEFT_OUT_EVERYWHERE,
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
    SHARE_OF_NOBODY,
    EVERYBODY_WRITES,
    TWICE_SHARED,
    CHILD_THROUGH_PARENT,
    GUEST_SEES,
    NO_BIN,
    BIN_TOO_LONG,
    MANY_OWN_GRANTS,
    GRANT_RAN_OUT,
    WINDOWS_NAMES,
    ADMIN_ONE_FACTOR,
    NO_ADMINISTRATOR,
    MANY_ADMINISTRATORS,
    UNUSED_ACCOUNT,
    ACCOUNT_RAN_OUT,
    MACHINE_WRITES_MUCH,
    BACKUP_WRITES_SOURCE,
    SHORT_PASSWORDS,
    FORCED_CHANGE,
    DEFAULT_LOGIN,
    BUILT_IN_ADMIN,
    LOGINS_UNLISTED,
    RESET_PENDING,
    ROOT_SIGNS_IN,
    NFS_ROOT,
    NFS_TO_THE_WORLD,
    NFS_TO_A_NETWORK,
    ISCSI_WITHOUT_CHAP,
    LUN_FOR_MANY,
    LUN_MANY_SESSIONS,
    FTP_IN_USE,
    FTP_IDLE,
    S3_IN_THE_CLEAR,
    RSYNC_IN_THE_CLEAR,
    TWO_WAYS_TO_WRITE,
    LUN_IN_A_SHARE,
    ADDRESS_MISPLACED,
    ADDRESS_MOVES,
    OFFSITE_FIXED,
    OFFSITE_WITHOUT_VPN,
    PORT_CLASH,
    OPEN_TO_THE_INTERNET,
    SERVICE_ON_THE_INTERNET,
    OPENING_TO_NOTHING,
    PROMISED_TOO_MUCH,
    RESERVED_TOO_MUCH,
    HOMES_WITHOUT_QUOTA,
    APP_AS_ROOT,
    APP_WITHOUT_PATH,
    PATH_ON_ANOTHER_BOX,
    APP_CANNOT_WRITE,
    APP_WRITES_IRREPLACEABLE,
    VM_DISKS_SHARED,
    ISOS_WRITABLE,
    MODE_FOR_ALL,
    MODE_DENIES_GRANT,
    CHECKSUMS_OFF,
    LARGE_RECORDS,
    LOCKED_AFTER_A_CUT,
    LANDING_WAITS,
    SERVER_SPEAKS_SMB1,
    PC_BACKUPS_WITHOUT_END,
    PASSPHRASE_UNSAID,
    BARE_OWNER,
    ENCRYPTED_TWICE,
    RELAYED_LINK,
    ALLOWANCE_USED_UP,
    NO_SILENCE_ALARM,
    FIRST_COPY_NEVER_ENDS,
    WINDOW_MISSED,
    READS_TOO_EARLY,
    COUNTED_TWICE,
    KEY_IN_ONE_PLACE,
    READABLE_WHEN_STOLEN,
    SIGNATURE_OUT_OF_DATE,
    TRASH_CAN_TOO_SHORT,
    BUCKET_UNLOCKED,
    POOL_NOT_SCRUBBED,
    POINTS_FILL_THE_POOL,
)


Raised = Mapping[str, Sequence[Caution]]


def raised(view: View, whole: bool) -> Raised:
    """The cautions by rule: of those that look at prices or the log, or of all the others."""
    return {rule.id: rule.cautions(view) for rule in RULES if rule.whole == whole}


def cautions(view: View, others: Raised) -> Sequence[Caution]:
    """All cautions of a plan, the serious ones first; `others` are those that need not the whole of it."""
    by_rule = {**others, **raised(view, whole=True)}
    found = [c for rule in RULES for c in by_rule[rule.id]]
    return sorted(found, key=lambda c: ORDER[c.severity])
