"""What is typed stands between marks, whole and alone, in every paper of every layout."""

import re
import shlex

from hypothesis import given
from hypothesis import strategies as st

from kavrel.core.evaluate import evaluate
from kavrel.core.paper.document import Document
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.paper.runbook import runbook
from kavrel.core.typed import commands, pieces, typed
from kavrel.demo import demo_plan
from tests.builders import TODAY
from tests.rig.test_found import layouts


def texts(paper: Document) -> list[str]:
    return [
        text
        for s in paper.sections
        for text in (
            s.title, s.intro, *(t for f in s.facts for t in (f.text, *f.how)),
            *(t for step in s.steps for t in (step.text, *step.minds)),
        )
    ]  # fmt: skip


# Words that a sentence begins with and no command of a shell does.
PROSE = re.compile(r"(^|[;|&] *)(then|and|see|look|the|it|where|once|with)\b")
BARE = re.compile(
    r"\b(zfs (list|send|receive|clone|rename|rollback|destroy|mount|load-key)|mdadm [-/]|sh setup"
    r"|zpool (status|import|export|offline|replace|scrub|clear)|cryptsetup (open|close|luks)|mount [-/]"
    r"|btrfs (filesystem|device|replace|balance|scrub|subvolume|send|receive)|mkfs\.|setfacl|chown -"
    r"|snapraid -|rsync -|findmnt|lab-job (-|overdue|list|upkeep)|smartctl -|systemctl [a-z-]+ [a-z])"
)


def test_no_command_is_cut_and_none_stands_bare() -> None:
    plans = [demo_plan(), *(plan for *_, plan in layouts())]
    found = set()
    for plan in plans:
        evaluation = evaluate(plan, TODAY)
        for paper in (restore_sheet(plan, evaluation, "r"), runbook(plan, evaluation, "r")):
            for text in texts(paper):
                some = commands(text)
                assert text.count("`") == 2 * len(some), text
                for command in some:
                    assert shlex.split(command), text
                    assert not PROSE.search(command), text
                    found.add(command.split()[0])
                words = "".join(piece for is_typed, piece in pieces(text) if not is_typed)
                assert not BARE.search(words), text
    assert found >= {"zfs", "zpool", "mdadm", "btrfs", "cryptsetup", "lab-job", "sh", "systemctl"}


@given(st.lists(st.text("ab -;|'$x", min_size=1).map(str.strip).filter(bool), min_size=1))
def test_what_was_marked_is_found_again(some: list[str]) -> None:
    assert commands(f"before: {typed(*some)}, after") == some
    assert "".join(piece for _, piece in pieces(f"({typed(some[0])}).")) == f"({some[0]})."
