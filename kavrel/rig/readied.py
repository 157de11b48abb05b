"""Labs lived through once for a plan and kept: for a drill's next step, or as they fared."""

import atexit
from collections import OrderedDict
from contextlib import ExitStack
from datetime import datetime
from threading import Lock

from kavrel.core.kept import Kept
from kavrel.core.plan import Plan
from kavrel.rig.drilling import Drilling
from kavrel.rig.live import Lived, lived, rig

MOST = 2
RUNS_KEPT = 8
LIVED_DAYS = 12


class Readied:
    """Drillings by plan and revision; the folders of those let go are removed."""

    def __init__(self) -> None:
        self._known: OrderedDict[tuple[str, int], tuple[ExitStack, Drilling]] = OrderedDict()
        self._lock = Lock()
        atexit.register(self.close)  # a server that stops leaves no folder behind

    def of(self, key: tuple[str, int], plan: Plan, began: datetime) -> Drilling:
        """The lab of a plan at a revision, lived through up to the night. Raises CannotBuild."""
        with self._lock:
            kept = self._known.get(key)
            if kept is not None:
                self._known.move_to_end(key)
                return kept[1]
            stack = ExitStack()
            days = stack.enter_context(rig(plan, began, made=False))
            days.until(days.lab.now + LIVED_DAYS * 86_400)
            self._known[key] = stack, Drilling(days)
            while len(self._known) > MOST:
                self._known.popitem(last=False)[1][0].close()
            return self._known[key][1]

    def close(self) -> None:
        """Lets all go."""
        with self._lock:
            for stack, _ in self._known.values():
                stack.close()
            self._known.clear()


class Runs:
    """Runs that were made, by plan, revision, day and length: the same is not run twice."""

    def __init__(self) -> None:
        self._kept: Kept[tuple[str, int, str, int], Lived] = Kept(RUNS_KEPT)
        self._lock = Lock()

    def of(self, key: tuple[str, int, str, int], plan: Plan, began: datetime) -> Lived:
        """Runs it, one at a time. Raises CannotBuild."""
        with self._lock:
            kept = self._kept.get(key)
            if kept is None:
                with rig(plan, began, scripts=True) as days:
                    kept = lived(days, key[3])
                self._kept.put(key, kept)
            return kept
