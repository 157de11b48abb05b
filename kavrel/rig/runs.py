"""Runs that are going on: what each writes, what of it still has to travel, and when it will be there."""

from dataclasses import dataclass, field, replace
from typing import NamedTuple

from kavrel.core.copies.resource import Resource
from kavrel.rig.data import Data, Room

SHORTEST = 1e-6  # seconds: what is left by rounding is no time


class Written(NamedTuple):
    """What a job writes to, as it was when it began with it, and as it left it, whole at `ends`."""

    job: str
    data: Data
    before: Data
    after: Data
    ends: float = float("inf")


@dataclass(slots=True)
class Leg:
    """A piece of a run: so much (MB) over a way, at `alone` MB/s with nobody else there.

    `ways` are what it shares with others, each with the speed (MB/s) at which it alone fills it.
    Where nothing travels, `left` are seconds, and `alone` is 1.
    """

    left: float
    alone: float
    ways: tuple[tuple[Resource, float], ...] = ()


@dataclass(slots=True)
class Run:
    """A job, and what follows it in one go, until `ends`; and what each of them writes to.

    As long as it goes on, `ends` and `until` are as they would be if nothing else started: a run that
    comes later and takes its share of the way puts them off.
    """

    job: str
    box: str
    began: float
    ends: float
    written: list[Written] = field(default_factory=list)
    now: str = ""  # the job that is at it
    since: int = 0  # where what it wrote begins
    until: dict[str, float] = field(default_factory=dict)  # when each of its jobs is done
    legs: list[Leg] = field(default_factory=list)
    at: int = 0  # the leg on which it is
    last_legs: dict[str, int] = field(
        default_factory=dict
    )  # how many legs each job had when it was done
    behind: tuple[str, ...] = ()  # what starts on the box when it has ended
    result: str = ""  # how it ends

    def begins(self, job: str) -> None:
        """One of its jobs begins."""
        self.now, self.since = job, len(self.written)

    def arriving(self, data: Data) -> None:
        """The job that is at it begins to write here: what is there now is left should it break off."""
        if not any(w.data is data for w in self.written[self.since :]):
            was = still(data)
            self.written.append(Written(self.now or self.job, data, was, was))

    def ended(self, moment: float) -> None:
        """All that the job at it writes is written, and will be there at that moment if nobody else travels."""
        rest = moment - self.began - sum(leg.left / leg.alone for leg in self.legs)
        if rest > SHORTEST:
            self.legs.append(Leg(rest, 1.0))
        job = self.now or self.job
        for place, one in enumerate(self.written[self.since :], self.since):
            self.written[place] = one._replace(after=still(one.data))
        self.since = len(self.written)
        self.last_legs[job] = len(self.legs)
        self.is_there(job, moment)

    def is_there(self, job: str, moment: float) -> None:
        """What a job of it writes is whole at that moment."""
        self.until[job] = moment
        self.ends = max(self.until.values())
        self.written = [w._replace(ends=moment) if w.job == job else w for w in self.written]

    def clone(self, same: dict[int, Data]) -> "Run":
        """The same run in a copy of the lab, in which `same` are the datasets of this one."""
        return replace(
            self,
            written=[w._replace(data=same[id(w.data)]) for w in self.written if id(w.data) in same],
            until=dict(self.until),
            legs=[replace(leg) for leg in self.legs],
            last_legs=dict(self.last_legs),
        )


def still(data: Data) -> Data:
    """How it is now, apart from what comes."""
    return data.clone(Room(data.room.capacity, data.room.used))
