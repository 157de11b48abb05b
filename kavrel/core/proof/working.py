"""The working of a cell: the night from which its worst loss comes, and every part of the way back."""

from kavrel.core import schedule
from kavrel.core.copies import rules
from kavrel.core.copies.retention import FOREVER
from kavrel.core.plan import Dataset, Job
from kavrel.core.proof.cell import Cell, StepView
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Step, Strike
from kavrel.core.proof.proof import prove
from kavrel.core.proof.restores import WayBack, way_back
from kavrel.core.working import Working, local, step


def cell_working(scene: Scene, hazard: Hazard, dataset: Dataset) -> Working:
    """Work lost and time to be back of a dataset under a hazard, with all that went in.

    Proves the hazard anew: datasets that come back together wait for one another.
    """
    cells = prove(scene.index, scene.book, scene.matrix, (hazard,), scene.now)
    cell = next(c for c in cells if c.dataset == dataset.id)
    strike = hazard.strike(scene, dataset)
    assumed = tuple(scene.index.assumptions.step(key) for key in hazard.assumes)
    return step(
        f"{dataset.name}, {hazard.title}",
        None if cell.fate == "lost" else cell.rto_seconds,
        "s",
        cell.why,
        lost_working(scene, cell, strike),
        back_working(scene, cell, strike, dataset),
        *assumed,
    )


def lost_working(scene: Scene, cell: Cell, strike: Strike) -> Working:
    """Seconds of work lost: at which moment, because which point was the newest."""
    name = "work lost at worst"
    if cell.rpo_seconds is None:
        return step(name, None, "", "no copy brings it back", *_helpless(cell))
    if strike.unmoved_days is not None and cell.fate == "exposed":
        what, between = strike.unmoved_as
        days = step(between, strike.unmoved_days, "days")
        return step(name, cell.rpo_seconds, "s", what, days)
    # Where data runs on without a fresh copy, the freshest of the old ones is what there is.
    used = cell.copy_job or next(
        (c.job for c in cell.copies if c.usable and c.loses_seconds == cell.rpo_seconds), None
    )
    if not cell.rpo_seconds or not used:
        return step(name, cell.rpo_seconds, "s", "nothing has to come from a copy")
    job = scene.index.jobs[used]
    told = point_working(scene, job, strike.seen_after_days)
    late = next((c for c in cell.copies if c.job == job.id), None)
    silent = cell.rpo_seconds - float(told.value or 0.0)
    parts = [told]
    if silent > 1:
        parts.append(step("it had no new point for", silent, "s", late.why if late else ""))
    return step(
        name,
        cell.rpo_seconds,
        "s",
        "moment of the damage - state of the newest point that helps"
        + (" + the silence" if silent > 1 else ""),
        *parts,
        step("on average", cell.rpo_mean_seconds, "s", "mean over the moments of the year"),
        step("at best", cell.rpo_best_seconds, "s", "the best moment of the year"),
        *_helpless(cell),
    )


def point_working(scene: Scene, job: Job, seen_after_days: float | None) -> Working:
    """The worst moment of a job's points: the run that was about to end, and the newest before."""
    moment = scene.book.worst_moment(job, seen_after_days)
    zone = scene.index.plan.zone
    parts = [
        step(
            "runs",
            schedule.in_words(job.schedule),
            "",
            f"keeps {rules.in_words(job.retention)}",
        ),
        scene.book.usual_run(job),
    ]
    if moment is not None:
        newest, when = moment.upcoming.data_time, moment.upcoming.available_at
        done = f"the run of {local(newest, zone)} was complete only at {local(when, zone)}"
        taken = f"the point of {local(newest, zone)} already has the damage"
        if scene.book.flow(job).torn and when - newest > 1:
            until = f"was under way until {local(when, zone)}: nobody can rely on it"
            taken = f"the run of {local(newest, zone)} {until}"
        parts = [
            step(
                "moment of the damage",
                local(moment.at, zone),
                "",
                taken if seen_after_days else done,
            ),
            step(
                "newest point that helps",
                local(moment.good, zone) if moment.good is not None else None,
                "",
                f"still there {seen_after_days:g} days later, when it is noticed"
                if seen_after_days
                else "the newest that was complete",
            ),
            *parts,
        ]
    value = moment.seconds if moment and moment.good is not None else None
    return step(f"from {job.name}", value, "s", "the difference of the two", *parts)


def _helpless(cell: Cell) -> list[Working]:
    """Copies that are no help, with the reason."""
    return [step(f"copy on {c.place}", "no help", "", c.why) for c in cell.copies if not c.usable]


def back_working(scene: Scene, cell: Cell, strike: Strike, dataset: Dataset) -> Working:
    """Seconds until people work again: step after step, the transfer with its way."""
    name = "time to be back"
    if cell.rto_seconds is None:
        return step(name, None, "", "it does not come back")
    way: WayBack | None = None
    if cell.copy_job and cell.fate == "restored":
        copy = next(c for c in scene.book.copies[dataset.id] if c.job.id == cell.copy_job)
        way = way_back(scene, dataset, strike, copy)
    parts = (step_working(scene, dataset, strike, way, one) for one in cell.steps)
    return step(name, cell.rto_seconds, "s", "one step after another", *parts)


def step_working(
    scene: Scene, dataset: Dataset, strike: Strike, way: WayBack | None, one: Step | StepView
) -> Working:
    """Hours of one step back: an assumption, the bytes over their way, or who goes first."""
    inputs: tuple[Working, ...] = ()
    formula = ""
    if way and way.transfer and one.text == way.transfer.text and way.path:
        formula = "bytes / slowest part of the way"
        inputs = way.path.working("", int(way.size_bytes)).inputs
        if strike.share_of_data < 1:
            share = step("share of the dataset that is concerned", strike.share_of_data)
            inputs = (share, *inputs)
        if way.left_out_share:
            left = step("left out by the copy's patterns", way.left_out_share, "of its bytes")
            inputs = (left, *inputs)
    elif one.phase == "verify" and way:
        formula = "bytes / reading speed of the pool"
        speed = scene.book.states[dataset.pool].layout.read_mb_per_s
        inputs = (
            step("bytes", int(way.size_bytes), "bytes"),
            step(f"read {scene.own_pool(dataset)}", speed, "MB/s"),
        )
    elif one.assumption:
        inputs = (scene.index.assumptions.step(one.assumption),)
    elif one.phase == "transfer":
        formula = "others that share the way go first, or beside it"
    named = one.text if one.text == one.phase else f"{one.phase}: {one.text}"
    # Over no link at all it never ends.
    return step(named, one.hours if one.hours < FOREVER else None, "h", formula, *inputs)
