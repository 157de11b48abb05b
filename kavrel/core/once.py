"""An answer about a plan that many ask for: worked out once for each of the few newest plans.

A plan never changes, so that what was said of it stays true; it is known by being the very same one.
"""

from collections.abc import Callable
from functools import wraps
from typing import TypeVar

from kavrel.core.plan import Plan

Answer = TypeVar("Answer")
NEWEST = 6


def once_a_plan(work: Callable[[Plan], Answer]) -> Callable[[Plan], Answer]:
    """The same function; whoever asks leaves the answer as it is."""
    kept: tuple[tuple[Plan, Answer], ...] = ()

    @wraps(work)
    def ask(plan: Plan) -> Answer:
        nonlocal kept
        mine = kept  # another thread may put a new one in its place
        for known, said in mine:
            if known is plan:
                return said
        said = work(plan)
        kept = ((plan, said), *mine[: NEWEST - 1])
        return said

    return ask
