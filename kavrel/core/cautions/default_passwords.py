"""Default passwords still stand."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.log.last import last_good


def _find(view: View) -> Iterator[Finding]:
    for h in view.index.plan.hosts:
        changed = last_good(view.index, "password_change", "host", h.id)
        if not h.default_passwords_changed and changed is None:
            yield (
                h.id,
                h.name,
                (
                    "Its default passwords are not changed; web, root shell and file service often have "
                    "three different ones."
                ),
            )


DEFAULT_PASSWORDS = Rule(
    "default_passwords",
    "serious",
    "shares",
    "host",
    "Change web, root shell and file service passwords before anything else, and log it.",
    _find,
    whole=True,
)
