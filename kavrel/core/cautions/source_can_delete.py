"""Every copy can be deleted from the box that it is a copy of."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for d in view.index.plan.datasets:
        copies = [c for c in view.book.copies[d.id] if c.place.pool != d.pool]
        safe = [c for c in copies if c.job.credentials in ("target", "hand")]
        if d.worth == "irreplaceable" and copies and not safe:
            yield (
                d.id,
                d.name,
                (
                    "The source holds the credentials of every copy: whoever takes the box, or malware on "
                    "it, can delete the copies too."
                ),
            )


SOURCE_CAN_DELETE = Rule(
    "source_can_delete",
    "caution",
    "copies",
    "dataset",
    "Let the far box pull, or keep one copy by hand on the shelf.",
    _find,
)
