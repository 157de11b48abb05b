"""Backup of a box's own configuration: what a dead boot device takes with it."""

from kavrel.core.kinds.kind import RULES, Kind

CONFIG = Kind(
    id="config",
    title="configuration of a box",
    target="pool",
    does="stores the settings, keys and job definitions of the box",
    needs="a place in another box",
    locks="nothing",
    takes="moments",
    protects="loss of the boot device",
    does_not="any data",
    on="host",
    copies=False,
    compresses=True,
    reads="nothing",
    thins=True,
    keeps_settings=True,
    keeps=RULES,
    packages=("openssh-client",),
    told=frozenset({"retention", "settings"}),
    start="config_seconds",
)
