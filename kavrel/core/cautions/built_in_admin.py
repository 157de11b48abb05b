"""The built-in administrator is on."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for login in plan.default_logins:
        if (
            login.login.casefold() in ("admin", "administrator")
            and not login.off
            and login.changed_on
        ):
            host = view.index.hosts[login.host].name
            yield login.id, f"{host}, {login.service}", f"{login.login} can sign in."


BUILT_IN_ADMIN = Rule(
    "built_in_admin",
    "advice",
    "shares",
    "default_login",
    "Make an administrator of your own, and switch the built-in one off.",
    _find,
    could="Everybody who tries passwords tries this name first.",
    fix=changed("switched off", "default_logins", off=True),
)
