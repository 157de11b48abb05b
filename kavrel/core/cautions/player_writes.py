"""A player or kiosk that can write."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for a in view.index.plan.accounts:
        wide = [c.share for c in view.by_account[a.id] if c.right == "write"]
        if a.enabled and a.role == "player" and wide:
            names = ", ".join(view.index.shares[s].name for s in wide)
            yield a.id, a.login, f"A player needs to read only, and can write {names}."


PLAYER_WRITES = Rule(
    "player_writes",
    "caution",
    "shares",
    "account",
    "One read-only account is enough for all players.",
    _find,
)
