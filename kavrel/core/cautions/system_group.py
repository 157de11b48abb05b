"""A planned group that the system has for its own purposes."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.shares.names import SYSTEM_NAMES


def _find(view: View) -> Iterator[Finding]:
    for group in view.index.plan.groups:
        if group.name in SYSTEM_NAMES:
            yield group.id, group.name, f"Every box has a group {group.name} of its own already."


SYSTEM_GROUP = Rule(
    "system_group",
    "serious",
    "shares",
    "group",
    "Give the group another name; setup.sh leaves this one alone.",
    _find,
    could="Who was meant to read films becomes an administrator, or reads the disks themselves.",
)
