"""Answers with an entity tag, and the edit that a request makes."""

import re
from typing import Annotated

from fastapi import Depends, Header, Request, Response
from pydantic import BaseModel

from kavrel.api.changes import Node, difference, parts_of, whole
from kavrel.api.door.visitor import Visitor
from kavrel.api.edit import Edit
from kavrel.api.problem import ProblemError
from kavrel.api.service import PlanState, Service


def service(request: Request) -> Service:
    """The application's service as the visitor may use it: what they change bears their name."""
    who: Visitor = request.scope["state"]["visitor"]
    service: Service = request.app.state.service
    if who.role == "reader":
        veiled: Service = request.app.state.veiled
        return veiled
    return service.by(who.name) if who.name else service


TheService = Annotated[Service, Depends(service)]


Key = Annotated[
    str | None,
    Header(
        pattern=r"^[A-Za-z0-9-]{8,64}$",
        description="a name for this edit: sent again with it, it is made once",
    ),
]
Holds = Annotated[
    str | None,
    Header(
        max_length=80,
        description="the entity tag of the state that the sender holds: the answer may then be the "
        "parts that changed since",
    ),
]


def edit(
    if_match: Annotated[str | None, Header()] = None,
    idempotency_key: Key = None,
    kavrel_holds: Holds = None,
) -> Edit:
    """The edit; one without the revision in If-Match is refused (RFC 6585, 428)."""
    if if_match is None:
        raise ProblemError(428, "no revision", "send If-Match with the revision you have seen")
    tag = re.fullmatch(r'"r([0-9]{1,9})[^"]*"', if_match.strip())
    if not tag:
        raise ProblemError(412, "changed meanwhile", "If-Match names no revision of this plan")
    return Edit(int(tag.group(1)), idempotency_key, kavrel_holds)


AnEdit = Annotated[Edit, Depends(edit)]


async def raw(request: Request) -> bytes:
    """The body as it was sent: what is done with it is done in a thread, not on the event loop."""
    return await request.body()


RawBody = Annotated[bytes, Depends(raw)]


def body(model: BaseModel, status: int = 200, etag: str | None = None) -> Response:
    """A model as JSON, serialized once."""
    headers = {"ETag": etag} if etag else None
    return Response(
        model.model_dump_json(), status_code=status, media_type="application/json", headers=headers
    )


def tag_of(state: PlanState) -> str:
    """The entity tag of a state: it also changes with the day and with the pin."""
    pin = "" if state.meta.pinned is None else f"-p{state.meta.pinned}"
    return f'"r{state.meta.revision}-{state.evaluation.today:%Y%m%d}{pin}"'


def _parts(service: Service, key: tuple[str, str], state: PlanState) -> tuple[Node, bytes]:
    """A state part by part, and its whole JSON: written once for all who ask for it.

    The tag tells all but what can be undone and redone, which is written each time.
    """
    meta = parts_of(state.meta, 1)
    kept, rest = service.written.get(key), service.rests.get(key)
    if not isinstance(kept, dict) or rest is None:
        others = {n: parts_of(v, 1) for n, v in state if n != "meta"}
        kept, rest = others, whole(others)[1:]
        service.rests.put(key, rest)
    return {**kept, "meta": meta}, b'{"meta":' + whole(meta) + b"," + rest


def state(service: Service, plan_id: str, status: int = 200, holds: str | None = None) -> Response:
    """The plan's newest state with its tag, or what changed since the state that the sender holds."""
    state: PlanState = service.state(plan_id)
    tag = tag_of(state)
    parts, content = _parts(service, (plan_id, tag), state)
    before = service.written.get((plan_id, holds or ""))
    service.written.put((plan_id, tag), parts)
    if before is not None and holds is not None:
        changed = difference(before, parts) or b"{}"
        since = holds.replace('"', '\\"').encode()
        short = b'{"since":"' + since + b'","changes":' + changed + b"}"
        content = short if len(short) < len(content) else content
    return Response(
        content, status_code=status, media_type="application/json", headers={"ETag": tag}
    )
