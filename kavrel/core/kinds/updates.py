"""Looking for updates: somebody is told what waits; putting it in stays a decision."""

from kavrel.core.kinds.kind import Kind

UPDATES = Kind(
    id="updates",
    title="look for updates",
    article="",
    target="none",
    does="asks the package lists what has a newer version, and tells it",
    needs="a way out to the package lists",
    locks="the package manager, for a minute",
    takes="a minute",
    protects="against holes that are known and mended",
    does_not="put anything in: a restart and a look afterwards belong to that",
    on="host",
    copies=False,
    versions=False,
    reads="nothing",
    sends="nothing",
)
