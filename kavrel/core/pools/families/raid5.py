"""RAID 5: n - 1 times the smallest, one parity; any one disk may die."""

from kavrel.core.pools.families.rotating_parity import single_group

RAID5 = single_group("raid5", "RAID 5", 1, stronger="raid6")
