"""How many disks' speed a group gives: streaming and small random blocks, whole and degraded.

Figures are multiples of one disk. Small writes: one block on a parity group reads and writes the
block and each parity (RAID 5: four accesses, RAID 6: six); Patterson, Gibson and Katz 1988 and
its extension to two parities. A block read while a disk is missing costs one access when it lies
elsewhere and one on each of the disks needed to compute it when it does not.
"""

from dataclasses import dataclass


@dataclass(frozen=True)
class Pace:
    """Streams and random accesses of a group in disks' worth; degraded: with one disk missing."""

    read: float
    write: float
    random_read: float
    random_write: float
    degraded_read: float = 0.0
    degraded_write: float = 0.0
    degraded_random_read: float = 0.0
    degraded_random_write: float = 0.0


def striped(width: int) -> Pace:
    """Every disk serves a part; nothing is left when one is missing."""
    return Pace(width, width, width, width)


def one_at_a_time(width: int) -> Pace:
    """One stream runs on one disk; random accesses spread over the files' disks."""
    return Pace(1, 1, width, width)


def mirrored(width: int) -> Pace:
    """Each disk reads, all write the same."""
    less = width - 1
    return Pace(width, 1, width, 1, less, 1, less, 1)


def neighbours(width: int) -> Pace:
    """Every block on two of the disks, stripes over all (md's RAID 10, and Btrfs')."""
    half, less = width / 2, width - 1
    return Pace(width, half, width, half, less, half, less, half)


def parity(width: int, count: int) -> Pace:
    """Rotating parity with `count` parity blocks a stripe (RAID 5 and 6)."""
    data = width - count
    accesses = 2 * (1 + count)
    # Of all blocks 1/width are missing; each costs a read on `data` of the others.
    missing = (width - 1 + data) / width
    return Pace(
        data,
        data,
        width,
        width / accesses,
        data,
        data,
        (width - 1) / missing,
        (width - 1) / accesses,
    )


def record_parity(width: int, count: int) -> Pace:
    """A record lies over the whole group (RAIDZ): one random access at a time."""
    data = width - count
    return Pace(data, data, 1, 1, data, data, 1, 1)


def dedicated_parity(data: int, count: int) -> Pace:
    """Files lie on one disk; every write also reads and writes the parity disks.

    A stream that rewrites reads old data and parity before it writes: half of a disk's speed.
    """
    accesses = 2  # on the parity disk, which every write has to wait for
    missing = (data - 1 + data) / data
    return Pace(
        1,
        0.5,
        data,
        1 / accesses,
        1,
        0.5,
        (data - 1 + count) / missing if data > 1 else 1,
        1 / accesses,
    )


def mirrored_chunks(width: int, copies: int) -> Pace:
    """Copy-on-write profiles: each chunk on `copies` of the disks; one stream reads one disk."""
    less = width - 1
    return Pace(1, 1, width, width / copies, 1, 1, less, less / copies)
