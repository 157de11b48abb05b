"""ASGI middleware that finds out who a request comes from, and lets nobody in who may not come in."""

from http.cookies import CookieError, SimpleCookie

from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from kavrel.api.door.visitor import Visitor
from kavrel.api.problem import problem
from kavrel.core.loopback import is_loopback
from kavrel.store.people import People

PLAIN, SECURE = "kavrel", "__Host-kavrel"
# Data stands behind these; all else is the page itself, the same for everybody.
BEHIND = ("/api", "/openapi.json", "/metrics")
OPEN_PATHS = frozenset(
    {"/api/visitor", "/api/visitor/in", "/api/people/first", "/api/observations"}
    | {"/api/visitor/in/passkey", "/api/visitor/in/passkey/begin"}
)
FORWARDED = ("forwarded", "x-forwarded-for", "x-forwarded-host", "x-real-ip", "via")


def cookie_name(secure: bool) -> str:
    """The cookie's name: over TLS one that browsers bind to this very address."""
    return SECURE if secure else PLAIN


class Gate:
    """`behind_proxy`: the address was told by a proxy that is trusted, and taken over before."""

    def __init__(self, app: ASGIApp, people: People, behind_proxy: bool = False) -> None:
        self.app, self.people, self.behind_proxy = app, people, behind_proxy

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answers 401 itself, or passes the request on with its visitor."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        # The page itself needs nobody; what is asked of the database is asked in a thread.
        behind = scope["path"].startswith(BEHIND)
        who = await run_in_threadpool(self.visitor, scope) if behind else None
        if who is None and self._is_behind(scope["path"]):
            said = "Sign in first: the session has ended, or there was none."
            await problem(401, "not signed in", said)(scope, receive, send)
            return
        scope.setdefault("state", {})["visitor"] = who or self._stranger(scope)
        await self.app(scope, receive, send)

    @staticmethod
    def _is_behind(path: str) -> bool:
        if path in OPEN_PATHS or path.startswith("/api/calendar/"):
            return False
        return path.startswith(BEHIND)

    def _address(self, scope: Scope) -> tuple[str, bool]:
        """Where it comes from, and whether that is the machine itself and nothing in between."""
        client = scope.get("client")
        address = str(client[0]) if client else ""
        headers = Headers(scope=scope)
        passed_on = self.behind_proxy or any(h in headers for h in FORWARDED)
        return address, is_loopback(address) and not passed_on

    def visitor(self, scope: Scope) -> Visitor | None:
        """Who it is; None for somebody who is not signed in."""
        address, local = self._address(scope)
        cookie = _cookie(scope)
        held = self.people.whose(cookie) if cookie else None
        if held:
            person, session, owes = held
            given = person.given and not session.strong  # a finger or a code is nobody else's
            return Visitor(
                person.name, person.role, address, local, session.number, cookie, owes, given
            )
        free = local and (scope["path"] == "/metrics" or not self.people.any())
        return Visitor("", "planner", address, local) if free else None

    def _stranger(self, scope: Scope) -> Visitor:
        address, local = self._address(scope)
        return Visitor("", "reader", address, local)


def _cookie(scope: Scope) -> str:
    """The session's cookie; a plain one is worth nothing over TLS: another page could have set it."""
    cookies = SimpleCookie()
    for value in Headers(scope=scope).getlist("cookie"):
        try:
            cookies.load(value)
        except CookieError:
            continue
    morsel = cookies.get(cookie_name(scope.get("scheme") == "https"))
    return morsel.value if morsel else ""
