"""The exact arrangement against trying every combination of starts."""

from itertools import combinations, pairwise, product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies.resource import Resource
from kavrel.core.week.arrange import GAP_SECONDS, _exactly, _Piece
from tests.builders import daily, job, lab
from tests.core.week.test_arrange import arranged

MIDNIGHTS = (1_767_225_600.0, 1_767_312_000.0)


def piece(
    name: str, minutes: float, opens: int, length: int, links: tuple[str, ...] = ("a",)
) -> _Piece:
    at = f"{opens // 60:02}:{opens % 60:02}"
    return _Piece(
        job=job(name, schedule=daily(at)),
        midnights=MIDNIGHTS,
        seconds=(minutes * 60, minutes * 50),
        linked=(0.0, 0.0),
        fixed=0.0,
        shares=(),
        resources=tuple(Resource("link", x) for x in links),
        low=opens,
        length=length,
        movable=True,
    )


def apart(a: _Piece, at_a: int, b: _Piece, at_b: int) -> bool:
    if not set(a.resources) & set(b.resources):
        return True
    return not any(
        x < w + GAP_SECONDS and v < y + GAP_SECONDS
        for x, y in a.runs(at_a)
        for v, w in b.runs(at_b)
    )


def most_placed(pieces: list[_Piece]) -> int:
    """Every start of every job, or none, in every combination."""
    best = 0
    for chosen in product(*[(None, *p.inside) for p in pieces]):
        placed = [(p, m) for p, m in zip(pieces, chosen, strict=True) if m is not None]
        if len(placed) > best and all(apart(*x, *y) for x, y in combinations(placed, 2)):
            best = len(placed)
    return best


PIECES = st.lists(
    st.tuples(
        st.integers(5, 40),
        st.sampled_from([60, 75, 90]),
        st.sampled_from([30, 45, 60]),
        st.sampled_from([("a",), ("b",), ("a", "b")]),
    ),
    min_size=2,
    max_size=4,
)


@given(PIECES)
@settings(max_examples=40, deadline=None)
def test_as_many_have_a_place_as_can_have_one(
    drawn: list[tuple[int, int, int, tuple[str, ...]]],
) -> None:
    pieces = [piece(f"j{n}", m, o, w, r) for n, (m, o, w, r) in enumerate(drawn)]
    found = _exactly(pieces, [])
    assert found is not None
    assert len(found) == most_placed(pieces)
    at = [(p, found[p.job.id]) for p in pieces if p.job.id in found]
    assert all(apart(*x, *y) for x, y in combinations(at, 2))


def test_a_week_that_orders_miss_is_found() -> None:
    # Placed one after the other near where they stand, the short one cuts the only gap in two.
    pieces = [
        piece("long", 50, 60, 120),
        piece("tight", 20, 115, 25),
        piece("short", 30, 60, 120),
    ]
    found = _exactly(pieces, [])
    assert found is not None
    assert set(found) == {"long", "tight", "short"}


def test_a_remedy_is_one_that_was_tried_out() -> None:
    # Three runs of an hour in two hours; with a window of some hours more all have a place.
    big = lab().datasets[0].model_copy(update={"change_bytes_per_day": 8 * 10**9})
    window = {"window_from": "01:00", "window_to": "03:00"}
    far = {"kind": "replication", "target_pool": "second"}
    jobs = [job(n, schedule=daily("01:00"), **window, **far) for n in ("a", "b", "c")]
    found = arranged(*jobs, datasets=(big,))
    assert found.unfit
    said = found.unfit[0].remedies[0]
    assert "h longer, until" in said
    assert "fixed" not in found.unfit[0].why  # nothing was
    closes = said.partition("until ")[2][:5]
    unlucky = found.unfit[0].job
    wider = [j.model_copy(update={"window_to": closes}) if j.id == unlucky else j for j in jobs]
    assert len(arranged(*wider, datasets=(big,)).unfit) < len(found.unfit)


@pytest.mark.parametrize("count", [2, 5])
def test_what_reads_another_waits_for_it(count: int) -> None:
    chain = [piece(f"j{n}", 10, 60, 180) for n in range(count)]
    chain = [p if n == 0 else _reads(p, f"j{n - 1}") for n, p in enumerate(chain)]
    found = _exactly(chain, [])
    assert found is not None
    order = [found[f"j{n}"] for n in range(count)]
    assert order == sorted(order)
    assert all(b - a >= 13 for a, b in pairwise(order))


def _reads(one: _Piece, source: str) -> _Piece:
    made = one.job.model_copy(update={"reads_from": source})
    return _Piece(**{**{f: getattr(one, f) for f in one.__dataclass_fields__}, "job": made})
