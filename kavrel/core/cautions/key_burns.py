"""A key that burns with the box."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.keys import encrypted_at_source


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    for j in index.plan.jobs:
        homes = {index.site_of_pool(index.datasets[d].pool) for d in j.datasets}
        if encrypted_at_source(index, j) and set(j.key_kept_at) <= homes:
            where = "only in the box itself" if not j.key_kept_at else "only where the data is"
            yield j.id, j.name, f"Its key is {where}: after a fire the copy cannot be read."


KEY_BURNS = Rule(
    "key_burns",
    "serious",
    "copies",
    "job",
    "Keep the key at a second site, on paper or in a password manager that is copied.",
    _find,
)
