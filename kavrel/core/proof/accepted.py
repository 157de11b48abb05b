"""Risks that somebody has signed: they hold as long as the cell stays what it was."""

import hashlib
from collections.abc import Iterable, Mapping
from functools import lru_cache

from kavrel.core.plan import AcceptedRisk
from kavrel.core.proof.cell import Signed


@lru_cache(maxsize=8192)
def basis(
    fate: str, rpo: float | None, rto: float | None, copies: tuple[tuple[str, bool], ...]
) -> str:
    """A mark of what a cell says: fate, figures to the hour, which copies help. 16 hex digits.

    Figures count to two significant digits, so that a file more does not call a signature back.
    """

    def rough(seconds: float | None) -> str:
        return "-" if seconds is None else f"{seconds / 3600:.1e}"

    told = [fate, rough(rpo), rough(rto), *sorted(f"{job}:{usable}" for job, usable in copies)]
    return hashlib.sha256("|".join(told).encode()).hexdigest()[:16]


def signatures(risks: Iterable[AcceptedRisk]) -> Mapping[tuple[str, str], AcceptedRisk]:
    """Signed risks by dataset and hazard."""
    return {(r.dataset, r.hazard): r for r in risks}


def signed(risk: AcceptedRisk | None, mark: str) -> Signed:
    """Whether a signature holds for what the cell says now."""
    if risk is None:
        return "no"
    return "yes" if risk.basis == mark else "changed"
