"""A key that burns with the box."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.keys import key_of


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    for j in index.plan.jobs:
        keys = [k for d in j.datasets if (k := key_of(index, j, d))]
        if any(k.burns_at(k.home) for k in keys):
            where = "only in the box itself" if keys[0].in_box_alone else "only where the data is"
            yield j.id, j.name, f"Its key is {where}: after a fire the copy cannot be read."


KEY_BURNS = Rule(
    "key_burns",
    "serious",
    "copies",
    "job",
    "Keep the key at a second site, on paper or in a password manager that is copied.",
    _find,
)
