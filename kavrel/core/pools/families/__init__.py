"""The layout families. A new one is a new file here and a line in `FAMILIES`."""

from collections.abc import Mapping

from kavrel.core.pools.families.family import Family
from kavrel.core.pools.families.mirror import MIRROR
from kavrel.core.pools.families.raid5 import RAID5
from kavrel.core.pools.families.raid6 import RAID6
from kavrel.core.pools.families.raidz import RAIDZ1, RAIDZ2, RAIDZ3
from kavrel.core.pools.families.single import SINGLE
from kavrel.core.pools.families.span import SPAN
from kavrel.core.pools.families.stripe import STRIPE
from kavrel.core.pools.families.striped_mirror import STRIPED_MIRROR

FAMILIES: Mapping[str, Family] = {
    f.id: f
    for f in (
        SINGLE,
        SPAN,
        STRIPE,
        MIRROR,
        STRIPED_MIRROR,
        RAID5,
        RAID6,
        RAIDZ1,
        RAIDZ2,
        RAIDZ3,
    )
}
