"""RAID 60: a stripe over RAID 6 groups; any two disks of each group may die."""

from kavrel.core.pools.families.rotating_parity import striped_groups

RAID60 = striped_groups("raid60", "RAID 60", 2, of_one_group="raid6")
