"""Errors as problem details (RFC 9457): what is wrong, where, and what would be right."""

from collections.abc import Callable, Sequence
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import ValidationError
from starlette.exceptions import HTTPException
from starlette.middleware.body_limit import MAX_BODY_SIZE_SCOPE_KEY

from kavrel.api.details import FieldError, Problem
from kavrel.api.document import MEDIA_TYPE, methods
from kavrel.api.reckoned import Unreckonable
from kavrel.core.bench.capacity import CapacityError
from kavrel.core.edit import EditError, StillUsed
from kavrel.core.pools.layout import LayoutError
from kavrel.core.proof.back import BadDays
from kavrel.formats.plan_file import PlanFileError, plain
from kavrel.store.database import StoreError, StoreFull
from kavrel.store.plans import Conflict, NoSuchPlan, NoSuchRevision

MOST_ERRORS = 50


class ProblemError(Exception):
    """Raise to answer with a problem."""

    def __init__(
        self,
        status: int,
        title: str,
        detail: str,
        errors: Sequence[tuple[str, str]] = (),
        retry_after: int | None = None,
    ) -> None:
        super().__init__(detail)
        self.status, self.title, self.detail = status, title, detail
        self.errors = tuple(errors)
        self.headers = {} if retry_after is None else {"Retry-After": str(retry_after)}


def problem(
    status: int,
    title: str,
    detail: str,
    errors: Sequence[tuple[str, str]] = (),
    head: int | None = None,
    headers: dict[str, str] | None = None,
) -> JSONResponse:
    """The response for a problem."""
    body = Problem(
        type=f"urn:kavrel:{title.replace(' ', '-')}",
        title=title,
        status=status,
        detail=detail,
        errors=[FieldError(field=f, message=m) for f, m in errors[:MOST_ERRORS]],
        head=head,
    )
    return JSONResponse(
        body.model_dump(mode="json"), status_code=status, media_type=MEDIA_TYPE, headers=headers
    )


def _invalid(request: Request, error: RequestValidationError) -> JSONResponse:
    # Inputs are not echoed: NaN or a lone surrogate in them could not be written as JSON.
    # Unions report the branch they tried; only real field names are kept.
    places = [(_field(e["loc"]), plain(e["msg"])) for e in error.errors()]
    detail = "; ".join(f"{f}: {m}" if f else m for f, m in places[:3])
    return problem(422, "not valid", detail, places)


def _item_invalid(request: Request, error: ValidationError) -> JSONResponse:
    places = [(_field(e["loc"]), plain(e["msg"])) for e in error.errors(include_input=False)]
    detail = "; ".join(f"{f}: {m}" if f else m for f, m in places[:3])
    return problem(422, "not valid", detail, places)


def _contradiction(request: Request, error: EditError) -> JSONResponse:
    item = request.path_params.get("item_id")
    places = [
        (p.field if p.item in (item, "") or item is None else f"{p.item}.{p.field}", p.message)
        for p in error.problems
    ]
    return problem(422, "contradicts the plan", "; ".join(m for _, m in places[:3]), places)


def _unreckonable(request: Request, error: Unreckonable) -> JSONResponse:
    if error.touched:
        collection, item = error.touched
        detail = (
            f"With this change of {item or 'it'} among the {collection} nothing that follows from the "
            "plan can be reckoned. It was not made; try a figure nearer to what is usual."
        )
        return problem(422, "cannot be reckoned", detail)
    detail = (
        "What follows from this plan cannot be reckoned as it stands. Undo the last change "
        "(POST steps), or bring an older revision back (POST restore)."
    )
    return problem(422, "cannot be reckoned", detail)


def _still_used(request: Request, error: StillUsed) -> JSONResponse:
    return problem(409, "still used", str(error))


def _conflict(request: Request, error: Conflict) -> JSONResponse:
    detail = (
        f"Somebody else changed this meanwhile (revision {error.head}: {error.summary}). "
        "Nothing was overwritten."
    )
    return problem(412, "changed meanwhile", detail, head=error.head)


def _bad_file(request: Request, error: PlanFileError) -> JSONResponse:
    return problem(422, "not a plan", error.summary, error.complaints)


def _bad_layout(request: Request, error: LayoutError) -> JSONResponse:
    return problem(422, "not possible", str(error))


def _bad_capacity(request: Request, error: CapacityError) -> JSONResponse:
    return problem(422, "not a size", str(error), [("text", str(error))])


def _bad_days(request: Request, error: BadDays) -> JSONResponse:
    return problem(422, "not valid", str(error), [(error.field, str(error))])


def _no_plan(request: Request, error: NoSuchPlan) -> JSONResponse:
    return problem(404, "no such plan", "there is no such plan: it may have been deleted")


def _no_revision(request: Request, error: NoSuchRevision) -> JSONResponse:
    what = error.args[0]
    detail = f"there is nothing to {what}" if isinstance(what, str) else f"no revision {what}"
    return problem(409 if isinstance(what, str) else 404, "no such revision", detail)


def _full(request: Request, error: StoreFull) -> JSONResponse:
    return problem(507, "disk full", str(error))


def _store(request: Request, error: StoreError) -> JSONResponse:
    return problem(503, "database", str(error))


def _raised(request: Request, error: ProblemError) -> JSONResponse:
    return problem(error.status, error.title, error.detail, error.errors, headers=error.headers)


def _http(request: Request, error: HTTPException) -> JSONResponse:
    headers = dict(error.headers) if error.headers else {}
    if error.status_code == 405:
        able = methods(request.app, request.url.path)
        if not able:
            return problem(404, "not possible", f"there is nothing at {request.url.path[:200]}")
        headers["Allow"] = ", ".join(able)
    if error.status_code == 413:
        return too_large(request.scope[MAX_BODY_SIZE_SCOPE_KEY])
    return problem(error.status_code, "not possible", str(error.detail), headers=headers)


def too_large(most: int) -> JSONResponse:
    """A body of more bytes than these."""
    return problem(413, "too large", f"at most {most / 2**20:g} MiB are read")


def _own_error(request: Request, error: Exception) -> JSONResponse:
    detail = "Kavrel met an error of its own. Nothing was changed; the server's log has more."
    return problem(500, "error", detail)


# What each error is answered with; the framework takes the nearest class.
ANSWERS: dict[type[Exception], Callable[..., JSONResponse]] = {
    RequestValidationError: _invalid,
    ValidationError: _item_invalid,
    EditError: _contradiction,
    Unreckonable: _unreckonable,
    StillUsed: _still_used,
    Conflict: _conflict,
    PlanFileError: _bad_file,
    LayoutError: _bad_layout,
    CapacityError: _bad_capacity,
    BadDays: _bad_days,
    NoSuchPlan: _no_plan,
    NoSuchRevision: _no_revision,
    StoreFull: _full,
    StoreError: _store,
    ProblemError: _raised,
    HTTPException: _http,
    Exception: _own_error,
}


def install(app: FastAPI) -> None:
    """Answers every error of the application with problem details."""
    for kind, answer in ANSWERS.items():
        app.add_exception_handler(kind, answer)


def _field(loc: Sequence[Any]) -> str:
    parts = [str(p) for p in loc if p not in ("body", "query", "path", "header")]
    return ".".join(parts)
