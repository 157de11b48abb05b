"""A pool that is lost more often than the plan accepts."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    accepted = view.index.assumptions["accepted_loss_odds"]
    for state in view.states.values():
        odds = state.layout.loss_odds_5y
        if odds > accepted and state.layout.survives_any:
            why = f"It is lost within five years with odds of {odds:.1%}; accepted are {accepted:.1%}."
            yield state.pool.id, state.pool.name, why


ODDS_NOT_ACCEPTED = Rule(
    "odds_not_accepted",
    "caution",
    "pools",
    "pool",
    "See what one change buys under Odds on the Pools sheet, or accept other odds in the assumptions.",
    _find,
)
