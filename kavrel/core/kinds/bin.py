"""Emptying the recycle bins of shares: until then their space never comes back."""

from kavrel.core.kinds.kind import Kind

BIN = Kind(
    id="bin",
    title="emptying the recycle bin",
    article="",
    target="none",
    does="deletes what lies in the bins longer than their days",
    needs="a share with a bin",
    locks="nothing",
    takes="moments",
    protects="the space",
    does_not="anything else",
    copies=False,
    versions=False,
    reads="nothing",
    sends="nothing",
    empties_bins=True,
    told=frozenset({"bins"}),
)
