"""Which protocol for which client: what it needs, which systems, one writer or many, and why."""

from collections.abc import Collection

from pydantic import BaseModel, ConfigDict

from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.shares.protocols.protocol import Gives, Protocol, System

# Where several do, the one that people of the trade take first.
ORDER = ("smb", "nfs", "iscsi", "s3", "sftp", "rsync", "ftp")
SYSTEMS: dict[System, str] = {
    "windows": "Windows",
    "macos": "macOS",
    "linux": "Linux",
    "phone": "phones",
    "hypervisor": "hypervisors",
    "box": "other boxes",
    "backup": "backup tools",
}
NEED = {"files": "files", "disk": "a disk", "objects": "objects"}


class Choice(BaseModel):
    """A protocol for a need: `fits` says whether it does, `why` in either case."""

    model_config = ConfigDict(frozen=True)

    protocol: str
    title: str
    fits: bool
    why: str
    caution: str


def choose(needs: Gives, systems: Collection[System], many_writers: bool) -> list[Choice]:
    """All protocols, those that fit first in the order in which the trade takes them."""
    choices = []
    for key in ORDER:
        protocol = PROTOCOLS[key]
        against = _against(protocol, needs, systems, many_writers)
        choices.append(
            Choice(
                protocol=key,
                title=protocol.title,
                fits=not against,
                why=against or f"fits: {protocol.why}",
                caution=protocol.caution,
            )
        )
    return sorted(choices, key=lambda c: not c.fits)


def _against(
    protocol: Protocol, needs: Gives, systems: Collection[System], many_writers: bool
) -> str:
    if protocol.gives != needs:
        return f"gives {NEED[protocol.gives]}, not {NEED[needs]}"
    missing = sorted(SYSTEMS[s] for s in set(systems) - protocol.systems)
    if missing:
        return f"not usual for {', '.join(missing)}"
    if many_writers and not protocol.many_writers:
        return "one client has it alone; two writers would destroy it"
    return ""
