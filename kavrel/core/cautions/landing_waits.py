"""Copies that land on a pool which waits for its passphrase after every start."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    landing: dict[str, list[str]] = {}
    for job in view.index.plan.jobs:
        landing.setdefault(job.target_pool or "", []).append(job.name)
    for pool in view.index.plan.pools:
        if pool.waits and pool.id in landing:
            names = ", ".join(landing[pool.id])
            yield (
                pool.id,
                pool.name,
                f"After a restart nothing of {names} lands until it is unlocked.",
            )


LANDING_WAITS = Rule(
    "landing_waits",
    "caution",
    "copies",
    "pool",
    "Let a key file open it after a start; a thief who takes the whole box then reads it.",
    _find,
    could="A short cut at night, and weeks go by in which no copy was made.",
    fix=changed("let a key file open it", "pools", unlock="key_file"),
)
