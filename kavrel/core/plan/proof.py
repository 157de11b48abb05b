"""Risks that somebody has signed."""

from typing import Annotated

from pydantic import Field

from kavrel.core.plan.value import Ref, Value
from kavrel.core.quantities import Day, Id, Line, MaybeLine


class AcceptedRisk(Value):
    """A cell of the proof that somebody has signed: it holds as long as the cell stays as it was.

    `hazard` may be a pair, joined by a plus sign. `basis` is the mark of what the cell said then.
    """

    id: Id
    dataset: Annotated[Id, Ref("datasets")]
    hazard: Annotated[str, Field(pattern=r"^[a-z_]{1,40}(\+[a-z_]{1,40})?$")]
    reason: Line
    on: Day
    who: MaybeLine = ""
    basis: Annotated[str, Field(pattern=r"^[0-9a-f]{16}$")]
