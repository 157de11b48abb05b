"""The layout families. A new one is a new file here and a line in `FAMILIES`."""

from kavrel.core.pools.families.card_mirror import CARD_MIRROR
from kavrel.core.pools.families.copy_profiles import COPIES2, COPIES3, COPIES10
from kavrel.core.pools.families.dedicated_parity import PARITY1, PARITY2
from kavrel.core.pools.families.family import Family
from kavrel.core.pools.families.mirror import MIRROR
from kavrel.core.pools.families.mixed_slices import SLICES1, SLICES2
from kavrel.core.pools.families.raid5 import RAID5
from kavrel.core.pools.families.raid6 import RAID6
from kavrel.core.pools.families.raid10 import RAID10
from kavrel.core.pools.families.raid50 import RAID50
from kavrel.core.pools.families.raid60 import RAID60
from kavrel.core.pools.families.raidz import RAIDZ1, RAIDZ2, RAIDZ3
from kavrel.core.pools.families.single import SINGLE
from kavrel.core.pools.families.span import SPAN
from kavrel.core.pools.families.stripe import STRIPE
from kavrel.core.pools.families.striped_mirror import STRIPED_MIRROR
from kavrel.core.pools.families.union import UNION
from kavrel.core.registry import Registry

FAMILIES: Registry[Family] = Registry(
    (
        SINGLE,
        SPAN,
        STRIPE,
        UNION,
        MIRROR,
        STRIPED_MIRROR,
        RAID10,
        RAID5,
        RAID6,
        RAID50,
        RAID60,
        RAIDZ1,
        RAIDZ2,
        RAIDZ3,
        PARITY1,
        PARITY2,
        SLICES1,
        SLICES2,
        COPIES2,
        COPIES3,
        CARD_MIRROR,
        COPIES10,
    )
)
