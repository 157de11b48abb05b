"""What an error says: problem details (RFC 9457) with the fields concerned."""

from pydantic import BaseModel


class FieldError(BaseModel):
    """One field and what is wrong with it."""

    field: str
    message: str


class Problem(BaseModel):
    """RFC 9457 problem details with the fields concerned."""

    type: str
    title: str
    status: int
    detail: str
    errors: list[FieldError] = []
    head: int | None = None
