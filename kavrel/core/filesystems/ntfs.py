"""NTFS as a PC's own system makes it: a map of its clusters, a log, and little else.

Source: mkntfs of ntfs-3g 2022.10 on sparse files of 250 GB to 4 TB, free clusters as ntfsinfo counts them.
"""

from kavrel.core.filesystems.filesystem import Filesystem, on_each
from kavrel.core.filesystems.space import Space
from kavrel.core.working import step

CLUSTER = 4096
OWN_CLUSTERS = 16_496  # a log of 64 MiB, the first of the file table, and what is of one size
PER_MAP_CLUSTER = CLUSTER * 8


def _sizes(device_bytes: int) -> tuple[int, int]:
    """Clusters of the whole, and those of its map."""
    clusters = max(device_bytes // CLUSTER - 1, 0)
    return clusters, -(-clusters // PER_MAP_CLUSTER)


def usable_bytes(device_bytes: int) -> int:
    """Bytes that can be filled on a device of so many bytes."""
    clusters, map_clusters = _sizes(device_bytes)
    return max(clusters - map_clusters - OWN_CLUSTERS, 0) * CLUSTER


def space(device_bytes: int) -> Space:
    """Bytes that it shows on a device of so many bytes, and those that can be filled."""
    clusters, map_clusters = _sizes(device_bytes)
    usable = usable_bytes(device_bytes)
    return Space(
        total_bytes=clusters * CLUSTER,
        usable_bytes=usable,
        working=step(
            "NTFS space for files",
            usable,
            "bytes",
            "device - map of clusters - log and file table",
            step("device", device_bytes, "bytes"),
            step("map of clusters", map_clusters * CLUSTER, "bytes"),
            step("log and file table", OWN_CLUSTERS * CLUSTER, "bytes"),
            source="mkntfs of ntfs-3g 2022.10, measured from 250 GB to 4 TB",
        ),
    )


NTFS = Filesystem(
    id="ntfs",
    title="NTFS of a PC",
    room=lambda ground: sum(usable_bytes(v) for v in ground.volumes),
    space=on_each(lambda device, copies: space(device)),
    foreign=True,
)
