"""What the papers for people are made of: sections with facts to know and boxes to tick."""

from pydantic import BaseModel, ConfigDict


class SheetStep(BaseModel):
    """One box to tick: what to do, what to mind, how long it takes where that is known."""

    model_config = ConfigDict(frozen=True)

    text: str
    minds: tuple[str, ...] = ()
    hours: float | None = None


class Fact(BaseModel):
    """Something to know, with what to do about it."""

    model_config = ConfigDict(frozen=True)

    text: str
    how: tuple[str, ...] = ()


class Section(BaseModel):
    """A part of the paper, in order; `below`: it belongs to the section before it."""

    model_config = ConfigDict(frozen=True)

    title: str
    intro: str = ""
    facts: tuple[Fact, ...] = ()
    steps: tuple[SheetStep, ...] = ()
    below: bool = False


class Document(BaseModel):
    """A title, where it comes from, and its sections."""

    model_config = ConfigDict(frozen=True)

    title: str
    origin: str
    sections: tuple[Section, ...]
