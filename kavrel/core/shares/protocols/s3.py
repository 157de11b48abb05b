"""S3 tenants: buckets for backup tools; one tenant is one dataset, one service, its own ports.

The admin key makes buckets and keys; the lesser keys of the accounts only reach the buckets.
"""

from collections.abc import Iterator

from kavrel.core.index import Index
from kavrel.core.plan import Export
from kavrel.core.shares.names import slug
from kavrel.core.shares.protocols.protocol import (
    Certificate,
    Complaint,
    PortUse,
    Protocol,
    Service,
    account_complaints,
    by_account,
)


def _complaints(export: Export, index: Index) -> Iterator[Complaint]:
    yield from account_complaints(export, "tenant's buckets")
    if not export.size_bytes:
        yield "size_bytes", "give the tenant's quota: a backup tool fills whatever it finds"
    if export.port is None:
        yield "port", "give the tenant a port of its own, as 9000"
    if export.console_port is not None and export.console_port == export.port:
        yield "console_port", "the console needs another port than the service"
    if not export.buckets:
        yield "buckets", "name at least one bucket"
    for other in index.plan.exports:
        if other is not export and other.protocol == "s3" and other.dataset == export.dataset:
            yield "dataset", f"tenant {other.name} already has this dataset: one dataset a tenant"


def _ports(export: Export) -> tuple[PortUse, ...]:
    uses: list[PortUse] = []
    if export.port:
        uses.append((export.port, "tcp", f"S3 tenant {export.name}"))
    if export.console_port:
        uses.append((export.console_port, "tcp", f"console of S3 tenant {export.name}"))
    return tuple(uses)


def service_name(export: Export) -> str:
    """The tenant's unit, and its account: at most 32 characters (useradd(8))."""
    return f"s3-{slug(export.name, export.id)}"[:32].rstrip("-")


def _certificate(export: Export) -> Certificate | None:
    name = service_name(export)
    place = f"/etc/s3/{name}"
    return Certificate(f"{place}.crt", f"{place}.key", name) if export.secured else None


S3 = Protocol(
    id="s3",
    title="S3 tenant",
    gives="objects",
    systems=frozenset({"backup", "linux", "windows", "macos"}),
    many_writers=True,
    clear_text=lambda export: not export.secured,
    fields=("accounts", "size_bytes", "secured", "port", "console_port", "buckets"),
    ports=_ports,
    service=Service(
        package="",
        files=(),
        check="",
        start="",
        by_hand="no package of Debian serves S3: install a server of your choice and a script that starts it "
        "(/usr/local/sbin/s3-serve); unit, environment and the lesser key's policy of each tenant are in the "
        "bundle; fill in key and secret of the environment, or keep those that stand there, for without "
        "them the unit does not start; make the tenant's buckets and that key there",
        # Its unit waits for the mount, and is given up with it, not failed. Source: systemd.unit(5).
        again=lambda export: f"systemctl start {service_name(export)}",
    ),
    why="a backup tool that speaks S3, with a key that cannot delete what is held",
    seen=by_account,
    runs_as=service_name,
    certificate=_certificate,
    complaints=_complaints,
)
