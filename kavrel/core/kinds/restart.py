"""Restart of a box, as of a small far one every week or two: what hangs comes back by itself."""

from kavrel.core.kinds.kind import Kind

RESTART = Kind(
    id="restart",
    title="restart of a box",
    target="none",
    does="restarts the box when none of its jobs is running",
    needs="a box that starts by itself, pools that unlock without a hand",
    locks="everything on the box, for minutes",
    takes="the shutdown and the start",
    protects="against services and mounts that hang unnoticed on a box that nobody visits",
    does_not="mend what is broken: look whether it came back",
    on="host",
    copies=False,
    versions=False,
    reads="nothing",
    sends="nothing",
)
