"""A name that Windows clients cannot open."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.plan import Dataset, Share


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    reserved = {
        "con",
        "prn",
        "aux",
        "nul",
        *(f"{d}{n}" for d in ("com", "lpt") for n in range(1, 10)),
    }
    things: list[Share | Dataset] = [*plan.shares, *plan.datasets]
    for thing in things:
        stem = thing.name.casefold().partition(".")[0].strip()
        if stem in reserved or thing.name.endswith((".", " ")):
            yield (
                thing.id,
                thing.name,
                "Windows keeps this name for itself or cuts its last character.",
            )


WINDOWS_NAMES = Rule(
    "windows_names",
    "caution",
    "shares",
    "dataset",
    "Rename it.",
    _find,
    could="Windows shows a short made-up name, or nothing.",
)
