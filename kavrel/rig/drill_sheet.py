"""A drill on paper, for two people: one reads what happens and knows the answers, the other one acts."""

from kavrel.core.index import Index
from kavrel.core.paper.document import Document, Fact, Section, SheetStep
from kavrel.core.proof.cell import Cell
from kavrel.core.quantities import span_words
from kavrel.rig.drilling import Drilling
from kavrel.rig.drills import Drill
from kavrel.rig.restoring import Back

RULES = (
    "One of you keeps this sheet and reads; the other one has the restore sheet, and says what to do.",
    "Read only what is asked for. What nobody looks at, nobody knows.",
    "Nobody touches a real box. Fetching a key or a disk from its place is part of it: do go and look.",
    "Write down when you began.",
)


def drill_sheet(
    drilling: Drilling, drill: Drill, seed: int, cells: tuple[Cell, ...], origin: str
) -> Document:
    """What is seen, what is so, what each copy would give back, the steps, and how it is judged."""
    told = drilling.told(drill, seed)
    index = Index(drilling.lab.plan)
    mine = [c for c in cells if c.hazard == drill.hazard and c.dataset in told.datasets]
    asked = []
    for dataset, copies in told.copies.items():
        name = index.datasets[dataset].name
        how = tuple(
            f"{index.jobs[job].name}: "
            + (
                f"gives back the state of {drilling.lab.local(back.until)}"
                if isinstance(back, Back)
                else back
            )
            for job, back in copies.items()
        )
        asked.append(Fact(text=f"Asked for copies of {name}:", how=how or ("there is none",)))
    best = [Fact(text=f"{index.datasets[d].name}: {_least(told.best[d])}") for d in told.datasets]
    hours = max((c.rto_seconds or 0.0 for c in mine), default=0.0)
    if hours:
        best.append(Fact(text=f"Planned time to be back: {span_words(hours)}"))
    caution = (Fact(text=drill.caution),) if drill.caution else ()
    return Document(
        title=f"Drill: {drill.title}",
        origin=origin,
        sections=(
            Section(title="How it goes", facts=tuple(Fact(text=r) for r in RULES)),
            Section(title="Read aloud", intro=f"{told.clock}. {told.sees}", facts=caution),
            Section(
                title="For the one who reads: what is so", facts=(*map(_fact, told.truth), *asked)
            ),
            *(
                Section(
                    title=f"What the plan would do for {index.datasets[c.dataset].name}",
                    steps=tuple(SheetStep(text=s.text, hours=s.hours) for s in c.steps),
                    below=True,
                )
                for c in mine
                if c.steps
            ),
            Section(
                title="Afterwards",
                intro=f"The restore sheet has it under {drill.page}.",
                facts=tuple(best),
                steps=(
                    SheetStep(text="How long did it take? ____  What would be lost? ____"),
                    SheetStep(
                        text="Which step was looked for longest? Write it into the restore sheet"
                    ),
                    SheetStep(text="Enter it in the Log as an exercise"),
                ),
            ),
        ),
    )


def _fact(text: str) -> Fact:
    return Fact(text=text)


def _least(seconds: float | None) -> str:
    if seconds is None:
        return "nothing can bring it back"
    return f"at best {span_words(seconds)} of work lost" if seconds else "nothing has to be lost"
