"""A bucket that whoever has the key can empty."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.locks import lock_holds


def _find(view: View) -> Iterator[Finding]:
    for b in view.index.plan.buckets:
        jobs = [j for j in view.index.plan.jobs if j.target_bucket == b.id]
        held = [j for j in jobs if j.credentials in ("source", "everyday")]
        if not held:
            continue
        if not b.locked_days:
            why = "Its objects are not locked, and the source holds a key that deletes."
            yield b.id, b.name, why
        elif not all(lock_holds(view.book, j, 0.0) for j in held):
            why = (
                f"Its objects are locked for {b.locked_days} days and no longer, and a point needs "
                "those of the first copy."
            )
            yield b.id, b.name, why


BUCKET_UNLOCKED = Rule(
    "bucket_unlocked",
    "advice",
    "copies",
    "bucket",
    "Lock objects for longer than it takes to notice, or give the source a key that cannot delete.",
    _find,
)
