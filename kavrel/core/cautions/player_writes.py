"""A player or kiosk that can write."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.shares.writing import ways_to_write


def _find(view: View) -> Iterator[Finding]:
    for a in view.index.plan.accounts:
        if not a.enabled or a.role != "player":
            continue
        wide = ways_to_write(view.index, a.id, view.by_account[a.id], view.today)
        if wide:
            names = ", ".join(name for _, name, _ in wide)
            yield a.id, a.login, f"A player needs to read only, and can write {names}."


PLAYER_WRITES = Rule(
    "player_writes",
    "caution",
    "shares",
    "account",
    "One read-only account is enough for all players.",
    _find,
)
