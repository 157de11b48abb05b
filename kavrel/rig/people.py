"""What people do to their data: the changes, the growth and the deletions that the plan expects of them."""

import random
from dataclasses import dataclass, field

from kavrel.core.plan import Dataset
from kavrel.core.quantities import DAY
from kavrel.rig.data import Data
from kavrel.rig.files import ARCHIVE, CLOCK, File, text_file

HOUR = 3600.0
MOST_PIECES = 720  # parts that are rewritten one after the other, so many hours apart
SMALL = 6
NOTE = 2_000  # bytes


@dataclass(slots=True)
class Work:
    """What is done to one dataset. `until`: how far it is done; `stopped`: nobody can work any more."""

    dataset: Dataset
    seed: int
    began: float
    until: float = 0.0
    stopped: bool = False
    _luck: random.Random = field(default_factory=random.Random)

    @property
    def piece(self) -> int:
        """Bytes that are written in an hour, another place each time; what replaces deleted files too."""
        told = self.dataset
        spread = told.change_bytes_per_day * (1 - told.repeat_share) + told.deleted_bytes_per_day
        return int(spread) // 24

    @property
    def again(self) -> int:
        """Bytes that are written in an hour, in the same places every day."""
        return int(self.dataset.change_bytes_per_day * self.dataset.repeat_share) // 24

    @property
    def pieces(self) -> int:
        """Parts that are rewritten in turn."""
        if not self.piece:
            return 0
        room = self.dataset.size_bytes - SMALL * NOTE - 24 * self.again
        return max(1, min(MOST_PIECES, room // self.piece))

    def first_notes(self) -> dict[str, File]:
        """The small files that nobody changes: what it is known by."""
        mine = f"{self.seed} {self.dataset.id}"
        return {
            f"notes/{n}.txt": File(NOTE + n, f"{mine} note {n}", self.began) for n in range(SMALL)
        }

    def first(self) -> dict[str, File]:
        """The state on the first day."""
        self.until = self.began
        mine = f"{self.seed} {self.dataset.id}"
        notes = self.first_notes()
        parts = {
            f"work/{n:03}": File(self.piece, f"{mine} part {n}", self.began)
            for n in range(self.pieces)
        }
        if self.again:
            parts |= {
                f"same/{n:02}": File(self.again, f"{mine} same {n}", self.began) for n in range(24)
            }
        rest = self.dataset.size_bytes - sum(f.size for f in (*notes.values(), *parts.values()))
        whole = {ARCHIVE: File(rest, f"{mine} archive", self.began)} if rest > 0 else {}
        return {**notes, **parts, **whole, CLOCK: text_file(f"{self.began:.0f}", self.began)}

    def go_on(self, data: Data, now: float) -> None:
        """Works up to a moment: each hour one part anew, each day what is new, the clock always.

        Raises NoRoom where the pool is full: then nothing more is written.
        """
        if self.stopped or now <= self.until:
            return
        mine, count = f"{self.seed} {self.dataset.id}", self.pieces
        grown = int(self.dataset.growth_bytes_per_year * DAY / (365.25 * DAY))
        first, last = int(self.until // HOUR), int(now // HOUR)
        for hour in range(first + 1, last + 1):
            at = hour * HOUR
            if count:
                name = f"work/{hour % count:03}"
                data.write(name, File(self.piece, f"{mine} {name} {hour}", at))
            if self.again:
                name = f"same/{hour % 24:02}"
                data.write(name, File(self.again, f"{mine} {name} {hour}", at))
            if grown and hour % 24 == self.seed % 24:
                data.write(f"new/{hour}", File(grown, f"{mine} new {hour}", at))
        data.write(CLOCK, text_file(f"{now:.0f}", now))
        self.until = now
