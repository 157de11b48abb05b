"""Counts what is answered, and writes a line about each answer where that is wanted."""

import logging
import re
import time
from collections import Counter

from starlette.types import ASGIApp, Message, Receive, Scope, Send

log = logging.getLogger("kavrel.answered")
# Upper bounds in seconds; the last bucket takes all that took longer.
BOUNDS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0)
SECRET = re.compile(r"^/api/calendar/[^/]+")


class Counts:
    """How many answers there were by method and status, and how long they took."""

    def __init__(self) -> None:
        self.answers: Counter[tuple[str, int]] = Counter()
        self.took: Counter[float] = Counter()
        self.seconds = 0.0

    def add(self, method: str, status: int, seconds: float) -> None:
        """Counts an answer."""
        self.answers[method, status] += 1
        self.seconds += seconds
        self.took[next((b for b in BOUNDS if seconds <= b), float("inf"))] += 1


class Counted:
    """ASGI middleware around everything."""

    def __init__(self, app: ASGIApp, counts: Counts) -> None:
        self.app, self.counts = app, counts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Passes everything on."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        began, status = time.perf_counter(), 500

        async def watched(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
            await send(message)

        try:
            await self.app(scope, receive, watched)
        finally:
            seconds = time.perf_counter() - began
            known = scope["method"] in {"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"}
            self.counts.add(scope["method"] if known else "other", status, seconds)
            who = scope.get("state", {}).get("visitor")
            client = scope.get("client") or ("",)
            log.info(
                "%s %s %d %.0f ms",
                scope["method"],
                SECRET.sub("/api/calendar/...", scope["path"])[:200],
                status,
                seconds * 1000,
                extra={"address": client[0], "who": who.name if who else ""},
            )
