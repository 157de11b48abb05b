"""The sheet for whoever must restore without the administrator, having never seen the lab."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from datetime import date

from kavrel.core.bench.meeting import addresses
from kavrel.core.copies.keys import key_of
from kavrel.core.evaluate import Evaluation
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.paper.disk_dies import TITLE as DISK_DIES
from kavrel.core.paper.disk_dies import disks_that_die
from kavrel.core.paper.document import Document, Fact, Section, SheetStep
from kavrel.core.paper.errors_found import errors_found
from kavrel.core.paper.machines import unlocking, waits
from kavrel.core.paper.power_back import after_a_power_cut
from kavrel.core.paper.whose import whose
from kavrel.core.plan import Job, Plan
from kavrel.core.pools.families import FAMILIES
from kavrel.core.proof.cell import Cell, StepView
from kavrel.core.proof.hazards import HAZARDS
from kavrel.core.proof.hazards.one_disk import on_its_disks
from kavrel.core.proof.proof import share
from kavrel.core.proof.restores import WORTH_ORDER
from kavrel.core.quantities import size_words, span_words

PHASES = {
    "notice": "first of all",
    "replace": "replace",
    "fetch": "fetch",
    "transfer": "bring back",
    "verify": "check",
}
RULES = (
    "Take your time: nothing gets worse by waiting an hour, much gets worse by haste.",
    "Stop the jobs first: one that runs now can carry the damage into the copy, or prune the point "
    "that you need.",
    "Write nothing to a disk that may still hold the data. Pull no disk before its serial is read aloud.",
    "Pull the mains plug before a case is opened; never open a power supply.",
    "Keep the copy untouched: restore to new disks, never over the only copy.",
    "If the machine with Kavrel on it is gone, too: install it on any other, and `kavrel restore FILE`, the "
    "newest of its own copies, kept at (write it here): ____________",
)


def restore_sheet(plan: Plan, evaluation: Evaluation, origin: str) -> Document:
    """Rules, boxes, copies with how each is fetched from, keys; then each hazard, step by step."""
    index = Index(plan)
    order = {d.id: (WORTH_ORDER[d.worth], d.size_bytes) for d in plan.datasets}
    sections = [
        Section(title="Before anything", facts=tuple(Fact(text=r) for r in RULES)),
        Section(title="Where the boxes stand", facts=_boxes(index)),
        Section(title="Where the copies lie", facts=_copies(index, evaluation)),
        Section(title="Where the keys are", facts=_keys(index)),
    ]
    # The commonest nights first, on which nothing is lost yet.
    sections += [*after_a_power_cut(index), *errors_found(index)]
    sections += disks_that_die(index, evaluation)
    views = {h.id: h for h in evaluation.hazards}
    today = {(c.dataset, c.hazard): c for c in evaluation.proof_today}
    # What somebody may stand before; the rest needs the administrator.
    for hazard, what in ((h.id, h.on_sheet) for h in HAZARDS.values() if h.on_sheet):
        struck: dict[str, list[Cell]] = defaultdict(list)
        for cell in evaluation.proof:
            if cell.hazard == hazard and cell.fate != "runs_on":
                struck[_struck(index, what, cell)].append(cell)
        for name, cells in struck.items():
            cells.sort(key=lambda c: order[c.dataset])
            title = views[hazard].title + (f": {name}" if name else "")
            host = index.pools[index.datasets[cells[0].dataset].pool].host
            said = HAZARDS[hazard].told(index, host)
            if what == "pool":
                pool = index.datasets[cells[0].dataset].pool
                said = (*said, *_made_anew(index, evaluation, pool, cells))
                if _in_part(index, cells[0]):
                    dies = f"{DISK_DIES}: pool {index.pools[pool].name}"
                    said = (
                        *said,
                        f"First as under “{dies}”; here is what does not come back by that.",
                    )
            question, day = views[hazard].question, evaluation.today
            sections += _hazard(index, title, question, said, cells, today, day)
    sections += whose(index, evaluation.today)
    variant = f", {plan.variant}" if plan.variant else ""
    return Document(
        title=f"If something has happened: {plan.name}{variant}",
        origin=f"{origin}, {evaluation.today}",
        sections=tuple(s for s in sections if s.facts or s.steps or s.intro),
    )


def _made_anew(
    index: Index, evaluation: Evaluation, pool: str, cells: Sequence[Cell]
) -> tuple[str, ...]:
    """What comes before anything is brought back, where all of a pool is lost."""
    layout = next(v.layout for v in evaluation.pools if v.id == pool)
    if layout.remains != "nothing" or not any(c.fate == "restored" for c in cells):
        return ()
    told = index.pools[pool]
    host = index.hosts[told.host]
    if host.closed:
        return (
            f"Pool {told.name} is made anew on the new disks first, in the page of {host.name}.",
        )
    first: tuple[str, ...] = ()
    if on_its_disks(host, told):
        label = index.disks[host.boot_disk or ""].label
        first = (
            f"Where {label} died, {host.name} boots from it: its system comes first, see boot device dies.",
        )
    return (
        *first,
        f"Pool {told.name} is made anew first: on the Bench give its disks their new serials, on Pools take "
        f"off that it stands, and run `sh setup.sh` of {host.name}'s new bundle; it asks before it wipes "
        "anything.",
    )


def _struck(index: Index, what: str, cell: Cell) -> str:
    """Which of several boxes, pools or sites is concerned; empty where there is only one case."""
    pool = index.pools[index.datasets[cell.dataset].pool]
    names = {
        "pool": f"pool {pool.name}",
        "box": index.hosts[pool.host].name,
        "site": index.sites[index.hosts[pool.host].site].name,
    }
    return names.get(what, "")


def _boxes(index: Index) -> tuple[Fact, ...]:
    facts = []
    for host in index.plan.hosts:
        anew = " (still to be made: print this sheet anew once it stands)"
        pools = [
            p.name + ("" if p.standing else anew) for p in index.plan.pools if p.host == host.id
        ]
        said = f"{host.name}, at {index.sites[host.site].name}"
        said += f", address {at}" if (at := addresses(host)) else ""
        facts.append(Fact(text=said + (f": holds {', '.join(pools)}" if pools else "")))
    return tuple(facts)


def _copies(index: Index, evaluation: Evaluation) -> tuple[Fact, ...]:
    facts, left = [], {v.id: v.left_bytes for v in evaluation.pools}
    waits_for = {w.job: w.why for w in evaluation.waiting}
    for view in evaluation.jobs:
        if view.newest_age_seconds is None:
            continue
        job = index.jobs[view.id]
        names = ", ".join(index.datasets[d].name for d in job.datasets)
        site = index.sites[view.target_site].name if view.target_site else "nowhere"
        said = (
            f"{job.name}: {view.title} of {names} on {view.target_name} at {site}, at most "
            f"{span_words(view.newest_age_seconds)} old"
        )
        if why := waits_for.get(job.id):
            said += f". As of {evaluation.today}: {why}"
        facts.append(Fact(text=said, how=(*view.fetch, *_too_large(index, job, left))))
    return tuple(facts)


def _too_large(index: Index, job: Job, left: Mapping[str, int]) -> Iterator[str]:
    """What cannot be brought back beside what is there; a point's own files take no room of their own."""
    if KINDS[job.kind].in_place:
        return
    for dataset in (index.datasets[d] for d in job.datasets):
        free = left[dataset.pool]
        if dataset.size_bytes > free:
            pool = index.pools[dataset.pool].name
            yield (
                f"{dataset.name} does not fit beside what is there: {size_words(dataset.size_bytes)}, and "
                f"{size_words(free)} are free on {pool}: bring it back onto other disks; or look first that "
                "this copy is whole, and only then let go what is damaged, with all its points"
            )


def _keys(index: Index) -> tuple[Fact, ...]:
    facts = [
        Fact(text=f"{job.name}: {key.where(index)}")
        for job in index.plan.jobs
        if (key := key_of(index, job))
    ]
    for pool in index.plan.pools:
        how = unlocking(index, pool)
        if how:
            box = index.hosts[pool.host].name
            said = f"pool {pool.name} on {box} is locked after each start"
            if not waits(index, pool):
                said = f"pool {pool.name} on {box} is opened by a key file on its system disk; else by hand"
            place = pool.passphrase_at or "(write it here): ____________"
            facts.append(Fact(text=f"{said}; its passphrase is kept at {place}", how=how))
    return tuple(facts)


def _hazard(
    index: Index,
    title: str,
    question: str,
    said: Sequence[str],
    cells: Sequence[Cell],
    today: Mapping[tuple[str, str], Cell],
    day: date,
) -> list[Section]:
    """What all of it needs first; then each dataset, in the order of their worth.

    `today`: the cells that are not yet, on that day, what they will be.
    """
    # Whoever reads this has noticed; the figures count from when it happened.
    cells = [
        c.model_copy(update={"steps": tuple(s for s in c.steps if s.text != "notice")})
        for c in cells
    ]
    helped = [c for c in cells if c.fate in ("restored", "down")]
    common: list[StepView] = []
    if len(helped) > 1:
        shared = set.intersection(*({s.text for s in c.steps} for c in helped))
        early = ("notice", "replace")
        common = [s for s in helped[0].steps if s.text in shared and s.phase in early]
    facts = tuple(Fact(text=text) for text in said)
    steps = tuple(_step(s) for s in common)
    parts = [Section(title=title, intro=question, facts=facts, steps=steps)]
    done = {s.text for s in common}
    alike: dict[str, list[str]] = {}
    for cell in cells:
        name = index.datasets[cell.dataset].name
        steps = tuple(_step(s) for s in cell.steps if s.text not in done)
        verdict = _verdict(index, cell)
        now = today.get((cell.dataset, cell.hazard))
        if now and (said_now := _verdict(index, now)) != verdict:
            verdict = f"as of {day} {said_now}. Once all runs as planned: {verdict}"
        if cell.fate in ("restored", "down", "exposed") and steps:
            parts.append(Section(title=name, intro=f"{verdict}.", steps=steps, below=True))
        else:
            alike.setdefault(verdict, []).append(name)
    # What needs no steps of its own is said once.
    parts += [Section(title="; ".join(n), intro=f"{v}.", below=True) for v, n in alike.items()]
    return parts


def _perhaps(index: Index, cell: Cell) -> str:
    """Of what a copy has at some moments and not at others: nobody gives up before having looked."""
    job = index.jobs[cell.otherwise_job or ""].name
    else_ = (
        "else fetch it again from where it came"
        if cell.fate == "fetch_again"
        else "else no copy helps: ask a recovery service"
    )
    lost = span_words(cell.otherwise_rpo_seconds or 0.0)
    return (
        f"look into {job} first, as said under Where the copies lie: in {share(1 - cell.never_share)} of the "
        f"moments it still has it, with about {lost} of work lost; {else_}. Write nothing to what it was on "
        "meanwhile"
    )


def _step(one: StepView) -> SheetStep:
    word = PHASES[one.phase]
    text = one.text if one.text.startswith(word) else f"{word}: {one.text}"
    return SheetStep(text=text, hours=one.hours)


def _in_part(index: Index, cell: Cell) -> bool:
    """Whether only what lay on the dead disks is concerned."""
    pool = index.pools[index.datasets[cell.dataset].pool]
    of_disks = HAZARDS[cell.hazard].on_sheet == "pool"
    return of_disks and FAMILIES[pool.family].remains != "nothing"


def _verdict(index: Index, cell: Cell) -> str:
    back = span_words(cell.rto_seconds or 0.0)
    if cell.fate == "restored":
        job = index.jobs[cell.copy_job or ""].name
        lost = span_words(cell.rpo_seconds or 0.0)
        figures = f"up to {lost} of work are lost, about {back} in all from when it happened"
        return f"comes back from {job}, {figures}"
    if cell.fate == "down":
        return f"nothing is lost; about {back} until it works again"
    partly = _in_part(index, cell)
    if cell.otherwise_job and 0 < cell.never_share < 1:
        return _perhaps(index, cell)
    if cell.fate == "fetch_again":
        if partly:
            return "what is lost of it is not copied: fetch that again from where it came"
        return "is not copied: fetch it again from where it came"
    if cell.fate == "exposed":
        return "works on, but without a fresh copy: change nothing, make a copy first"
    if partly:
        return (
            "what is lost of it has no copy that helps: keep the dead disk, ask a recovery service"
        )
    return "has no copy that helps: switch off, touch nothing, ask a recovery service"
