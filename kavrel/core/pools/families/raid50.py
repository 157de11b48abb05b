"""RAID 50: a stripe over RAID 5 groups; any one disk of each group may die."""

from kavrel.core.pools.families.rotating_parity import striped_groups

RAID50 = striped_groups("raid50", "RAID 50", 1, of_one_group="raid5", stronger="raid60")
