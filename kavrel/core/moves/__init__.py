"""Moving in: the order of steps that turns full disks into pools without losing anything."""
