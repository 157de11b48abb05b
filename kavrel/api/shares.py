"""What the Shares sheet asks for: who reaches what, what changes if, which protocol, cards, readers."""

from typing import Annotated, Any

from fastapi import Body, Query, Response
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from kavrel.api.answer import AnEdit, RawBody, TheService, body, state
from kavrel.api.changes import Changes
from kavrel.api.door.roles import Routes
from kavrel.api.items import PROBLEMS
from kavrel.api.problem import ProblemError
from kavrel.api.service import PlanState
from kavrel.core.edit import checked, fresh_id, put, remove
from kavrel.core.index import Index
from kavrel.core.plan import COLLECTIONS, Export, Plan
from kavrel.core.quantities import Bytes, Flag, Id, Number, whole
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.chooser import Choice, choose
from kavrel.core.shares.protocols.protocol import Gives, System
from kavrel.core.shares.reach import AccessChange, Reach, access_changes, reach
from kavrel.formats.readers import Report, Unreadable, read_file
from kavrel.formats.servers.clients import Card, cards, codes

router = Routes(prefix="/api", tags=["shares"], responses=PROBLEMS)
NEW_ID = "not-saved-yet"


class ReachList(BaseModel):
    """Everything that a subject reaches, or everybody who reaches a dataset."""

    reach: list[Reach]


class AccessChanges(BaseModel):
    """Who gains and who loses."""

    changes: list[AccessChange]


class WhatIf(BaseModel):
    """A change that is not saved: a thing as it would be, or the id of one to take out."""

    collection: str
    item: dict[str, Any] | None = None
    remove: str | None = None


class ChoiceList(BaseModel):
    """The protocols for a need, those that fit first."""

    choices: list[Choice]


class CardList(BaseModel):
    """Cards for those who connect, and QR codes (SVG data URIs) by the text of what is scanned."""

    cards: list[Card]
    codes: dict[str, str]


@router.get("/plans/{plan_id}/reach", response_model=ReachList, operation_id="list_reach")
def list_reach(
    plan_id: str, service: TheService, subject: str | None = None, dataset: str | None = None
) -> Response:
    """What one account, machine or application reaches, or who reaches one dataset."""
    _, plan = service.plans.head(plan_id)
    today = service.today(plan)
    index = Index(plan)
    reaches = reach(index, access_matrix(index, today), today)
    if subject:
        reaches = [r for r in reaches if r.subject == subject]
    if dataset:
        reaches = [r for r in reaches if r.dataset == dataset]
    return body(ReachList(reach=reaches))


@router.post("/plans/{plan_id}/access-if", response_model=AccessChanges, operation_id="access_if")
def access_if(plan_id: str, what: Annotated[WhatIf, Body()], service: TheService) -> Response:
    """Who would gain and who would lose by a change that is not saved."""
    _, plan = service.plans.head(plan_id)
    after = _with(plan, what)
    return body(AccessChanges(changes=access_changes(plan, after, service.today(plan))))


def _with(plan: Plan, what: WhatIf) -> Plan:
    model = COLLECTIONS.get(what.collection)
    if model is None or (what.item is None) == (what.remove is None):
        raise ProblemError(422, "not valid", "name a collection, and an item or what to remove")
    if what.remove is not None:
        return remove(plan, what.collection, what.remove)
    given = {**(what.item or {})}
    given["id"] = given.get("id") or NEW_ID
    return put(plan, what.collection, TypeAdapter(model).validate_python(given))


@router.get(
    "/plans/{plan_id}/access-changes",
    response_model=AccessChanges,
    operation_id="list_access_changes",
)
def list_access_changes(
    plan_id: str, before: Number, service: TheService, after: Number | None = None
) -> Response:
    """Who gained and who lost between two revisions (the second: the newest when not named)."""
    row, plan = service.plans.head(plan_id)
    old = service.plans.at(plan_id, before)
    new = service.plans.at(plan_id, after) if after is not None and after != row.head else plan
    return body(AccessChanges(changes=access_changes(old, new, service.today(plan))))


class Luns(BaseModel):
    """So many disks of one size, each for an initiator of its own."""

    model_config = ConfigDict(extra="forbid")

    count: Annotated[int, whole(1, 50)]
    size_bytes: Bytes
    prefix: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,40}$")]
    dataset: Id
    thick: Flag = False


@router.post(
    "/plans/{plan_id}/luns",
    response_model=PlanState | Changes,
    status_code=201,
    operation_id="make_luns",
)
def make_luns(
    plan_id: str, luns: Annotated[Luns, Body()], on: AnEdit, service: TheService
) -> Response:
    """Makes disks for many clients in one change."""

    def make(plan: Plan) -> tuple[Plan, str]:
        changed = plan
        for number in range(1, luns.count + 1):
            name = f"{luns.prefix}-{number:02}"
            export = Export(
                id=fresh_id(changed, "exports"),
                protocol="iscsi",
                name=name,
                dataset=luns.dataset,
                clients=(f"iqn.2026-01.lab.kavrel:{name}",),
                size_bytes=luns.size_bytes,
                thick=luns.thick,
                secured=True,
            )
            changed = changed.model_copy(update={"exports": (*changed.exports, export)})
        return checked(changed, plan), f"{luns.count} disks for clients {luns.prefix} made"

    service.change(plan_id, on, None, make)
    return state(service, plan_id, 201, on.holds)


@router.get("/protocols", response_model=ChoiceList, operation_id="choose_protocol")
def choose_protocol(
    needs: Gives = "files",
    system: Annotated[list[System], Query(max_length=7)] = [],  # noqa: B006 - FastAPI copies it
    many_writers: bool = True,
) -> Response:
    """Which protocol fits a client, and why the others do not."""
    return body(ChoiceList(choices=choose(needs, system, many_writers)))


@router.get("/plans/{plan_id}/cards", response_model=CardList, operation_id="list_cards")
def list_cards(plan_id: str, service: TheService, who: str | None = None) -> Response:
    """What to type on each system to reach each thing; for one login or machine, or for all."""
    _, plan = service.plans.head(plan_id)
    handed = cards(plan, service.today(plan), who)
    return body(CardList(cards=handed, codes=codes(handed)))


@router.post(
    "/plans/{plan_id}/read/{kind}",
    response_model=Report,
    operation_id="read_server_file",
    openapi_extra={
        "requestBody": {"content": {"text/plain": {"schema": {"type": "string"}}}, "required": True}
    },
)
def read_server_file(
    plan_id: str, kind: str, host: str, content: RawBody, service: TheService
) -> Response:
    """Reads a file of a host: what was understood, what was not, and how it differs."""
    _, plan = service.plans.head(plan_id)
    if host not in {h.id for h in plan.hosts}:
        raise ProblemError(404, "no such thing", f"there is no {host} among the hosts")
    try:
        report = read_file(kind, content, plan, host, service.today(plan))
    except Unreadable as error:
        raise ProblemError(422, "not readable", str(error)) from error
    return body(report)
