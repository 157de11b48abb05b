"""Answers with an entity tag, and the revision that a request was made on."""

import re
from typing import Annotated

from fastapi import Depends, Header, Request, Response
from pydantic import BaseModel

from kavrel.api.problem import ProblemError
from kavrel.api.service import PlanState, Service


def service(request: Request) -> Service:
    """The application's service."""
    found: Service = request.app.state.service
    return found


TheService = Annotated[Service, Depends(service)]


def base_revision(if_match: Annotated[str | None, Header()] = None) -> int:
    """The revision named by If-Match; a change without one is refused (RFC 6585, 428)."""
    if if_match is None:
        raise ProblemError(428, "no revision", "send If-Match with the revision you have seen")
    found = re.fullmatch(r'"r([0-9]{1,9})"', if_match.strip())
    if not found:
        raise ProblemError(412, "changed meanwhile", "If-Match names no revision of this plan")
    return int(found.group(1))


BaseRevision = Annotated[int, Depends(base_revision)]


def body(model: BaseModel, status: int = 200, etag: str | None = None) -> Response:
    """A model as JSON, serialized once."""
    headers = {"ETag": etag} if etag else None
    return Response(
        model.model_dump_json(), status_code=status, media_type="application/json", headers=headers
    )


def state(service: Service, plan_id: str, status: int = 200) -> Response:
    """The plan's newest state with its tag."""
    found: PlanState = service.state(plan_id)
    return body(found, status, f'"r{found.meta.revision}"')
