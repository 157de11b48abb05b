"""What a host serves, piece by piece: each share and each export, as its server's file has it."""

import shlex
from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.index import Index
from kavrel.core.plan import Export, Share
from kavrel.core.shares.names import folders
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.works.work import Work


@dataclass(frozen=True)
class ShareServed(Work):
    """A share over SMB; `oldest`: how old a dialect its box still speaks."""

    fields = (
        "shares.name",
        "shares.dataset",
        "shares.guest",
        "shares.home",
        "shares.recycle_days",
        "shares.hidden",
        "shares.pc_backups",
        "shares.comment",
        "hosts.smb",
    )

    share: Share
    oldest: str


@dataclass(frozen=True)
class ExportServed(Work):
    """An export over another protocol."""

    fields = (
        "exports.protocol",
        "exports.name",
        "exports.dataset",
        "exports.may",
        "exports.clients",
        "exports.accounts",
        "exports.size_bytes",
        "exports.thick",
        "exports.secured",
        "exports.squash",
        "exports.port",
        "exports.console_port",
        "exports.buckets",
        "exports.idle_minutes",
    )

    export: Export


def served_works(index: Index, host: str) -> Iterator[ShareServed | ExportServed]:
    """One for each share and export of a host that takes files."""
    box, paths = index.hosts[host], folders(index.plan)
    if box.closed:
        return
    for share in index.plan.shares:
        if index.pools[index.datasets[share.dataset].pool].host == host:
            yield ShareServed(
                f"share/{share.name}", f"share {share.name} on {box.name}", (("shares", share.id),),
                (f"folder/{paths[share.dataset]}",),
                f"testparm -s --section-name {shlex.quote(share.name)}",
                "take its section out of /etc/samba/smb.conf, and `smbcontrol all reload-config`", "",
                share=share, oldest=box.smb,
            )  # fmt: skip
    for export in index.plan.exports:
        if index.pools[index.datasets[export.dataset].pool].host == host:
            declared = PROTOCOLS[export.protocol]
            service = declared.service
            yield ExportServed(
                f"export/{export.id}", f"{declared.title} {export.name} on {box.name}",
                (("exports", export.id),),
                (
                    f"folder/{paths[export.dataset]}",
                    *([f"certificate/{export.id}"] if declared.certificate(export) else []),
                    *(["kerberos/server"] if declared.realm(export) else []),
                ),
                service.check or f"ask {declared.title} from a client",
                f"take it out of {', '.join(place for _, place in service.files)}" if service.files
                else "stop its server, and take its files away",
                service.by_hand, export=export,
            )  # fmt: skip
