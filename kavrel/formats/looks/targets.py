"""The disks that a box gives over iSCSI, as its kernel has them, held against those that its plan hands out.

A disk that the kernel has and the plan does not, an initiator that was added, or a target that asks no
secret, lets somebody in. Source: the kernel's documentation of LIO's configfs; lines as lab-look writes
them, `NAME: VALUE` of a file and `NAME -> WHERE` of a link, seen on Linux 6.1.
"""

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from kavrel.core.index import Index
from kavrel.core.plan import Export
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.timers import FROM_BUNDLE
from kavrel.core.shares.protocols.iscsi import SAVED, target_name
from kavrel.formats.servers.files import target_json

KIND = "targets"  # as the listing is called
# All that is loaded is taken down by it, and loaded anew.
LOAD = (
    "with every client signed out and each secret of target.json filled in: "
    f"install -m 600 target.json {SAVED}; targetctl restore{FROM_BUNDLE}"
)
HEAD = re.compile(r"iscsi/(?P<name>[^/]+)/tpgt_\d+/(?P<rest>.+?)(?:: | -> )(?P<value>.*)")
INSIDE = re.compile(r"acls/(?P<initiator>[^/]+)/lun_(?P<lun>\d+)/(?P<what>.+)")
LUN = re.compile(r"lun/lun_(?P<lun>\d+)/")
BACKED = re.compile(r"core/\w+/(?P<name>[^/]+)/udev_path: (?P<path>.*)")
Verdict = Literal["missing", "extra", "different"]


@dataclass
class Target:
    """One target: whether it answers, whether it asks a secret, its disks, and who may have them."""

    enabled: bool = False
    secret: bool = False
    anybody: bool = False  # who is not listed gets in, too
    disks: dict[str, str] = field(default_factory=dict)  # by the number of the LUN
    initiators: dict[str, str] = field(default_factory=dict)  # to "read" or "write"
    portals: dict[str, None] = field(
        default_factory=dict
    )  # addresses with ports that it listens at


def held(index: Index, host: str, text: str, said: Sequence[Drifted]) -> tuple[list[Drifted], int]:
    """Differences of the targets that are loaded, and how many are as planned."""
    if index.hosts[host].closed:
        return [], 0
    exports = {
        target_name(e): e
        for e in index.plan.exports
        if e.protocol == "iscsi" and index.pools[index.datasets[e.dataset].pool].host == host
    }
    wanted, loaded = planned(index, host), seen(text)
    rows, agreed = [], 0
    for name in dict.fromkeys((*wanted, *loaded)):
        found = list(_target(host, name, exports.get(name), wanted.get(name), loaded.get(name)))
        rows += found
        agreed += not found
    return rows, agreed


def planned(index: Index, host: str) -> dict[str, Target]:
    """The targets of the file that the plan hands out, by their names."""
    saved = json.loads(target_json(index.plan, host, ""))
    disks = {f"/backstores/{o['plugin']}/{o['name']}": o["dev"] for o in saved["storage_objects"]}
    return {
        t["wwn"]: Target(
            enabled=group["enable"],
            secret=bool(group["attributes"]["authentication"]),
            disks={str(lun["index"]): disks[lun["storage_object"]] for lun in group["luns"]},
            initiators={
                acl["node_wwn"]: "read" if acl["mapped_luns"][0]["write_protect"] else "write"
                for acl in group["node_acls"]
            },
            portals={_portal(p["ip_address"], p["port"]): None for p in group["portals"]},
        )
        for t in saved["targets"]
        for group in t["tpgs"]
    }


def seen(text: str) -> dict[str, Target]:
    """The targets that the kernel has, by their names."""
    lines = text.splitlines()
    backed = {m["name"]: m["path"] for line in lines if (m := BACKED.fullmatch(line))}
    targets: dict[str, Target] = {}
    for match in (m for line in lines if (m := HEAD.fullmatch(line))):
        _heard(targets.setdefault(match["name"], Target()), match, backed)
    return targets


def _heard(target: Target, match: re.Match[str], backed: Mapping[str, str]) -> None:
    rest, value = match["rest"], match["value"]
    inside = INSIDE.fullmatch(rest)
    if rest == "enable":
        target.enabled = value == "1"
    elif rest == "attrib/authentication":
        target.secret = value == "1"
    elif rest.startswith("np/"):
        target.portals[rest.split("/")[1]] = None
    elif rest == "attrib/generate_node_acls":
        target.anybody = value == "1"
    elif inside and inside["what"] == "write_protect":
        target.initiators[inside["initiator"]] = "read" if value == "1" else "write"
    elif on_lun := LUN.match(rest):
        name = value.rpartition("/")[2]
        target.disks[on_lun["lun"]] = backed.get(name, name)


def _target(
    host: str, name: str, export: Export | None, wanted: Target | None, there: Target | None
) -> Iterator[Drifted]:
    def row(
        verdict: Verdict,
        what: str,
        plan: str,
        found: str,
        urgent: bool = False,
    ) -> Drifted:
        return Drifted(
            host=host,
            verdict=verdict,
            collection="exports",
            about=export.id if export else "",
            name=export.name if export else name,
            field=what,
            planned=plan,
            seen=found,
            urgent=urgent,
            command=LOAD,
        )

    if there is None:
        yield row("missing", "target", "a disk over the network", "no such target is loaded")
        return
    if wanted is None:
        shown = ", ".join(there.initiators) or "no initiator"
        disks = ", ".join(there.disks.values()) or "no disk"
        yield row("extra", "target", "not there", f"{disks} for {shown}", True)
        return
    for lun in dict.fromkeys((*wanted.disks, *there.disks)):
        disk, has = (t.disks.get(lun, "none") for t in (wanted, there))
        if disk != has:
            yield row(_verdict(disk, has, "none"), f"LUN {lun}", disk, has, has != "none")
    if wanted.enabled and not there.enabled:
        yield row("different", "target", "answers", "is switched off")
    if wanted.secret != there.secret:
        asks = ("asks no secret", "asks for CHAP")
        yield row("different", "CHAP", asks[wanted.secret], asks[there.secret], not there.secret)
    if there.anybody:
        yield row("different", "initiator", "those that are listed", "anybody who asks", True)
    for portal in dict.fromkeys((*wanted.portals, *there.portals)):
        listens = ("nowhere", portal)
        plan, has = (listens[portal in t.portals] for t in (wanted, there))
        if plan != has:
            yield row(_verdict(plan, has, "nowhere"), "listens at", plan, has, has != "nowhere")
    for who in dict.fromkeys((*wanted.initiators, *there.initiators)):
        right, has = (t.initiators.get(who, "nothing") for t in (wanted, there))
        if right != has:
            order = ("nothing", "read", "write")
            wide = order.index(has) > order.index(right)
            yield row(_verdict(right, has, "nothing"), f"initiator {who}", right, has, wide)


def _portal(address: str, port: int) -> str:
    """As the kernel names it: an address of IPv6 in brackets."""
    return f"[{address}]:{port}" if ":" in address else f"{address}:{port}"


def _verdict(planned: str, found: str, nothing: str) -> Verdict:
    return "missing" if found == nothing else "extra" if planned == nothing else "different"
