"""Keeps other web pages out: foreign Host or Origin headers and oversized bodies are refused.

Kavrel listens on loopback; a page from elsewhere could still reach it through the browser by
rebinding a name to 127.0.0.1 or by posting across sites. What comes of a body is counted by Starlette's
own limit. Its trusted hosts know nothing of the address that a request came in at, nor of origins, and
they answer in plain text where every error here is problem details: those are looked at here.
"""

import logging
import re
from urllib.parse import urlsplit

from starlette.middleware.body_limit import RequestBodyLimitMiddleware
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kavrel.api.problem import problem, too_large
from kavrel.formats.looks.read import LARGEST as LARGEST_LOOK
from kavrel.formats.plan_file import LARGEST_FILE_BYTES

LOOKS = re.compile(r"^/api/(?:plans/[^/]+/looks(?:/read)?|observations)$")
DOOR = re.compile(r"^/api/(?:visitor|people)(?:/|$)")
LARGEST_AT_DOOR = 2**16
LOOPBACK = frozenset({"127.0.0.1", "localhost", "[::1]"})
POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'; worker-src 'self'"
)
HEADERS = (
    (b"content-security-policy", POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"no-referrer"),
    (b"cross-origin-resource-policy", b"same-origin"),
    (b"cross-origin-opener-policy", b"same-origin"),
    (b"permissions-policy", b"camera=(self), microphone=(), geolocation=(), payment=()"),
)
log = logging.getLogger("kavrel.refused")
STRICT = (b"strict-transport-security", b"max-age=31536000")


def _name(host: str) -> str:
    """The host of a Host header without its port."""
    return host.rpartition(":")[0] if host.rpartition(":")[2].isdigit() else host


class Guard:
    """ASGI middleware; `allowed` are further host names that the user asked to serve under."""

    def __init__(self, app: ASGIApp, allowed: frozenset[str] = frozenset()) -> None:
        self.app = app
        # What a machine prints may be larger than any plan; its reader counts for itself.
        # Whoever is not known yet has a name and a password to say, no more.
        self.limited = {
            most: RequestBodyLimitMiddleware(app, most)
            for most in (LARGEST_AT_DOOR, LARGEST_FILE_BYTES, LARGEST_LOOK)
        }
        self.allowed = LOOPBACK | {a.lower() for a in allowed} | {f"[{a}]" for a in allowed}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answers 403 or 413 itself, or passes the request on."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = {k.decode("latin-1"): v.decode("latin-1") for k, v in scope["headers"]}
        refusal = self._refusal(headers, scope)
        if refusal:
            client = scope.get("client") or ("",)
            # What it called itself, in a form that holds no control character and no end of a line.
            said = [ascii(headers.get(h, "")[:100]) for h in ("host", "origin")]
            log.warning("%s: host %s, origin %s", refusal, *said, extra={"address": client[0]})
            await problem(403, "foreign request", refusal)(scope, receive, send)
            return
        length = headers.get("content-length", "0")
        most = LARGEST_LOOK if LOOKS.search(scope["path"]) else LARGEST_FILE_BYTES
        if DOOR.match(scope["path"]):
            most = LARGEST_AT_DOOR
        if not length.isdigit() or int(length) > most:
            await too_large(most)(scope, receive, send)
            return
        if "transfer-encoding" in headers and "content-length" in headers:
            # One of the two is for a proxy in front that believes it. Source: RFC 9112, section 6.1.
            await problem(400, "two lengths", "a body is chunked, or has its length")(
                scope, receive, send
            )
            return
        more = list(HEADERS)
        if scope.get("scheme") == "https":
            more.append(STRICT)
        if scope["path"].startswith("/api"):
            more.append((b"cache-control", b"no-store"))

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                said = {k for k, _ in message.get("headers", ())}
                message["headers"] = [
                    *message.get("headers", ()),
                    *(h for h in more if h[0] not in said),
                ]
            await send(message)

        await self.limited[most](scope, receive, with_headers)

    def _refusal(self, headers: dict[str, str], scope: Scope) -> str | None:
        host = headers.get("host", "")
        # The address that the request came in at is one of this machine: no name was bent towards it.
        here = str((scope.get("server") or ("",))[0])
        own = {here, f"[{here}]"} - {"", "[]"}
        if _name(host).lower() not in self.allowed | own:
            return "this address is not served under that name: start it with --name"
        origin = headers.get("origin")
        if origin and origin != "null" and urlsplit(origin).netloc == host:
            return None
        if origin:
            return "another page may not use this address"
        if headers.get("sec-fetch-site") == "cross-site" and headers.get("sec-fetch-mode") not in (
            "navigate",
            None,
        ):
            return "another page may not use this address"
        return None
