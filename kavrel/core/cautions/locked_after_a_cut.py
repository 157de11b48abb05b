"""An encrypted dataset that waits for its passphrase after every start."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.keys import locked_after_start


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    shared = {s.dataset for s in plan.shares}
    for dataset in plan.datasets:
        if dataset.id in shared and locked_after_start(view.index, dataset):
            yield (
                dataset.id,
                dataset.name,
                "After a restart it is locked until its passphrase is typed.",
            )


LOCKED_AFTER_A_CUT = Rule(
    "locked_after_a_cut",
    "advice",
    "shares",
    "dataset",
    "Say who types it and where it is kept; or let a key file open the pool, which a thief takes along.",
    _find,
    could="After a power cut at night the shares are empty until somebody comes.",
)
