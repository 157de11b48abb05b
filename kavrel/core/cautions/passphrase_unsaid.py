"""An encrypted pool of whose passphrase nobody knows where it is kept."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for pool in view.index.plan.pools:
        if pool.encrypted and not pool.passphrase_at:
            yield pool.id, pool.name, "The plan does not say where its passphrase is kept."


PASSPHRASE_UNSAID = Rule(
    "passphrase_unsaid",
    "caution",
    "pools",
    "pool",
    "Keep it in two places outside the box, and say which: never the words themselves.",
    _find,
    could="Whoever restores stands before a whole pool that nothing opens.",
)
