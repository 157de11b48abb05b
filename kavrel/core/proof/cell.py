"""A cell of the proof: a dataset under a hazard."""

from typing import Literal

from pydantic import BaseModel, ConfigDict

from kavrel.core.proof.hazards.hazard import Phase

Fate = Literal["runs_on", "down", "exposed", "restored", "lost", "fetch_again"]
Signed = Literal["no", "yes", "changed"]


class CopyVerdict(BaseModel):
    """What a hazard leaves of one copy: the work lost if it is used, or why it cannot be."""

    model_config = ConfigDict(frozen=True)

    job: str
    place: str
    usable: bool
    loses_seconds: float | None
    why: str


class StepView(BaseModel):
    """One step on the way back."""

    model_config = ConfigDict(frozen=True)

    text: str
    hours: float
    assumption: str
    phase: Phase


class Cell(BaseModel):
    """A dataset under a hazard.

    `rpo_seconds` is the work lost at the worst moment of the coming year, with its mean over time
    and the best moment; `rto_seconds` the time until people work again; None when nothing comes
    back. `never_share`: in which share of the moments that is so; 1 where it always is, and else there
    is `otherwise_job`, the copy it comes back from at the other moments, with the work lost then on
    average. `copy_job` is the job used. `readable`: others can read the data. `basis` marks what the
    cell says, `signed` whether somebody has accepted it, and `changed` when it no longer is what was
    signed.
    """

    model_config = ConfigDict(frozen=True)

    dataset: str
    hazard: str
    fate: Fate
    rpo_seconds: float | None
    rpo_mean_seconds: float | None
    rpo_best_seconds: float | None
    rto_seconds: float | None
    copy_job: str | None
    never_share: float
    otherwise_job: str | None
    otherwise_rpo_seconds: float | None
    why: str
    dies: tuple[str, ...]
    copies: tuple[CopyVerdict, ...]
    steps: tuple[StepView, ...]
    readable: bool
    basis: str
    signed: Signed
