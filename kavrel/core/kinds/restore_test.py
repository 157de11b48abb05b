"""A restore that is tried: one item is brought back and opened."""

from kavrel.core.kinds.kind import Kind

RESTORE_TEST = Kind(
    id="restore_test",
    title="restore test",
    target="none",
    does="has somebody restore one item from the copy, open or start it, and note the minutes",
    needs="somebody, and room for the item",
    locks="nothing",
    takes="what the log says, or the assumed minutes",
    protects="against copies that were never any good",
    does_not="copy anything",
    on="copy",
    copies=False,
    versions=False,
    reads="nothing",
    sends="nothing",
    by_hand=True,
    tries=True,
    start="restore_test_minutes",
)
