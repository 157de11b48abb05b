"""A default account with the password that it came with."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for login in plan.default_logins:
        if not login.off and login.changed_on is None:
            host = view.index.hosts[login.host].name
            yield (
                login.id,
                f"{host}, {login.service}",
                f"{login.login} has the password it came with.",
            )


DEFAULT_LOGIN = Rule(
    "default_login",
    "serious",
    "shares",
    "default_login",
    "Change it before anything else, and note the day.",
    _find,
    could="The list of default passwords is on the internet, box by box.",
    fix=changed("changed today", "default_logins", changed_on=lambda view: view.today),
)
