"""The OpenAPI document: every answer that can come, with the content type that it has."""

from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from fastapi.routing import APIRoute

from kavrel.api.details import Problem

MEDIA_TYPE = "application/problem+json"
# What any request may be answered with, whatever it asks for.
ALWAYS = {
    "400": "The request is no HTTP that can be read",
    "401": "Not signed in",
    "403": "Not this role's to do, sent by another page, or to a name that is not served here",
    "405": "Nothing can be done that way here",
    "413": "The body is larger than any plan file",
    "422": "Not valid; `errors` names the fields",
    "500": "An error of Kavrel's own; the plan is as it was",
    "503": "The database does not answer",
}


def document(app: FastAPI) -> dict[str, Any]:
    """The document; made once."""
    if app.openapi_schema is None:
        described = get_openapi(title=app.title, version=app.version, routes=app.routes)
        for path in described["paths"].values():
            for operation in path.values():
                _complete(operation)
        schema = Problem.model_json_schema(ref_template="#/components/schemas/{model}")
        described["components"]["schemas"] |= schema.pop("$defs") | {"Problem": schema}
        app.openapi_schema = described
    return app.openapi_schema


def _complete(operation: dict[str, Any]) -> None:
    """Every error is the same kind of answer: a model at each route would be built each time."""
    answers = operation["responses"]
    schema = {"$ref": "#/components/schemas/Problem"}
    for status, said in ALWAYS.items():
        answers.setdefault(status, {"description": said})
    for status, answer in answers.items():
        if int(status) >= 400:
            answer["content"] = {MEDIA_TYPE: {"schema": schema}}


def methods(app: FastAPI, path: str) -> list[str]:
    """All methods that something takes at a path; the framework names those of the first route."""
    if not path.startswith("/api/"):
        return ["GET"]
    # Of the routes themselves: to make the document takes seconds, and anybody may ask for what is not there.
    routes = [r for r in app.routes if isinstance(r, APIRoute) and r.include_in_schema]
    here = [r for r in routes if r.path == path] or [r for r in routes if r.path_regex.match(path)]
    return sorted({method for r in here for method in r.methods or ()})
