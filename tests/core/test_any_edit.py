"""Whatever an edit leaves valid can be reckoned, and in time."""

import time
from itertools import product
from typing import get_args

import pytest

from kavrel.core.evaluate import CHECKED, PARTS, PROVEN, RUNNING, evaluate
from kavrel.core.index import Index
from kavrel.core.part import Part, Undeclared
from kavrel.core.plan import LogEntry, LogKind, Plan
from kavrel.core.plan.log import ABOUT
from kavrel.core.pools.pool import pool_states
from kavrel.core.proof.cell import Cell
from kavrel.core.proof.proof import prove
from kavrel.core.proof.today import covers, standings
from kavrel.core.shares.access import access_matrix
from kavrel.core.week.nights import scheduled_book
from tests.builders import TODAY, lab
from tests.fuzz import edits

MOST_SECONDS = 5.0  # on a busy machine; 2 s on a quiet one


def every_one_holds(plan: Plan, seed: int, count: int) -> None:
    for words, changed in edits(plan, seed, count):
        begin = time.process_time()
        try:
            evaluate(changed, TODAY)
        except Exception as error:
            raise AssertionError(words) from error
        assert time.process_time() - begin < MOST_SECONDS, words


@pytest.mark.parametrize("seed", [1, 2])
def test_an_edit_of_the_demo_at_the_edges_of_a_field(demo: Plan, seed: int) -> None:
    every_one_holds(demo, seed, 80)


def test_an_edit_of_a_small_lab_at_the_edges_of_a_field() -> None:
    every_one_holds(lab(), 3, 150)


@pytest.mark.prove
@pytest.mark.parametrize("seed", range(10, 14))
def test_thousands_of_edits(demo: Plan, seed: int) -> None:
    every_one_holds(demo, seed, 400)


def test_edits_on_top_of_one_another_hold_as_well(demo: Plan) -> None:
    plan = demo
    for number in range(25):
        words, plan = next(edits(plan, 100 + number, 1))
        try:
            evaluate(plan, TODAY)
        except Exception as error:
            raise AssertionError(words) from error


@pytest.mark.parametrize("seed", [21, pytest.param(22, marks=pytest.mark.prove)])
def test_what_is_remembered_is_what_starting_anew_says(demo: Plan, seed: int) -> None:
    """An edit after another, with all that is kept of the ones before, against a core that knows nothing."""
    chain = [changed for _, changed in edits(demo, seed, 25)]
    chain += [plan for before in chain for _, plan in edits(before, seed + 1, 1)]
    warm = [evaluate(plan, TODAY).model_dump_json() for plan in (*chain, *chain[::-1])]
    for plan, said, again in zip(chain, warm, reversed(warm), strict=False):
        for part in PARTS:
            part.forget()
        assert evaluate(plan, TODAY).model_dump_json() == said == again


def test_what_an_edit_cannot_touch_is_not_computed_again(
    demo: Plan, monkeypatch: pytest.MonkeyPatch
) -> None:
    evaluate(demo, TODAY)

    def never(*args: object, **more: object) -> None:
        raise AssertionError("computed again")

    monkeypatch.setattr(RUNNING, "_work", never)
    monkeypatch.setattr(PROVEN, "_work", never)
    monkeypatch.setattr(CHECKED, "_work", never)
    disk = demo.disks[0].model_copy(update={"price_minor": demo.disks[0].price_minor + 1000})
    dearer = demo.model_copy(update={"disks": (disk, *demo.disks[1:])})
    before, after = evaluate(demo, TODAY), evaluate(dearer, TODAY)
    assert after.strip.cost_minor == before.strip.cost_minor + 1000
    assert after.proof == before.proof
    read = demo.log[0].model_copy(update={"id": "read", "kind": "smart_reading"})
    noted = read.model_copy(update={"id": "noted", "note": "quiet", "who": "ana"})
    logged = demo.model_copy(update={"log": (*demo.log, read, noted)})
    assert evaluate(logged, TODAY).proof == before.proof
    smaller = demo.datasets[0].model_copy(update={"size_bytes": 1})
    touched = demo.model_copy(update={"datasets": (smaller, *demo.datasets[1:])})
    with pytest.raises(AssertionError, match="computed again"):
        evaluate(touched, TODAY)


def figures(cell: Cell) -> tuple[str, ...]:
    numbers = (cell.rpo_seconds, cell.rto_seconds, cell.otherwise_rpo_seconds)
    return (cell.dataset, cell.hazard, cell.fate, *map(str, numbers))


def test_the_proof_misses_nothing_of_the_log(demo: Plan) -> None:
    """It is given some kinds of entry only: whatever is logged, all of the log says the same."""
    changed = 0
    for kind, result in product(get_args(LogKind), ("failed", "ok")):
        entries = [
            LogEntry(
                id=f"{sort}-{n}", kind=kind, about_kind=sort, about=x.id, on=TODAY, result=result
            )
            for sort, of in ABOUT.items()
            for n, x in enumerate(getattr(demo, of))
        ]
        plan = demo.model_copy(update={"log": (*demo.log, *entries)})
        index = Index(plan)
        said = evaluate(plan, TODAY)
        running = scheduled_book(index, pool_states(index), TODAY)
        matrix = access_matrix(index, TODAY)
        cells = prove(index, running, matrix)
        assert said.proof == tuple(cells), (kind, result)
        stands = standings(running)
        anew = prove(index, running, matrix, now=stands)
        differ = [b for a, b in zip(cells, anew, strict=True) if figures(a) != figures(b)]
        assert sorted(map(figures, said.proof_today)) == sorted(map(figures, differ))
        assert said.covers == covers(running, standings(running)), (kind, result)
        changed += said.proof_today != evaluate(demo, TODAY).proof_today
    assert changed  # some of them count


def test_a_part_that_looks_further_than_it_declares_is_never_kept(
    demo: Plan, monkeypatch: pytest.MonkeyPatch
) -> None:
    part = Part(lambda index, today: len(index.plan.disks) + len(index.plan.log), ("disks",))
    with pytest.raises(Undeclared, match="does not declare that it looks at log"):
        part.of(demo, TODAY)
    monkeypatch.setattr(Part, "strict", False)
    counted = len(demo.disks) + len(demo.log)
    assert part.of(demo, TODAY) == counted
    assert part.of(demo.model_copy(update={"log": ()}), TODAY) == len(demo.disks)
