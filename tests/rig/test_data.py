"""Room is exact: whatever is written, marked, received and let go, the pool knows what it holds."""

from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.rig.data import Data, Room
from kavrel.rig.files import File

NAMES = st.sampled_from("abcd")
STEPS = st.lists(
    st.one_of(
        st.tuples(st.just("write"), NAMES, st.integers(0, 9)),
        st.tuples(st.just("remove"), NAMES, st.just(0)),
        st.tuples(st.just("mark"), st.just(""), st.just(0)),
        st.tuples(st.just("forget"), st.just(""), st.integers(0, 9)),
        st.tuples(st.just("become"), NAMES, st.integers(0, 9)),
        st.tuples(st.just("clone"), st.just(""), st.just(0)),
    ),
    max_size=60,
)


def done(data: Data, step: tuple[str, str, int], number: int) -> Data:
    what, name, size = step
    if what == "write":
        data.write(name, File(size, f"{number}", number))
    elif what == "remove" and name in data.files:
        data.remove(name)
    elif what == "mark":
        data.mark(f"p{number}", number)
    elif what == "forget" and data.points:
        data.forget(list(data.points)[size % len(data.points)])
    elif what == "become":
        kept = {n: f for n, f in data.files.items() if n != name}
        data.become({**kept, f"{name}{size}": File(size, f"{number}", number)})
    elif what == "clone":
        return data.clone(Room(data.room.capacity, data.room.used))
    return data


@given(STEPS)
@settings(max_examples=300, deadline=None)
def test_what_is_used_is_what_all_versions_take(steps: list[tuple[str, str, int]]) -> None:
    data = Data("d", "/srv/d", Room(10**9))
    for number, step in enumerate(steps):
        data = done(data, step, number)
        states = (data.files, *(p.files for p in data.points.values()))
        every = {id(f): f.size for state in states for f in state.values()}
        assert data.room.used == data.taken() == sum(every.values())


@given(STEPS, STEPS)
@settings(max_examples=100, deadline=None)
def test_a_clone_and_what_broke_off_leave_the_first_as_it_was(
    steps: list[tuple[str, str, int]], more: list[tuple[str, str, int]]
) -> None:
    data = Data("d", "/srv/d", Room(10**9))
    for number, step in enumerate(steps):
        data = done(data, step, number)
    before = (dict(data.files), {n: dict(p.files) for n, p in data.points.items()}, data.room.used)
    was = data.clone(Room(data.room.capacity, data.room.used))
    other = data
    for number, step in enumerate(more, len(steps)):
        if step[0] != "clone":
            other = done(other, step, number)
    other.undo(was, other.clone(Room(other.room.capacity, other.room.used)))
    after = (
        dict(other.files),
        {n: dict(p.files) for n, p in other.points.items()},
        other.room.used,
    )
    assert after == before


def test_what_breaks_off_takes_nothing_of_others_along() -> None:
    """Two jobs write into one file system; the long one breaks off, the short one had ended."""
    data = Data("d", "/srv/d", Room(10**9))
    old, olden, long, longer, short, changed = (File(100 + n, f"{n}", n) for n in range(6))
    data.write("long/kept", old)
    data.write("short/kept", olden)
    data.mark("before", 1.0)
    was = data.clone(Room(data.room.capacity, data.room.used))
    data.write("long/new", long)
    data.write("long/kept", longer)
    data.mark("of the long one", 3.0)
    data.forget("before")
    then = data.clone(Room(data.room.capacity, data.room.used))
    data.write("short/new", short)
    data.write("short/kept", changed)
    data.mark("of the short one", 2.0)
    data.undo(was, then)
    assert data.files == {"long/kept": old, "short/kept": changed, "short/new": short}
    assert list(data.points) == ["before", "of the short one"]
    assert data.room.used == data.taken()
