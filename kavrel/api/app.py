"""The web application: the API under /api, the front end everywhere else."""

from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from fastapi import Depends, FastAPI
from fastapi.responses import FileResponse, HTMLResponse
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware
from starlette.responses import Response

import kavrel
from kavrel.api import (
    begin,
    copies,
    drills,
    forms,
    health,
    items,
    looks,
    plans,
    problem,
    proof,
    questions,
    run,
    shares,
    sheets,
)
from kavrel.api.counted import Counted, Counts
from kavrel.api.document import document, methods
from kavrel.api.door import household, passkeys, signing
from kavrel.api.door.gate import Gate
from kavrel.api.door.roles import Routes, allowed
from kavrel.api.door.veil import VeiledPlans
from kavrel.api.guard import Guard
from kavrel.api.prefix import Prefix
from kavrel.api.service import Service
from kavrel.api.told import calendars
from kavrel.api.told import routes as told_routes
from kavrel.api.told.teller import Teller
from kavrel.store.backups import USUAL
from kavrel.store.database import Database
from kavrel.store.looks import Looks
from kavrel.store.outbox import Outbox
from kavrel.store.people import People
from kavrel.store.plans import Plans

HERE = Path(kavrel.__file__).resolve().parent
# In a wheel the page lies in the package, in a checkout where it was built.
DIST = next((p for p in (HERE / "page",) if p.is_dir()), HERE.parent / "web" / "dist")
MANIFEST = "application/manifest+json"
NOT_BUILT = (
    "<!doctype html><title>Kavrel</title><p>The front end is not built yet: run "
    "<code>make setup</code>. The API answers under <code>/api</code>."
)

# In the order of the document. What takes a plan's items comes after the plans themselves.
ROUTES: tuple[Routes, ...] = (
    plans.router,
    items.router(),
    forms.router,
    sheets.router,
    copies.router,
    proof.router,
    questions.router,
    shares.router,
    looks.router,
    begin.router,
    drills.router,
    run.router,
    signing.router,
    passkeys.router,
    household.router,
    health.router,
    told_routes.router,
    calendars.router,
)


def create_app(
    database: Database,
    now: Callable[[], datetime] = lambda: datetime.now(UTC),
    dist: Path = DIST,
    allowed_hosts: frozenset[str] = frozenset(),
    behind_proxy: bool = False,
    prefix: str = "",
    authority: Path | None = None,
    compress: bool = False,
    tells: bool = False,
    keep: str = USUAL,
) -> FastAPI:
    """The application over an open database; `now` is the clock (aware).

    `behind_proxy`: every request comes through a proxy that is trusted, none from the machine itself.
    `tells`: messages go out, and the database is copied every night as the rule `keep` says.
    `compress`: answers go over a network. `prefix`: the path that all is under. `authority`: of a
    certificate of the house's own making.
    """
    looks_kept, people = Looks(database, now), People(database, now)
    service = Service(Plans(database, now), now, looks_kept)
    outbox = Outbox(database, now)
    teller = Teller(service, outbox, database, keep=keep)

    app = FastAPI(
        title="Kavrel",
        version=kavrel.__version__,
        redoc_url=None,
        docs_url=None,
        lifespan=_lifespan(teller, tells),
        dependencies=[Depends(allowed)],
    )
    app.state.service = service
    app.state.veiled = Service(VeiledPlans(database, now), now, looks_kept)
    app.state.people, app.state.now = people, now
    app.state.throttle = app.state.challenges = None
    app.state.database, app.state.authority, app.state.prefix = database, authority, prefix
    app.state.counts = counts = Counts()
    app.state.outbox, app.state.teller = outbox, teller
    problem.install(app)
    for part in ROUTES:
        # As they are: included, each would be made anew for this application, by its first request.
        app.router.routes += part.routes
    _front_end(app, dist, prefix)
    app.openapi = lambda: document(app)  # type: ignore[method-assign]
    # The last that is added is the first that a request meets.
    app.add_middleware(Gate, people=people, behind_proxy=behind_proxy)
    if compress:
        app.add_middleware(GZipMiddleware, minimum_size=2_000, compresslevel=4)
    app.add_middleware(Guard, allowed=allowed_hosts)
    app.add_middleware(Prefix, prefix=prefix)
    app.add_middleware(Counted, counts=counts)
    return app


def _lifespan(teller: Teller, tells: bool) -> Callable[[FastAPI], Any]:
    """What begins and ends with the server: who tells of things, and what is worked out meanwhile."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        if tells:
            teller.start()
        yield
        teller.stop()
        app.state.service.jobs.close()
        app.state.veiled.jobs.close()

    return lifespan


class Lasting(StaticFiles):
    """Files whose names change with what is in them: a browser need never ask for them again."""

    def file_response(self, *args: Any, **more: Any) -> Response:
        """The file, to be kept for a year."""
        response = super().file_response(*args, **more)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


def _front_end(app: FastAPI, dist: Path, prefix: str) -> None:
    root = dist.resolve()
    # Everything in the page is found from where it is served, wherever in the tree it is opened: no base
    # element, so that none that somebody slips in counts.
    rooted = f'<head><meta name="root" content="{prefix}/" />'.encode()
    if (root / "assets").is_dir():
        app.mount("/assets", Lasting(directory=root / "assets"), name="assets")

    @app.get("/api/{rest:path}", include_in_schema=False)
    def no_such_route(rest: str) -> Response:
        if methods(app, f"/api/{rest}"):
            raise HTTPException(405, "nothing can be read there")
        raise HTTPException(404, f"there is nothing at /api/{rest[:200]}")

    @app.get("/{rest:path}", include_in_schema=False)
    def page(rest: str) -> Response:
        wanted = (root / rest).resolve() if "\0" not in rest else root
        named = rest not in ("", "index.html")
        if named and wanted.is_relative_to(root) and wanted.is_file():
            kind = {"Content-Type": MANIFEST} if rest.endswith(".webmanifest") else {}
            return FileResponse(wanted, headers={"Cache-Control": "no-cache", **kind})
        index = root / "index.html"
        if not index.is_file():
            return HTMLResponse(NOT_BUILT, status_code=503)
        text = index.read_bytes().replace(b'="./', f'="{prefix}/'.encode())
        text = text.replace(b"<head>", rooted, 1)
        return HTMLResponse(text, headers={"Cache-Control": "no-cache"})
