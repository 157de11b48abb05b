"""A bucket that whoever has the key can empty."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for b in view.index.plan.buckets:
        writers = [j for j in view.index.plan.jobs if j.target_bucket == b.id]
        if not b.locked_days and any(j.credentials in ("source", "everyday") for j in writers):
            yield (
                b.id,
                b.name,
                "Its objects are not locked, and the source holds a key that deletes.",
            )


BUCKET_UNLOCKED = Rule(
    "bucket_unlocked",
    "advice",
    "copies",
    "bucket",
    "Lock objects for longer than it takes to notice, or give the source a key that cannot delete.",
    _find,
)
