"""A box whose shares are reached by SMB 1 alone."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    serving = {index.pools[index.datasets[s.dataset].pool].host for s in index.plan.shares}
    for host in index.plan.hosts:
        if host.smb == "old" and host.id in serving:
            yield (
                host.id,
                host.name,
                "It speaks SMB 1 alone: every client has to allow a dialect without protection.",
            )


SERVER_SPEAKS_SMB1 = Rule(
    "server_speaks_smb1",
    "serious",
    "shares",
    "host",
    "Take its disk to a box that speaks a newer one; until then let nothing on it be worth much.",
    _find,
    could="Whoever is on the network reads and changes what passes, and every client is weaker for it.",
)
