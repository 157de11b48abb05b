"""A machine account that can write most shares."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for account in plan.accounts:
        writes = [c for c in view.by_account[account.id] if c.right == "write"]
        if (
            account.role == "machine"
            and len(plan.shares) > 1
            and len(writes) * 2 > len(plan.shares)
        ):
            yield (
                account.id,
                account.login,
                f"It can write {len(writes)} of {len(plan.shares)} shares.",
            )


MACHINE_WRITES_MUCH = Rule(
    "machine_writes_much",
    "caution",
    "shares",
    "account",
    "Let it write the one place that it needs.",
    _find,
    could="Whoever takes the machine has the house.",
)
