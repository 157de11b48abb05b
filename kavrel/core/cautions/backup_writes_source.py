"""The backup account can write what it backs up."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    copied = {d for j in plan.jobs for d in j.datasets}
    for account in plan.accounts:
        if account.role != "backup":
            continue
        writes = {
            view.index.shares[c.share].dataset
            for c in view.by_account[account.id]
            if c.right == "write"
        }
        both = sorted(view.index.datasets[d].name for d in writes & copied)
        if both:
            yield account.id, account.login, f"It can write {', '.join(both)} over SMB."


BACKUP_WRITES_SOURCE = Rule(
    "backup_writes_source",
    "caution",
    "shares",
    "account",
    "It reads the source, and writes the target alone.",
    _find,
    could="Malware that has the backup account has the data and the copy.",
)
