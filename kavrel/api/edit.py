"""An edit as it is sent: what it was begun at, its own name, what its sender holds."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Edit:
    """`base` is the revision that it was begun at; `key` its own name, so that it is made once.

    `holds` is the entity tag of the state that its sender has: the answer may be what changed.
    """

    base: int
    key: str | None = None
    holds: str | None = None
