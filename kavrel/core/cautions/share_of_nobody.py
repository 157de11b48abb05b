"""A share that nobody can reach."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, removed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    able = {c.share for c in view.matrix if c.right != "none"}
    for share in plan.shares:
        if share.id not in able and share.guest == "none":
            yield share.id, share.name, "No account has a right on it, and guests have none."


SHARE_OF_NOBODY = Rule(
    "share_of_nobody",
    "caution",
    "shares",
    "share",
    "Grant it to a group, or take the share out.",
    _find,
    could="Somebody needs it one evening and gives everybody everything.",
    fix=removed("take the share out", "shares"),
)
