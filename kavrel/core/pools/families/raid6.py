"""RAID 6: n - 2 times the smallest, two parities; any two disks may die."""

from kavrel.core.pools.families.rotating_parity import single_group

RAID6 = single_group("raid6", "RAID 6", 2)
