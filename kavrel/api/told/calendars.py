"""A calendar to subscribe to: at a secret address for each person, with an entity tag."""

import hashlib
from datetime import datetime
from typing import Annotated

from fastapi import Header, Path, Request, Response

from kavrel.api.door.roles import Routes
from kavrel.api.door.signing import ThePeople
from kavrel.api.problem import ProblemError
from kavrel.api.service import Service
from kavrel.formats.calendar import week_ics

router = Routes(prefix="/api/calendar", tags=["told"])


@router.get(
    "/{secret}/{plan_id}.ics",
    operation_id="get_calendar",
    response_class=Response,
    responses={
        200: {"content": {"text/calendar": {"schema": {"type": "string"}}}},
        304: {"description": "As it was"},
        404: {"description": "Nobody has this address"},
    },
)
def get_calendar(
    secret: Annotated[str, Path(max_length=80)],
    plan_id: str,
    request: Request,
    people: ThePeople,
    if_none_match: Annotated[str | None, Header(max_length=200)] = None,
) -> Response:
    """Jobs and what is due, for whoever knows the address; what the person may not read is not in it."""
    person = people.whose_calendar(secret)
    if person is None:
        raise ProblemError(404, "no such calendar", "nobody has this address, or no longer")
    state = request.app.state
    service: Service = state.veiled if person.role == "reader" else state.service
    row, plan = service.plans.head(plan_id)
    evaluation = service.evaluation(plan_id, row.head, plan)
    # Written as of the revision: the same calendar is the same bytes.
    content = week_ics(plan, evaluation, datetime.fromisoformat(row.made_at))
    tag = f'"{hashlib.sha256(content).hexdigest()[:32]}"'
    headers = {"ETag": tag, "Cache-Control": "private, no-cache"}
    if if_none_match and tag in [t.strip().removeprefix("W/") for t in if_none_match.split(",")]:
        return Response(status_code=304, headers=headers)
    return Response(content, media_type="text/calendar; charset=utf-8", headers=headers)
