"""The same bytes encrypted twice on their way."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed
from kavrel.core.copies.travel import link_of


def _find(view: View) -> Iterator[Finding]:
    for j in view.index.plan.jobs:
        link = link_of(view.book, j)
        if link and link.encrypted and j.wire_encrypted:
            yield (
                j.id,
                j.name,
                "Its way is encrypted once more inside the tunnel, which costs speed.",
            )


ENCRYPTED_TWICE = Rule(
    "encrypted_twice",
    "advice",
    "copies",
    "job",
    "Rely on the tunnel, or on the job: one of the two is enough.",
    _find,
    could="Nights are longer than they have to be, on the slowest processor of the two.",
    fix=changed("leave it to the tunnel", "jobs", wire_encrypted=False),
)
