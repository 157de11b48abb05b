"""S3 tenants: for each a unit, its environment, and the policy of the lesser key.

No package of Debian serves S3: which program does is the reader's choice, so the unit starts a script
of theirs, which finds all that the plan knows in its environment. The policy is in the language of the
S3 protocol's own access control (JSON, version 2012-10-17; names of actions from memory).
"""

import json
from collections.abc import Iterator

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Export, Plan
from kavrel.core.shares.names import pool_roots
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.shares.protocols.s3 import service_name
from kavrel.core.works.doors import door_works
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.template import plain, render
from kavrel.formats.servers.units import unit_name

SERVES = "/usr/local/sbin/s3-serve"
ON_BUCKET = ("GetBucketLocation", "ListBucket", "ListBucketMultipartUploads")
READS = ("GetObject", "GetObjectVersion", "GetObjectRetention")
WRITES = ("PutObject", "PutObjectRetention", "AbortMultipartUpload", "ListMultipartUploadParts")
# What a key that lies on the box which is backed up must never do: whoever has that box has the key.
NEVER = (
    *("DeleteObjectVersion", "BypassGovernanceRetention", "PutBucketVersioning"),
    *("PutBucketObjectLockConfiguration", "PutLifecycleConfiguration", "DeleteBucket"),
    *("PutBucketPolicy", "DeleteBucketPolicy"),
)


def tenant_files(plan: Plan, host: str, origin: str) -> dict[str, tuple[str, str]]:
    """File name to its text and what to do with it."""
    return {
        name: (text, todo)
        for tenant in _tenants(Box(plan, host), origin)
        for name, text, todo in tenant
    }


def _tenants(box: Box, origin: str) -> Iterator[tuple[tuple[str, str, str], ...]]:
    for export in box.exports("s3"):
        name = service_name(export)
        networks = _networks(box, export)
        facts = {
            "service": name,
            "host": box.host,
            "origin": origin,
            "e": export,
            "folder": box.folders[export.dataset],
            "late": _late(box, export),
            "networks": networks,
            "serves": SERVES,
            "certificate": PROTOCOLS["s3"].certificate(export),
        }
        yield (
            (f"s3/{name}.service", render("s3_unit.j2", **facts), UNIT),
            (f"s3/{name}.env", render("s3_env.j2", **facts), _env_todo(name)),
            (f"s3/{name}-policy.json", policy(export, networks, origin), POLICY),
        )


def _late(box: Box, export: Export) -> str:
    """The mount that somebody opens by hand after a start, empty where it is there by itself."""
    pool = box.index.pools[box.index.datasets[export.dataset].pool]
    root = pool_roots(box.index.plan)[pool.id]
    inside = box.folders[export.dataset].startswith(f"{root}/")
    by_name = FILESYSTEMS[pool.filesystem].by_name
    return unit_name(root) if pool.waits and inside and not by_name else ""


def _networks(box: Box, export: Export) -> list[str]:
    """From where the firewall lets anybody in to the tenant's port; none named: anybody."""
    doors = [
        d for d in door_works(box.index, box.host.id) if d.first <= (export.port or 0) <= d.last
    ]
    if not doors or any(not d.sources for d in doors):
        return []
    return sorted({s for d in doors for s in d.sources})


def policy(export: Export, networks: list[str], origin: str) -> str:
    """What the tenant's lesser key may do: reach the buckets, from its networks, and delete no version."""
    buckets = [f"arn:aws:s3:::{b}" for b in export.buckets]
    objects = [f"{b}/*" for b in buckets]
    near = {"Condition": {"IpAddress": {"aws:SourceIp": networks}}} if networks else {}
    # A delete by this key only puts a marker over an object, where the bucket keeps versions.
    may = (*READS, *((*WRITES, "DeleteObject") if export.may == "write" else ()))
    statements = [
        {"Sid": "Buckets", "Effect": "Allow", "Action": _names(ON_BUCKET), "Resource": buckets, **near},
        {"Sid": "Objects", "Effect": "Allow", "Action": _names(may), "Resource": objects, **near},
        {"Sid": "Never", "Effect": "Deny", "Action": _names(NEVER), "Resource": [*buckets, *objects]},
    ]  # fmt: skip
    return (
        json.dumps(
            {"Version": "2012-10-17", "Id": plain(origin), "Statement": statements}, indent=2
        )
        + "\n"
    )


def _names(actions: tuple[str, ...]) -> list[str]:
    return [f"s3:{a}" for a in actions]


UNIT = (
    f"Install in /etc/systemd/system. It starts {SERVES}, a script of yours that starts the server of your "
    "choice from the environment, as the account that setup.sh made and let into its folder; then systemctl "
    "enable --now."
)


def _env_todo(name: str) -> str:
    return (
        f"Install as /etc/s3/{name}.env, mode 600, root's, and set the two words of its administrator; "
        "they stay on this box: no backup tool gets them."
    )


POLICY = (
    "Make the buckets with versions kept (object lock, where a job of the plan wants it), then the lesser "
    "key with this policy: it goes to the backup tool, and cannot delete versions. In a bucket that keeps "
    "none its deletes are for good: try that before you trust it."
)
