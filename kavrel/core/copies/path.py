"""How fast data moves from one store to another: the slowest part of the path decides."""

from dataclasses import dataclass

from kavrel.core.copies.resource import Resource
from kavrel.core.index import Index
from kavrel.core.plan import Link
from kavrel.core.pools.pool import PoolState
from kavrel.core.working import Working, step

MB = 1e6


@dataclass(frozen=True)
class Place:
    """A store of data: a pool in a box, a disk on a shelf, or a bucket at somebody's site."""

    pool: str | None = None
    disk: str | None = None
    bucket: str | None = None

    def site(self, index: Index) -> str | None:
        """Site id of the store."""
        if self.pool:
            return index.site_of_pool(self.pool)
        if self.bucket:
            return index.buckets[self.bucket].site
        return index.site_of_disk(self.disk) if self.disk else None

    def host(self, index: Index) -> str | None:
        """Host id of the box it is in; None on a shelf and in a bucket."""
        if self.pool:
            return index.pools[self.pool].host
        return index.disks[self.disk].host if self.disk else None

    def name(self, index: Index) -> str:
        """What people call it."""
        if self.pool:
            return index.pools[self.pool].name
        if self.bucket:
            return f"bucket {index.buckets[self.bucket].name}"
        return index.disks[self.disk].label if self.disk else "nowhere"


@dataclass(frozen=True)
class Path:
    """The parts of a way and their speeds in MB/s.

    `loads` are the resources that the way occupies and shares with other jobs, each with its
    speed; a limit of the job's own is a part but no load.
    """

    parts: tuple[tuple[str, float], ...]
    loads: tuple[tuple[Resource, float], ...]
    missing_link: bool = False

    @property
    def resources(self) -> tuple[Resource, ...]:
        """What the way occupies."""
        return tuple(r for r, _ in self.loads)

    @property
    def mb_per_s(self) -> float:
        """Speed of the slowest part; 0 where there is no way."""
        return 0.0 if self.missing_link else min(speed for _, speed in self.parts)

    def hours(self, size_bytes: float) -> float:
        """Hours for so many bytes; infinite where there is no way."""
        speed = self.mb_per_s
        return size_bytes / (speed * MB) / 3600 if speed else float("inf")

    def working(self, name: str, size_bytes: int) -> Working:
        """Bytes over the slowest part, with all parts named."""
        hours = self.hours(size_bytes)
        return step(
            name,
            hours if hours < 1e9 else None,
            "h",
            "bytes / slowest part of the way",
            step("bytes", size_bytes, "bytes"),
            *(step(part, speed, "MB/s") for part, speed in self.parts),
        )


def port_mb_per_s(index: Index, host: str) -> float:
    """What a host's network port carries of file data: its line rate less headers."""
    return index.hosts[host].network_mbit / 8 * index.assumptions["network_efficiency"]


def relay_mb_per_s(index: Index) -> float:
    """What boxes of one site carry that know each other by an overlay's addresses, over a relay."""
    known = index.assumptions
    return known["relay_mbit"] / 8 * known["network_efficiency"] * known["tunnel_share"]


def link_mb_per_s(index: Index, link: Link, mbit: float, wire_encrypted: bool = False) -> float:
    """What a link carries of file data: its line rate less headers, tunnel and relay.

    The tunnel is counted once; a job that encrypts its way once more inside it pays for that.
    """
    known = index.assumptions
    rate = min(mbit, known["relay_mbit"]) if link.relayed else mbit
    share = known["network_efficiency"]
    if link.encrypted:
        share *= known["tunnel_share"]
        if wire_encrypted:
            share *= known["second_encryption_share"]
    return rate / 8 * share


def _store(
    index: Index, states: dict[str, PoolState], place: Place, verb: str
) -> tuple[tuple[str, float], Resource] | None:
    """What a pool or a disk in the dock reads or writes, MB/s; None for what has no disks here."""
    if place.pool:
        layout = states[place.pool].layout
        speed = layout.read_mb_per_s if verb == "read" else layout.write_mb_per_s
        return (f"{verb} {place.name(index)}", speed), Resource("pool", place.pool)
    if place.disk:
        disk = index.disks[place.disk]
        speed = min(disk.mb_per_s, index.assumptions["dock_mb_per_s"])
        return (f"{verb} {disk.label} in the dock", speed), Resource("disk", place.disk)
    return None


def path(
    index: Index,
    states: dict[str, PoolState],
    source: Place,
    target: Place,
    limit_mbit: float | None = None,
    by_hand: bool = False,
    wire_encrypted: bool = False,
) -> Path:
    """The way from one store to another.

    `by_hand` carries one of the two to the other's site first, so no link is crossed.
    Network speeds are line rates times the assumption `network_efficiency`.
    """
    parts: list[tuple[str, float]] = []
    loads: list[tuple[Resource, float]] = []
    for place, verb in ((source, "read"), (target, "write")):
        if stored := _store(index, states, place, verb):
            part, resource = stored
            parts.append(part)
            loads.append((resource, part[1]))
    source_host, target_host = source.host(index), target.host(index)
    missing = False
    remote = bool(source.bucket or target.bucket)
    crosses = source_host != target_host if source_host and target_host else remote
    if crosses:
        ports = []
        for host in (source_host, target_host):
            if host:
                ports.append(port_mb_per_s(index, host))
                parts.append((f"network port of {index.hosts[host].name}", ports[-1]))
        source_site, target_site = source.site(index), target.site(index)
        if source_site == target_site or by_hand:
            place_ = target_site if by_hand else source_site
            loads.append((Resource("lan", place_ or ""), min(ports)))
            # Boxes of one LAN that know each other by the overlay's addresses may go over a relay.
            site = index.sites.get(source_site or "")
            if site and site.relayed and not by_hand:
                parts.append((f"relay between the boxes of {site.name}", relay_mb_per_s(index)))
        else:
            found_link = index.link(source_site or "", target_site or "")
            if found_link:
                link, mbit = found_link
                names = f"{index.sites[link.a].name} to {index.sites[link.b].name}"
                names += ", relayed" if link.relayed else ""
                speed = link_mb_per_s(index, link, mbit, wire_encrypted)
                parts.append((f"link {names}", speed))
                loads.append((Resource("link", link.id), speed))
            else:
                missing = True
                parts.append(("no link between the two sites", 0.0))
        if limit_mbit:
            parts.append(("limit set on the job", limit_mbit / 8))
    return Path(tuple(parts), tuple(loads), missing)
