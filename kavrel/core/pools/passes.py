"""How long it takes to go over a disk: surface check, parity sync, rebuild, scrub.

A spinning disk is fastest at its outer edge, where it is filled first, and falls towards the
inner tracks. With v0 outside and r x v0 inside, falling linearly with the bytes passed, a share x
of the disk takes capacity / v0 x ln(1 / (1 - (1 - r) x)) / (1 - r). A disk's given speed is
averaged over the whole platter, so v0 = average x ln(1 / r) / (1 - r).
Source: common practice for r (about half); the rest is the integral of dx / v(x).
"""

import math


def outer_speed(average_mb_per_s: float, inner_share: float) -> float:
    """Speed at the outer edge from the average over the platter; `inner_share` in (0, 1]."""
    if inner_share >= 1:
        return average_mb_per_s
    fall = 1 - inner_share
    return average_mb_per_s * -math.log1p(-fall) / fall


def pass_hours(
    capacity_bytes: int, average_mb_per_s: float, inner_share: float, share: float = 1.0
) -> float:
    """Hours to pass over the outer `share` (0 to 1) of a disk at full speed."""
    if inner_share >= 1 or share <= 0:
        return capacity_bytes * max(share, 0.0) / (average_mb_per_s * 1e6) / 3600
    fall = 1 - inner_share
    v0 = outer_speed(average_mb_per_s, inner_share) * 1e6
    # log1p, so that a disk that hardly slows down at all comes out right too.
    return capacity_bytes / v0 * -math.log1p(-fall * min(share, 1.0)) / fall / 3600
