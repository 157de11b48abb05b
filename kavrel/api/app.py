"""The web application: the API under /api, the front end everywhere else."""

from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from datetime import UTC, datetime
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import FileResponse, HTMLResponse
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.responses import Response

import kavrel
from kavrel.api import (
    begin,
    copies,
    drills,
    forms,
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
from kavrel.api.document import document, methods
from kavrel.api.guard import Guard
from kavrel.api.service import Service
from kavrel.store.database import Database
from kavrel.store.looks import Looks
from kavrel.store.plans import Plans

DIST = Path(kavrel.__file__).resolve().parent.parent / "web" / "dist"
NOT_BUILT = (
    "<!doctype html><title>Kavrel</title><p>The front end is not built yet: run "
    "<code>make setup</code>. The API answers under <code>/api</code>."
)


def create_app(
    database: Database,
    now: Callable[[], datetime] = lambda: datetime.now(UTC),
    dist: Path = DIST,
    allowed_hosts: frozenset[str] = frozenset(),
) -> FastAPI:
    """The application over an open database; `now` is the clock (aware)."""
    service = Service(Plans(database, now), now, Looks(database, now))

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        yield
        service.jobs.close()

    app = FastAPI(
        title="Kavrel",
        version=kavrel.__version__,
        redoc_url=None,
        docs_url=None,
        lifespan=lifespan,
    )
    app.state.service = service
    problem.install(app)
    app.include_router(plans.router)
    app.include_router(items.router())
    app.include_router(forms.router)
    app.include_router(sheets.router)
    app.include_router(copies.router)
    app.include_router(proof.router)
    app.include_router(questions.router)
    app.include_router(shares.router)
    app.include_router(looks.router)
    app.include_router(begin.router)
    app.include_router(drills.router)
    app.include_router(run.router)
    _front_end(app, dist)
    app.openapi = lambda: document(app)  # type: ignore[method-assign]
    app.add_middleware(Guard, allowed=allowed_hosts)
    return app


def _front_end(app: FastAPI, dist: Path) -> None:
    root = dist.resolve()
    if (root / "assets").is_dir():
        app.mount("/assets", StaticFiles(directory=root / "assets"), name="assets")

    @app.get("/api/{rest:path}", include_in_schema=False)
    def no_such_route(rest: str) -> Response:
        if methods(app, f"/api/{rest}"):
            raise HTTPException(405, "nothing can be read there")
        raise HTTPException(404, f"there is nothing at /api/{rest[:200]}")

    @app.get("/{rest:path}", include_in_schema=False)
    def page(rest: str) -> Response:
        wanted = (root / rest).resolve() if "\0" not in rest else root
        if rest and wanted.is_relative_to(root) and wanted.is_file():
            return FileResponse(wanted)
        index = root / "index.html"
        if not index.is_file():
            return HTMLResponse(NOT_BUILT, status_code=503)
        return FileResponse(index, headers={"Cache-Control": "no-cache"})
