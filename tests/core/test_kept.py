"""What is kept for a while: never more than was said, and what is used stays."""

from hypothesis import given
from hypothesis import strategies as st

from kavrel.core.kept import Kept


@given(st.lists(st.tuples(st.booleans(), st.integers(0, 9)), max_size=60), st.integers(1, 5))
def test_it_keeps_the_ones_used_last(steps: list[tuple[bool, int]], most: int) -> None:
    kept: Kept[int, int] = Kept(most)
    used: list[int] = []  # the newest last
    for put, key in steps:
        if put:
            kept.put(key, key * key)
        else:
            found = kept.get(key)
            assert found == (key * key if key in used[-most:] else None)
        if put or key in used[-most:]:
            used = [*(k for k in used if k != key), key]
        used = used[-most:]
    assert len(kept) == len(used)
    kept.clear()
    assert len(kept) == 0
