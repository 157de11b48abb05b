"""A work: one thing that must be true on a host."""

from dataclasses import dataclass, field
from typing import ClassVar


@dataclass(frozen=True)
class Work:
    """One thing to be true.

    `key` names it on its host, `what` says it in words. `makes`: what of the plan it makes true, as
    collection and id. `needs`: keys of the works before it. `see`: a command whose output shows
    that it holds. `back`: how to take it back. `by_hand`: why no script does it, empty where one does.
    `destroys`: ids of the disks whose content is gone afterwards. `fields`: of a kind of work, which fields
    of the plan it makes true, as collection and field; what they refer to by an id is theirs as well.
    """

    fields: ClassVar[tuple[str, ...]] = ()

    key: str
    what: str
    makes: tuple[tuple[str, str], ...]
    needs: tuple[str, ...]
    see: str
    back: str
    by_hand: str
    destroys: tuple[str, ...] = field(default=(), kw_only=True)
