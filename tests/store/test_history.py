"""Undo, redo, pin and restore against a plain model of the same, over random histories."""

from pathlib import Path
from tempfile import TemporaryDirectory

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from kavrel.core.edit import put
from kavrel.core.plan import Plan
from kavrel.store.database import Database
from kavrel.store.plans import NoSuchRevision, Plans
from tests.builders import disk, lab
from tests.conftest import NOW


class History(RuleBasedStateMachine):
    """The store beside a list of revisions with their parents."""

    def __init__(self) -> None:
        super().__init__()
        self.folder = TemporaryDirectory()
        self.database = Database(Path(self.folder.name) / "h.db")
        self.plans = Plans(self.database, lambda: NOW)
        self.key = self.plans.create(lab(), "new")
        self.made: list[tuple[int | None, Plan]] = [(None, lab())]  # parent, plan
        self.head = 1

    def _plan(self) -> Plan:
        return self.made[self.head - 1][1]

    @rule(number=st.integers(1, 3), batch=st.sampled_from(["", "A", "B", "C"]))
    def change(self, number: int, batch: str) -> None:
        wanted = put(self._plan(), "disks", disk(number, batch=batch))
        self.plans.change(
            self.key,
            self.head,
            ("disks", f"box{number}"),
            lambda plan: (put(plan, "disks", disk(number, batch=batch)), "batch"),
        )
        if wanted != self._plan():
            self.made.append((self.head, wanted))
            self.head = len(self.made)

    @rule()
    def undo(self) -> None:
        parent = self.made[self.head - 1][0]
        try:
            self.plans.move(self.key, self.head, "undo")
        except NoSuchRevision:
            assert parent is None
        else:
            assert parent is not None
            self.head = parent

    @rule()
    def redo(self) -> None:
        children = [n for n, (parent, _) in enumerate(self.made, 1) if parent == self.head]
        try:
            self.plans.move(self.key, self.head, "redo")
        except NoSuchRevision:
            assert children == []
        else:
            self.head = max(children)

    @precondition(lambda self: len(self.made) > 1)
    @rule(data=st.data())
    def restore(self, data: st.DataObject) -> None:
        number = data.draw(st.integers(1, len(self.made)))
        old = self.plans.at(self.key, number)
        assert old == self.made[number - 1][1]
        before = self._plan()
        self.plans.change(self.key, self.head, None, lambda _: (old, "restored"))
        if old != before:
            self.made.append((self.head, old))
            self.head = len(self.made)

    @invariant()
    def the_tables_hold_the_head(self) -> None:
        self.plans._cache.clear()
        row, plan = self.plans.head(self.key)
        assert row.head == self.head
        assert plan == self._plan()
        assert row.can_undo == (self.made[self.head - 1][0] is not None)

    def teardown(self) -> None:
        self.database.close()
        self.folder.cleanup()


TestHistory = History.TestCase
TestHistory.settings = settings(max_examples=8, stateful_step_count=12, deadline=None)
