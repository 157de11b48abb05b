"""What a body says is taken as it stands: true is no number, "1" neither, and 1 is no yes."""

from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any, get_args, get_origin

import pytest
from fastapi.routing import APIRoute
from pydantic import BaseModel, TypeAdapter, ValidationError
from starlette.routing import BaseRoute

from kavrel.api.app import create_app
from kavrel.store.database import Database
from tests.conftest import NOW, Lab

WRONG: dict[type, tuple[Any, ...]] = {
    int: (True, "1", 1.5),
    float: (True, "1.5"),
    bool: (1, 0, "yes", "true"),
}


def routes(above: Any) -> Iterator[APIRoute]:
    found: list[BaseRoute] = above.routes
    for one in found:
        if isinstance(one, APIRoute):
            yield one
        elif hasattr(one, "routes"):
            yield from routes(one)


def parts(kind: Any) -> Iterator[Any]:
    """The types that a type is made of, each with what its annotation asks."""
    if get_origin(kind) is Annotated or not get_args(kind):
        yield kind
        if get_args(kind):
            yield from (p for p in parts(get_args(kind)[0]) if get_origin(p) is Annotated)
    else:
        for one in get_args(kind):
            yield from parts(one)


def fields(kind: Any, seen: set[type]) -> Iterator[tuple[str, Any]]:
    """Fields of the models in a type, with their types, each model once."""
    for one in parts(kind):
        model = get_args(one)[0] if get_origin(one) is Annotated else one
        if not (isinstance(model, type) and issubclass(model, BaseModel)) or model in seen:
            continue
        seen.add(model)
        for name, field in model.model_fields.items():
            whole = (
                Annotated[(field.annotation, *field.metadata)]
                if field.metadata
                else field.annotation
            )
            yield f"{model.__name__}.{name}", whole
            yield from fields(field.annotation, seen)


def test_no_field_of_a_body_takes_something_else_for_what_it_asks(tmp_path: Path) -> None:
    app = create_app(Database(tmp_path / "kavrel.db"), lambda: NOW)
    asked = [p.field_info.annotation for r in routes(app) for p in r.dependant.body_params]
    seen: set[type] = set()
    lax = []
    counted = 0
    for name, kind in (f for a in asked for f in fields(a, seen)):
        for plain, wrong in WRONG.items():
            for part in parts(kind):
                base = get_args(part)[0] if get_origin(part) is Annotated else part
                if base is not plain:
                    continue
                counted += 1
                reads = TypeAdapter(kind)
                for value in wrong:
                    try:
                        reads.validate_python(value)
                    except ValidationError:
                        continue
                    lax.append(f"{name}: {value!r}")
    assert counted > 60
    assert lax == []


@pytest.mark.parametrize("revision", [True, "1", 1.5, -1, 10**20])
def test_a_pin_is_a_revision_and_nothing_that_could_be_read_as_one(
    demo_lab: Lab, revision: Any
) -> None:
    for verb, path in (("PUT", "pin"), ("POST", "restore")):
        answer = demo_lab.send(verb, f"/{path}", {"revision": revision})
        assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, "revision")
