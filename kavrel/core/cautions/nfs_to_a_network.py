"""NFS with write to a whole network, without Kerberos."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        wide = [c for c in export.clients if "/" in c and c not in ("0.0.0.0/0", "::/0")]
        if export.protocol == "nfs" and export.may == "write" and wide and not export.secured:
            yield (
                export.id,
                export.name,
                f"Every machine in {wide[0]} may write, as whoever it says it is.",
            )


NFS_TO_A_NETWORK = Rule(
    "nfs_to_a_network",
    "caution",
    "shares",
    "export",
    "Name the hosts, or use Kerberos.",
    _find,
    could="Any machine that is plugged in can write, as any user.",
)
