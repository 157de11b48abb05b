"""Home folders without quotas."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    limited = {q.dataset for q in plan.quotas}
    for share in plan.shares:
        dataset = view.index.datasets[share.dataset]
        if share.home and dataset.id not in limited and dataset.quota_bytes is None:
            yield dataset.id, dataset.name, "Anybody may fill it."


HOMES_WITHOUT_QUOTA = Rule(
    "homes_without_quota",
    "advice",
    "shares",
    "dataset",
    "A quota for each person.",
    _find,
    could="One phone backup fills the pool for all.",
)
