"""The things of a plan: one noun a collection; each change answers with the whole new state."""

from typing import Any

from fastapi import Response
from pydantic import create_model

from kavrel.api.answer import AnEdit, TheService, state
from kavrel.api.changes import Changes
from kavrel.api.door.roles import Routes
from kavrel.api.problem import ProblemError
from kavrel.api.service import PlanState
from kavrel.core.compare import display_name
from kavrel.core.edit import STEMS, find, fresh_id, put, remove, stands_now
from kavrel.core.plan import COLLECTIONS, Plan
from kavrel.core.quantities import Id

PROBLEMS: dict[int | str, dict[str, Any]] = {
    code: {"description": text}
    for code, text in (
        (404, "No such plan or thing"),
        (409, "Still used by something"),
        (412, "Changed meanwhile by somebody else"),
        (422, "Not valid; `errors` names the fields"),
        (428, "If-Match is missing"),
        (507, "The disk of the database is full"),
    )
}


def router() -> Routes:
    """Routes to add, replace and remove the things of every collection."""
    routes = Routes(prefix="/api/plans/{plan_id}", responses=PROBLEMS)
    for collection, model in COLLECTIONS.items():
        _collection(routes, collection, model)
    return routes


def _said(collection: str, item: Any, verb: str) -> str:
    return f"{STEMS.get(collection, 'assumption')} {display_name(item)} {verb}"


def _collection(routes: Routes, collection: str, model: Any) -> None:
    stem = STEMS.get(collection, "assumption")
    new_model: Any = model
    if collection in STEMS:
        new_model = create_model(f"New{model.__name__}", __base__=model, id=(Id | None, None))

    def add(plan_id: str, item: new_model, on: AnEdit, service: TheService) -> Response:
        given: Any = item

        def make(plan: Plan) -> tuple[Plan, str]:
            key = given.id or fresh_id(plan, collection)
            if find(plan, collection, key):
                raise ProblemError(409, "already there", f"there is already a {stem} {key}")
            added = model(**{**dict(given), "id": key})
            return put(plan, collection, added), _said(collection, added, "added")

        service.change(plan_id, on, (collection, given.id or ""), make)
        return state(service, plan_id, 201, on.holds)

    def replace(
        plan_id: str, item_id: str, item: model, on: AnEdit, service: TheService
    ) -> Response:
        def make(plan: Plan) -> tuple[Plan, str]:
            if collection in STEMS:  # an assumption is there by default: a value replaces that
                _there(plan, collection, item_id)
            if item.id != item_id:
                raise ProblemError(422, "not valid", "the id in the body is another one")
            changed, held_up = stands_now(plan, put(plan, collection, item))
            waits = (
                f"; still to be made: the first copies of {', '.join(held_up)}" if held_up else ""
            )
            return changed, _said(collection, item, "changed") + waits

        service.change(plan_id, on, (collection, item_id), make)
        return state(service, plan_id, holds=on.holds)

    def delete(plan_id: str, item_id: str, on: AnEdit, service: TheService) -> Response:
        def make(plan: Plan) -> tuple[Plan, str]:
            item = _there(plan, collection, item_id)
            return remove(plan, collection, item_id), _said(collection, item, "removed")

        service.change(plan_id, on, (collection, item_id), make)
        return state(service, plan_id, holds=on.holds)

    one = f"/{collection}/{{item_id}}"
    common: dict[str, Any] = {"response_model": PlanState | Changes, "tags": [collection]}
    routes.post(f"/{collection}", status_code=201, operation_id=f"add_{stem}", **common)(add)
    routes.put(one, operation_id=f"put_{stem}", **common)(replace)
    routes.delete(one, operation_id=f"remove_{stem}", **common)(delete)


def _there(plan: Plan, collection: str, item_id: str) -> Any:
    item = find(plan, collection, item_id)
    if item is None:
        raise ProblemError(404, "no such thing", f"there is no {item_id} among the {collection}")
    return item
