"""The backup account can write what it backs up."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.shares.writing import ways_to_write


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    copied = {d for j in plan.jobs for d in j.datasets}
    for account in plan.accounts:
        if account.role != "backup":
            continue
        row = view.by_account[account.id]
        over: dict[str, set[str]] = {}
        for protocol, _, dataset in ways_to_write(view.index, account.id, row, view.today):
            if dataset in copied and dataset not in view.index.landing:
                over.setdefault(protocol, set()).add(view.index.datasets[dataset].name)
        if over:
            said = "; ".join(f"{', '.join(sorted(names))} over {p}" for p, names in over.items())
            yield account.id, account.login, f"It can write {said}."


BACKUP_WRITES_SOURCE = Rule(
    "backup_writes_source",
    "caution",
    "shares",
    "account",
    "It reads the source, and writes the target alone.",
    _find,
    could="Malware that has the backup account has the data and the copy.",
)
