"""Services: what serves a host's shares and exports, from which package and file, and how to see it.

Each protocol declares its own. A box whose firmware is its own takes no files: its people enter the
same values in its web page.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar

from kavrel.core.index import Index
from kavrel.core.plan import Host
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.shares.protocols.protocol import Service
from kavrel.core.works.set_up import is_set_up
from kavrel.core.works.work import Work

FIREWALL = Service(
    package="nftables",
    files=(("nftables.conf", "/etc/nftables.conf"),),
    check="nft -c -f /etc/nftables.conf",
    # Where it runs already a start changes nothing, and a port that the plan closes would stay open.
    start="systemctl enable --now nftables; nft -f /etc/nftables.conf",
    minds=("Keep a session open while it is loaded: whoever is shut out has to walk to the box.",),
)


@dataclass(frozen=True)
class ServiceRuns(Work):
    """A server that runs from its files. `service` says how; `protocol` is empty for the firewall."""

    fields: ClassVar[tuple[str, ...]] = (
        "exports.protocol",
        "apps.kind",
        "mounts.app",
        "mounts.dataset",
        "mounts.inside",
        "mounts.may",
        "pools.unlock",
    )

    protocol: str
    service: Service


def service_works(index: Index, host: str) -> Iterator[ServiceRuns]:
    """One for each protocol that the host serves, and the firewall last."""
    plan, box = index.plan, index.hosts[host]

    def here(dataset: str) -> bool:
        return index.pools[index.datasets[dataset].pool].host == host

    shares = [s for s in plan.shares if here(s.dataset)]
    used: dict[str, list[tuple[str, str]]] = {"smb": [("shares", s.id) for s in shares]}
    for export in plan.exports:
        if here(export.dataset):
            used.setdefault(export.protocol, []).append(("exports", export.id))
    for protocol, makes in used.items():
        if makes:
            declared = PROTOCOLS[protocol]
            served = () if box.closed else tuple(_key(index, kind, key) for kind, key in makes)
            yield _runs(box, declared.title, protocol, declared.service, tuple(makes), served)
    if is_set_up(index, host):
        yield _runs(box, "the firewall", "", FIREWALL, (("hosts", host),))


def _key(index: Index, collection: str, key: str) -> str:
    return f"export/{key}" if collection == "exports" else f"share/{index.shares[key].name}"


def _runs(
    box: Host,
    title: str,
    protocol: str,
    service: Service,
    makes: tuple[tuple[str, str], ...],
    needs: tuple[str, ...] = (),
) -> ServiceRuns:
    by_hand = service.by_hand
    if box.closed:
        by_hand = f"{box.name} has firmware of its own: enter the same in its web page"
    return ServiceRuns(
        key=f"service/{protocol or 'firewall'}",
        what=f"{title} on {box.name}",
        makes=makes,
        needs=needs,
        see=service.check or f"ask {title} from a client",
        back=f"systemctl disable --now, and take {', '.join(p for _, p in service.files)} away"
        if service.files
        else "stop its server, and take its files away",
        by_hand=by_hand,
        protocol=protocol,
        service=service,
    )
