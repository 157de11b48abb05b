"""Serves everything under a path of its own, behind a proxy that passes paths on as they are."""

from starlette.types import ASGIApp, Receive, Scope, Send

from kavrel.api.problem import problem


class Prefix:
    """ASGI middleware; `prefix` begins with a slash and does not end with one, or is empty."""

    def __init__(self, app: ASGIApp, prefix: str) -> None:
        self.app, self.prefix = app, prefix

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Takes the prefix off; what is not under it is not there."""
        if scope["type"] != "http" or not self.prefix:
            await self.app(scope, receive, send)
            return
        path: str = scope["path"]
        if path != self.prefix and not path.startswith(f"{self.prefix}/"):
            said = f"Kavrel is served under {self.prefix}/ here"
            await problem(404, "not here", said)(scope, receive, send)
            return
        rest = path[len(self.prefix) :] or "/"
        raw = scope.get("raw_path", b"")[len(self.prefix) :] or b"/"
        await self.app({**scope, "path": rest, "raw_path": raw}, receive, send)
