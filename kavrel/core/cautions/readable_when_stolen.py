"""Data that a thief can read."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for c in view.cells:
        d = view.index.datasets[c.dataset]
        told = c.hazard == "theft" and c.readable and c.signed != "yes"
        if told and d.worth == "irreplaceable":
            pool = view.index.pools[d.pool]
            host = view.index.hosts[pool.host].name
            why = "its key lies in it" if pool.opens_alone else "nothing is encrypted"
            yield (
                d.id,
                d.name,
                f"Whoever carries {host} off reads it: {why}.",
            )


READABLE_WHEN_STOLEN = Rule(
    "readable_when_stolen",
    "caution",
    "proof",
    "dataset",
    "Encrypt the dataset or its pool and keep the key elsewhere; or sign the cell on Proof.",
    _find,
    could="Papers, pictures and letters are in other hands for good.",
)
