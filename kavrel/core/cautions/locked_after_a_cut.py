"""An encrypted dataset that waits for its key after every start."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for dataset in plan.datasets:
        pool = view.index.pools[dataset.pool]
        if (dataset.encrypted or pool.encrypted) and any(
            s.dataset == dataset.id for s in plan.shares
        ):
            yield dataset.id, dataset.name, "After a restart it is locked until its key is given."


LOCKED_AFTER_A_CUT = Rule(
    "locked_after_a_cut",
    "advice",
    "shares",
    "dataset",
    "Say who enters it, or keep the key on a stick that does not stay in the box.",
    _find,
    could="After a power cut at night the shares are empty until somebody comes.",
)
