"""The working behind a number: a small tree of named steps that a person can check by hand."""

from datetime import datetime
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core.made import made


class Working(BaseModel):
    """One step: a named value with its unit, the formula that gave it and what went in.

    `assumption` names the editable assumption that the value came from, if it did.
    """

    model_config = ConfigDict(frozen=True)

    name: str
    value: int | float | str | None
    unit: str = ""
    formula: str = ""
    source: str = ""
    assumption: str = ""
    inputs: tuple["Working", ...] = ()


# What counted things are called where there is one of them.
ONE = {
    "copies": "copy", "days": "day", "disks": "disk", "files": "file", "groups": "group", "hours": "hour",
    "jobs": "job", "lifetimes": "lifetime", "months": "month", "points": "point", "runs": "run",
    "weeks": "week", "works": "work", "years": "year",
}  # fmt: skip


def step(
    name: str,
    value: int | float | str | None,
    unit: str = "",
    formula: str = "",
    *inputs: Working,
    source: str = "",
    assumption: str = "",
) -> Working:
    """A step of the working. Values are already validated numbers, so nothing is checked again."""
    return made(
        Working,
        name=name,
        value=value,
        unit=ONE.get(unit, unit) if value == 1 else unit,
        formula=formula,
        source=source,
        assumption=assumption,
        inputs=inputs,
    )


def local(instant: float, zone: str) -> str:
    """An epoch instant as people read it off a clock there: day of the week, date, time, zone."""
    return f"{datetime.fromtimestamp(instant, ZoneInfo(zone)):%a %Y-%m-%d %H:%M %Z}"
