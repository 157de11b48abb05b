"""The sheet for whoever must restore without the administrator, having never seen the lab."""

from pydantic import BaseModel, ConfigDict

from kavrel.core.evaluate import Evaluation
from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.proof.cell import Cell
from kavrel.core.proof.restores import WORTH_ORDER

# What somebody may stand before; the rest needs the administrator.
HAZARDS = (
    "box_lost",
    "fire",
    "theft",
    "malware",
    "malware_credentials",
    "second_disk",
    "boot_lost",
    "deleted",
)
PHASES = {
    "notice": "first of all",
    "replace": "replace",
    "fetch": "fetch",
    "transfer": "bring back",
    "verify": "check",
}


class SheetStep(BaseModel):
    """A step with a tick box: its words and hours."""

    model_config = ConfigDict(frozen=True)

    text: str
    hours: float


class DatasetSheet(BaseModel):
    """One dataset's way back."""

    model_config = ConfigDict(frozen=True)

    name: str
    verdict: str
    steps: tuple[SheetStep, ...]


class HazardSheet(BaseModel):
    """What to do after one thing has happened, datasets in the order of their worth."""

    model_config = ConfigDict(frozen=True)

    title: str
    question: str
    datasets: tuple[DatasetSheet, ...]


class RestoreSheet(BaseModel):
    """Where everything is, then what to do."""

    model_config = ConfigDict(frozen=True)

    title: str
    origin: str
    boxes: tuple[str, ...]
    copies: tuple[str, ...]
    keys: tuple[str, ...]
    hazards: tuple[HazardSheet, ...]


def restore_sheet(plan: Plan, evaluation: Evaluation, origin: str) -> RestoreSheet:
    """Boxes and where they stand, copies and how old they may be, keys and where they lie, steps."""
    index = Index(plan)
    boxes = []
    for host in plan.hosts:
        pools = [p.name for p in plan.pools if p.host == host.id]
        where = index.sites[host.site].name
        address = host.vpn_address or host.address
        said = f"{host.name}, at {where}" + (f", address {address}" if address else "")
        boxes.append(said + (f": holds {', '.join(pools)}" if pools else ""))
    copies, keys = [], []
    for view in evaluation.jobs:
        job = index.jobs[view.id]
        if view.newest_age_seconds is None:
            continue
        names = ", ".join(index.datasets[d].name for d in job.datasets)
        site = index.sites[view.target_site].name if view.target_site else "nowhere"
        days = view.newest_age_seconds / 86_400
        copies.append(
            f"{job.name}: {view.title} of {names} on {view.target_name} at {site}, at most {days:.1f} days old"
        )
        if job.encrypted:
            places = ", ".join(index.sites[s].name for s in job.key_kept_at)
            keys.append(f"{job.name}: {places or 'only in the box itself'}")
    views = {h.id: h for h in evaluation.hazards}
    order = {d.id: (WORTH_ORDER[d.worth], d.size_bytes) for d in plan.datasets}
    sheets = []
    for hazard in HAZARDS:
        cells = [c for c in evaluation.proof if c.hazard == hazard and c.fate != "runs_on"]
        cells.sort(key=lambda c: order[c.dataset])
        if cells:
            view_ = views[hazard]
            sheets.append(
                HazardSheet(
                    title=view_.title,
                    question=view_.question,
                    datasets=tuple(_dataset(index, c) for c in cells),
                )
            )
    variant = f", {plan.variant}" if plan.variant else ""
    return RestoreSheet(
        title=f"If something has happened: {plan.name}{variant}",
        origin=f"{origin}, {evaluation.today}",
        boxes=tuple(boxes),
        copies=tuple(copies),
        keys=tuple(keys),
        hazards=tuple(sheets),
    )


def _dataset(index: Index, cell: Cell) -> DatasetSheet:
    name = index.datasets[cell.dataset].name
    if cell.fate == "restored":
        job = index.jobs[cell.copy_job or ""].name
        days = (cell.rpo_seconds or 0.0) / 86_400
        back = (cell.rto_seconds or 0.0) / 3600
        verdict = (
            f"comes back from {job}, up to {days:.1f} days of work are lost, about {back:.0f} h"
        )
    elif cell.fate == "down":
        verdict = (
            f"nothing is lost; about {(cell.rto_seconds or 0.0) / 3600:.0f} h until it works again"
        )
    elif cell.fate == "fetch_again":
        verdict = "is not copied: fetch it again from where it came"
    elif cell.fate == "exposed":
        verdict = "works on, but without a fresh copy: change nothing, make a copy first"
    else:
        verdict = "has no copy that helps: switch off, touch nothing, ask a recovery service"
    steps = tuple(SheetStep(text=f"{PHASES[s.phase]}: {s.text}", hours=s.hours) for s in cell.steps)
    return DatasetSheet(name=name, verdict=verdict, steps=steps)
