"""A key that is kept at one place."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.keys import key_of


def _find(view: View) -> Iterator[Finding]:
    for j in view.index.plan.jobs:
        key = key_of(view.index, j)
        if key and key.in_one_place and not key.in_box_alone:
            yield j.id, j.name, f"Its key is kept at {key.where(view.index)} alone."


KEY_IN_ONE_PLACE = Rule(
    "key_in_one_place",
    "caution",
    "copies",
    "job",
    "Keep it at a second place: on paper in an envelope, or in a manager that is copied.",
    _find,
    could="The key is gone, and the copy with it, although every byte is there.",
)
