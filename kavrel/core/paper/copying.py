"""The runbook's part on copies: what runs at night on each box, and the first copy of each job."""

from kavrel.core.copies.fetch import landing
from kavrel.core.copies.keys import key_of
from kavrel.core.evaluate import Evaluation
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.paper.document import Section, SheetStep
from kavrel.core.plan import Host
from kavrel.core.shares.names import copy_folders
from kavrel.core.typed import typed
from kavrel.core.works import Work
from kavrel.core.works.jobs import (
    JobRuns,
    MailHeard,
    NightRuns,
    RootLetIn,
    SecretKept,
    ToolOfOwn,
    job_works,
)

FIRST = {
    "side_by_side": "side by side on the LAN, before the far box moves",
    "carried": "on a disk that is carried over",
    "over_link": "over the link, with its limits by day",
}


def copying(index: Index, evaluation: Evaluation) -> Section:
    """What each box needs before it works by itself, then each job with what is done once by hand."""
    steps: list[SheetStep] = []
    copies = copy_folders(index.plan)
    needs: dict[str, list[str]] = {}  # by job
    for host in index.plan.hosts:
        for work in job_works(index, host.id):
            if isinstance(work, NightRuns | MailHeard):
                steps.append(_night(host, work))
            elif work.by_hand and isinstance(work, JobRuns | ToolOfOwn | RootLetIn | SecretKept):
                needs.setdefault(work.job.id, []).append(
                    f"Once by hand on {host.name}: {work.by_hand}."
                )
    for view in evaluation.jobs:
        job = index.jobs[view.id]
        kind = KINDS[job.kind]
        names = ", ".join(index.datasets[d].name for d in job.datasets)
        if not kind.copies:
            text = f"{job.name}: {kind.title}, {view.schedule_words}; it {kind.does}"
            steps.append(SheetStep(text=text, minds=tuple(needs.get(job.id, ()))))
            continue
        if kind.target == "none":
            text = f"{job.name}: snapshots of {names}, {view.schedule_words}"
            text += f", keep {view.retention_words}"
            steps.append(SheetStep(text=text, minds=tuple(needs.get(job.id, ()))))
            continue
        minds = needs.get(job.id, [])
        key = key_of(index, job)
        if key:
            places = "nowhere is planned" if key.in_box_alone else key.where(index)
            minds.append(f"Keep the key at: {places}.")
        if job.first_copy != "done":
            on = f", on {job.first_on}" if job.first_on else ""
            minds.append(
                f"Make the first copy {FIRST[job.first_copy]}{on}; then only changes travel."
            )
        if job.alarm_days is not None:
            minds.append(
                f"Hold it back once for {job.alarm_days:g} days: somebody has to be told that nothing came."
            )
        lands = landing(index, job, copies)
        if lands:
            minds.append(f"{lands[:1].upper()}{lands[1:]}.")
        if job.window_from:
            minds.append(f"It may run from {job.window_from} to {job.window_to}.")
        hours = view.first_copy.value
        steps.append(
            SheetStep(
                text=f"{job.name}: first copy of {names} from {view.source_name} to "
                f"{view.target_name}; then {view.schedule_words}, keep {view.retention_words}",
                minds=tuple(minds),
                hours=hours if isinstance(hours, float) else None,
            )
        )
    return Section(title="Copies", steps=tuple(steps))


def _night(host: Host, work: Work) -> SheetStep:
    """What a box needs once, before anything runs by itself."""
    if not isinstance(work, NightRuns):
        return SheetStep(text=f"{host.name}: {work.by_hand}", minds=(f"Try it: {typed(work.see)}",))
    return SheetStep(
        text=f"{host.name}: {', '.join(work.placed)}; look at each "
        f"(`lab-job --show NAME`), start them ({typed(work.start)})",
        minds=(f"It runs when these say so: {typed(work.see)}.",),
    )
