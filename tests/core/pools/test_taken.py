"""Room that is kept counts from the first day: in the fill, ahead, and on the date it is full."""

from hypothesis import given
from hypothesis import strategies as st

from kavrel.core.copies.space import pool_space
from kavrel.core.index import Index
from kavrel.core.plan import Export, Retention
from kavrel.core.pools.taken import Need, Tree, reserved_bytes, trees
from tests.builders import GB, TB, book, dataset, job, lab, result

LUN = Export(
    id="lun",
    protocol="iscsi",
    name="lun",
    dataset="files",
    clients=("iqn.2026-01.lab:vm",),
    size_bytes=3 * TB,
    thick=True,
)


def test_a_thick_volume_takes_its_room_whole() -> None:
    plan = lab(exports=(LUN,))
    thin = lab(exports=(LUN.model_copy(update={"thick": False}),))
    view, other = result(plan).pools[0], result(thin).pools[0]
    assert view.reserved_bytes == 3 * TB - plan.datasets[0].size_bytes
    assert other.reserved_bytes == 0
    assert view.left_bytes == other.left_bytes - view.reserved_bytes
    assert view.fill > other.fill
    assert [x.kind for x in pool_space(book(plan), "main", 1).layers] == ["live", "reserved"]


def test_a_reservation_holds_for_all_below_it_and_is_not_counted_twice() -> None:
    top = dataset(id="files", size_bytes=100 * GB, reserve_bytes=2 * TB)
    below = dataset(id="b", name="b", parent="files", size_bytes=300 * GB, reserve_bytes=500 * GB)
    index = Index(lab(datasets=(top, below)))
    assert reserved_bytes(trees(index, "main")) == 2 * TB - 400 * GB


def test_growth_inside_what_is_kept_takes_nothing_more_until_it_is_past_it() -> None:
    tree = Tree(size_bytes=TB, a_year_bytes=TB, reserve_bytes=3 * TB)
    need = Need(0, 0, (tree,))
    assert [need.at(y) // TB for y in (0, 1, 2, 3, 4)] == [3, 3, 3, 4, 5]
    until = need.until(4 * TB)
    assert until is not None
    assert abs(until - 3.0) < 1e-6
    assert need.until(2 * TB) == 0.0
    quota = Need(0, 0, (Tree(TB, TB, quota_bytes=2 * TB),))
    assert quota.until(3 * TB) is None  # a quota ends its growth


@given(
    size=st.integers(0, 10**13),
    a_year=st.integers(0, 10**12),
    thick=st.integers(0, 10**13),
    reserve=st.integers(0, 10**13),
    years=st.floats(0, 50),
)
def test_room_never_shrinks_and_never_is_less_than_the_data(
    size: int, a_year: int, thick: int, reserve: int, years: float
) -> None:
    tree = Tree(size, a_year, thick, reserve)
    assert tree.at(years) >= max(size, thick, reserve)
    assert tree.at(years + 1) >= tree.at(years)


def test_whole_archives_are_counted_whole() -> None:
    # 30 nightly images of 36 GB: about 1.08 TB at full size, five and a half minutes each by
    # gigabit. Arithmetic; that image backups are kept nightly for 30 is common practice, no source.
    vms = dataset(size_bytes=36 * GB, change_bytes_per_day=GB)
    keep = Retention(last=30)
    image = job("i", kind="image", target_pool="second", retention=keep)

    def stored(**more: object) -> int:
        found = result(lab(datasets=(vms,), jobs=(image.model_copy(update=more),)))
        return next(p.stored_bytes for p in found.pools if p.id == "second")

    assert abs(stored() - 30 * 36 * GB) < 2 * 36 * GB
    assert stored(chunk_store=True) < 100 * GB
