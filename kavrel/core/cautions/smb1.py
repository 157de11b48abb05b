"""A client that still needs SMB 1."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for s in view.index.plan.shares:
        if s.smb1:
            yield (
                s.id,
                s.name,
                (
                    "SMB 1 has no protection against tampering and known ways in. The server configuration "
                    "does not switch it on."
                ),
            )


SMB1 = Rule(
    "smb1",
    "serious",
    "shares",
    "share",
    "Replace the client, or give it a read-only share of its own with nothing else on it.",
    _find,
)
