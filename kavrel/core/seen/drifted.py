"""Differences between what is planned and what was seen, in words and with two ways out."""

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict

from kavrel.core.seen.offer import Taken


class Drifted(BaseModel):
    """One difference. `planned` and `seen` are the two values in words.

    Two ways out: `change`, a thing for the plan, and `command`, what changes the machine; either may be
    missing. `urgent`: data are less safe than planned.
    """

    model_config = ConfigDict(frozen=True)

    host: str
    verdict: Literal["missing", "extra", "different"]
    collection: str
    about: str
    name: str
    field: str
    planned: str
    seen: str
    urgent: bool = False
    change: Taken | None = None
    command: str = ""


class Drift(BaseModel):
    """All differences of one host, and which kinds of things its look did not show."""

    model_config = ConfigDict(frozen=True)

    host: str
    looked_at: datetime
    differences: tuple[Drifted, ...]
    unknown: tuple[str, ...] = ()
    agreed: int = 0  # things that were seen and are as planned
