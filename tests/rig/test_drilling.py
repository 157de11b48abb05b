"""Drills: wrong steps have their consequence, right ones bring all back that could be had."""

from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from time import perf_counter

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.plan import Plan
from kavrel.core.proof.cell import Cell
from kavrel.rig.drilling import BEGUN_KEPT, HANDS, Drilling, DrillStep, Played, verdict
from kavrel.rig.drills import BY_ID, DRILLS
from kavrel.rig.live import rig

BEGAN = datetime(2026, 11, 24, tzinfo=UTC)


@pytest.fixture(scope="module")
def drilling(demo: Plan) -> Iterator[Drilling]:
    with rig(demo, BEGAN) as days:
        days.until(days.lab.now + 6 * 86_400)
        yield Drilling(days)


@pytest.fixture(scope="module")
def cells(demo: Plan) -> tuple[Cell, ...]:
    return evaluate(demo, BEGAN.date()).proof


def hands(line: str) -> DrillStep:
    return DrillStep(HANDS, line)


def played(
    drilling: Drilling, drill: str, cells: tuple[Cell, ...], *steps: DrillStep, seed: int = 0
) -> Played:
    return drilling.play(BY_ID[drill], seed, steps, cells, True)


@pytest.mark.parametrize("drill", [d.id for d in DRILLS])
def test_each_drill_has_something_to_see_and_to_do(
    drill: str, drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    assert len(DRILLS) == 19
    for seed in (0, 1):
        found = played(drilling, drill, cells, seed=seed)
        assert found.sees
        assert found.left, "nothing to do"
        assert found.outcomes
        assert verdict(found).startswith("not over")


def test_the_page_that_a_drill_names_is_on_the_restore_sheet(demo: Plan) -> None:
    sheet = restore_sheet(demo, evaluate(demo, BEGAN.date()), "revision 1")
    titles = {s.title.partition(":")[0] for s in sheet.sections}
    assert {d.page for d in DRILLS} <= titles


def test_the_wrong_disks_pulled_take_the_pool_and_the_step_is_named(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    looked = DrillStep("heron", "zpool status ridge")
    found = played(drilling, "one_disk", cells, looked, hands("pull d2"), hands("pull d3"))
    assert "ata-LR-4137  FAULTED" in found.done[0].out
    assert "the pool is gone" in found.done[2].out
    assert {o.worse_step for o in found.outcomes} == {2}
    assert {(o.best_seconds, o.lost_seconds) for o in found.outcomes} == {(0.0, None)}


def test_a_cable_that_came_off_is_plugged_in_and_no_disk_is_bought(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    looked = DrillStep("heron", "zpool status ridge")
    mended = played(drilling, "cable_off", cells, looked, hands("reseat d1"))
    assert "FAULTED" in mended.done[0].out
    assert mended.left == ()
    assert {o.lost_seconds for o in mended.outcomes} == {0.0}
    bought = played(
        drilling,
        "cable_off",
        cells,
        hands("pull d1"),
        hands("buy ridge"),
        DrillStep("heron", "zpool replace ridge LR-4137 NEW-0001"),
    )
    assert "It was whole." in bought.done[0].out
    assert bought.left == ()
    assert bought.hours > mended.hours + 24, "a new disk takes days to come"
    # A disk that is dead is not mended by its cable.
    dead = played(drilling, "one_disk", cells, hands("reseat d1"))
    assert "it is not the cable" in dead.done[0].out
    assert dead.left
    # What is pulled as well takes the pool, though nothing was broken.
    lost = played(drilling, "cable_off", cells, hands("pull d2"), hands("pull d3"))
    assert "the pool is gone" in lost.done[1].out
    assert {o.worse_step for o in lost.outcomes} == {1}


def test_errors_that_are_reported_are_a_plug_and_not_the_disk(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    """Where the errors come from stands in the disk's own words: 199 counts what its cable spoiled."""
    asked = [DrillStep("heron", "zpool status -v ridge")]
    asked += [DrillStep("heron", f"smartctl -a /dev/disk/by-id/ata-LR-{n}") for n in (4137, 4322)]
    again = [DrillStep("heron", line) for line in ("zpool clear ridge", "zpool scrub -w ridge")]
    looked = DrillStep("heron", "zpool status -x ridge")
    found = played(drilling, "errors", cells, *asked, hands("reseat d6"), *again, looked)
    assert "scrub of ridge failed" in found.sees
    assert "has experienced an unrecoverable error" in found.done[0].out
    (line,) = [row for row in found.done[0].out.splitlines() if "LR-4322" in row]
    assert line.split() == ["ata-LR-4322", "ONLINE", "0", "0", "412"]
    crc = [
        d.out.partition("UDMA_CRC_Error_Count")[2].split("\n")[0].split()[-1]
        for d in found.done[1:3]
    ]
    assert int(crc[1]) > int(crc[0]) + 1000
    assert "askew" in found.done[3].out
    assert "is healthy" in found.done[6].out
    assert (found.left, {o.lost_seconds for o in found.outcomes}) == ((), {0.0})
    # Cleared counters mend no plug: the next scrub counts anew.
    hidden = played(drilling, "errors", cells, again[0])
    assert "nothing has read all of it since" in hidden.left[0]
    # Neither is it over before all of it was read, whatever was done.
    blind = played(drilling, "errors", cells, hands("reseat d6"), again[0])
    assert blind.left == hidden.left
    wrong = played(drilling, "errors", cells, *again, looked)
    assert wrong.left == ("pool ridge counts errors",)
    assert "is healthy" not in wrong.done[2].out
    other = played(drilling, "errors", cells, hands("reseat d1"), *again)
    assert "it is not the cable" in other.done[0].out
    assert other.left
    bought = [
        hands("pull d6"), hands("buy ridge"), DrillStep("heron", "zpool replace ridge LR-4322 NEW-0001")
    ]  # fmt: skip
    replaced = played(drilling, "errors", cells, *bought)
    assert (replaced.left, "It was whole." in replaced.done[0].out) == ((), True)
    assert replaced.hours > found.hours + 24
    lost = played(drilling, "errors", cells, *(hands(f"pull d{n}") for n in (1, 2, 3)))
    assert "the pool is gone" in lost.done[2].out


def test_whoever_copies_before_filling_a_new_disk_loses_nothing_when_the_next_one_dies(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    assert drilling.target(BY_ID["ailing"], 0) == "anvil"
    filled = [hands("buy anvil"), DrillStep("wren", "zpool replace anvil SX-711 NEW-0001")]
    looked = DrillStep("wren", "smartctl -a /dev/disk/by-id/ata-SX-722")
    rash = played(
        drilling, "ailing", cells, looked, *filled, DrillStep("wren", "zpool status anvil")
    )
    assert "Current_Pending_Sector" in rash.done[0].out
    assert "96" in rash.done[0].out
    assert {o.worse_step for o in rash.outcomes} == {2}, "while it was filled the other died"
    assert rash.left
    copied = [
        DrillStep("wren", "lab-job machine-images-to-ridge"),
        DrillStep("wren", "lab-job anvil-snapshots"),
        DrillStep("heron", "lab-job ledger-every-night"),
    ]
    wise = played(drilling, "ailing", cells, *copied, *filled)
    assert {d.code for d in wise.done} == {0}
    assert {o.worse_step for o in wise.outcomes} == {None}


def test_the_disk_that_all_wait_for_is_found_by_its_own_word(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    asked = [DrillStep("heron", f"smartctl -a /dev/disk/by-id/ata-LR-{n}") for n in (4137, 4322)]
    bought = hands("buy ridge")
    found = played(
        drilling, "slow_disk", cells, *asked, bought,
        DrillStep("heron", "zpool replace ridge LR-4322 NEW-0001"),
    )  # fmt: skip
    assert ["1912" in done.out for done in found.done[:2]] == [False, True]
    assert (found.left, {o.lost_seconds for o in found.outcomes}) == ((), {0.0})
    other = DrillStep("heron", "zpool replace ridge LR-4137 NEW-0001")
    assert played(drilling, "slow_disk", cells, bought, other).left == (
        "pool ridge waits for one of its disks",
    )


def test_a_box_whose_mails_get_lost_is_made_to_speak_again(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    healed = (
        hands("pull d1"),
        hands("buy ridge"),
        DrillStep("heron", "zpool replace ridge LR-4137 NEW-0001"),
        hands("mail heron"),
    )
    silent = played(drilling, "no_mail", cells, *healed)
    assert silent.done[-1].out.startswith("Nothing came of heron")
    assert silent.left == ("nobody would be told of the next one",)
    assert "mails of heron arrive nowhere" in drilling.told(BY_ID["no_mail"], 0).truth
    told = played(drilling, "no_mail", cells, *healed, hands("relay heron"), hands("mail heron"))
    assert (told.done[-1].code, told.left) == (0, ())


def test_by_a_clock_years_back_nothing_is_copied_and_nothing_is_lost(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    looked = [DrillStep("heron", "date"), DrillStep("heron", "lab-job ridge-snapshots")]
    refused = played(drilling, "clock", cells, *looked)
    assert "2015" in refused.done[0].out
    assert "the clock of this box says 2015" in refused.done[1].out
    assert refused.left == ("the clock of heron is wrong",)
    there = DrillStep("heron", "zfs list -H -t snapshot -o name ridge/negative-scans")
    # Set by hand, then its jobs run: only what had its time goes.
    righted = played(drilling, "clock", cells, there, hands("set heron"), *looked, there)
    first, last = (righted.done[n].out.split() for n in (0, -1))
    assert last[-1] not in first
    assert 0 < len(set(first) - set(last)) < 5
    assert righted.left == ()
    # Somebody only says that it is right.
    said = played(drilling, "clock", cells, DrillStep("heron", "lab-job clock"), *looked, there)
    assert "2015" in said.done[0].out
    assert set(said.done[-1].out.split()) > set(first)
    assert said.left == ("the clock of heron is wrong",)


def test_a_job_that_copies_nothing_leaves_less_than_the_plan_promises(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    promised = max(
        c.rpo_seconds or 0 for c in cells if (c.dataset, c.hazard) == ("scans", "box_lost")
    )
    found = played(drilling, "hollow", cells)
    (scans,) = [o for o in found.outcomes if o.dataset == "scans"]
    assert scans.best_seconds is not None
    assert scans.best_seconds > promised + 3 * 86_400
    other = played(drilling, "hollow", cells, hands("list heron"), seed=1)
    assert "In the file of ledger-every-night no dataset stood" in other.done[0].out
    again = "what went wrong before it would go wrong again"
    assert (again in found.left, again in other.left) == (True, False)


def test_the_dead_disk_replaced_heals_and_nothing_is_lost(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    found = played(
        drilling,
        "one_disk",
        cells,
        hands("pull d1"),
        hands("buy ridge"),
        DrillStep("heron", "zpool replace ridge LR-4137 NEW-0001"),
        DrillStep("heron", "zpool status -x ridge"),
    )
    assert found.done[-1].out == "pool 'ridge' is healthy\n"
    assert found.left == ()
    assert verdict(found).endswith("0 s of work lost, and no more could be had")
    assert {o.worse_step for o in found.outcomes} == {None}


def test_after_a_power_cut_boxes_are_started_and_pools_are_opened(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    half = played(drilling, "power_cut", cells, hands("start heron"), hands("start wren"))
    assert "Locked: ridge" in half.done[0].out
    assert "pool ridge is locked" in half.left
    whole = played(
        drilling, "power_cut", cells, *(d.step for d in half.done), hands("unlock ridge")
    )
    assert whole.left == ()
    assert whole.planned
    assert verdict(whole).startswith("over after")


def test_a_burnt_box_comes_back_by_the_sheets_own_lines(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    listing = "zfs list -H -t snapshot -o name burrow/ridge-to-the-mill/{}"
    steps = [hands("renew heron")]
    for name in ("negative-scans", "choir-tapes"):
        looked = played(
            drilling, "box_lost", cells, *steps, DrillStep("dipper", listing.format(name))
        )
        newest = looked.done[-1].out.split()[-1]
        steps.append(
            DrillStep("dipper", f"zfs send {newest} | ssh heron zfs receive -u ridge/{name}-back")
        )
        assert played(drilling, "box_lost", cells, *steps).left, (
            "nobody can open it before it is mounted"
        )
        steps.append(DrillStep("heron", f"zfs mount ridge/{name}-back"))
    found = played(drilling, "box_lost", cells, *steps)
    assert [d.code for d in found.done] == [0] * 5
    assert found.left == ()
    # Each figure is worked out before one's eyes: hours by steps, work lost by the states that are there.
    worked = found.hours_working
    assert worked.value == pytest.approx(found.hours)
    assert sum(float(i.value or 0) for i in worked.inputs) == pytest.approx(found.hours)
    assert [i.assumption for i in worked.inputs[0].inputs] == ["order_box_hours"]
    for one in found.outcomes:
        for seconds, working in (
            (one.lost_seconds, one.lost_working),
            (one.best_seconds, one.best_working),
        ):
            assert working.value == seconds
        struck, *states = one.lost_working.inputs
        assert struck.name == "the moment at which it happened"
        assert any("-back on heron" in s.name for s in states)
        assert any("of ridge to the mill" in s.name for s in one.best_working.inputs)
    # 7 TB over 100 Mbit/s: longer than by fetching the box, and the same work lost.
    assert found.hours > 200
    assert {o.lost_seconds for o in found.outcomes} == {o.best_seconds for o in found.outcomes}
    fetched = played(drilling, "box_lost", cells, hands("carry"), *steps)
    assert fetched.left == ()
    assert fetched.hours < found.hours / 2


def test_destroying_the_last_copy_is_seen_at_once(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    gone = DrillStep("dipper", "zfs destroy -r burrow/ridge-to-the-mill")
    found = played(drilling, "box_lost", cells, gone)
    assert {o.worse_step for o in found.outcomes} == {0}


@pytest.mark.parametrize(
    ("at", "line", "says"),
    [
        ("heron", "rm -rf / ; echo", "this console is no shell"),
        ("heron", "zfs list > /etc/passwd", "this console is no shell"),
        ("heron", "cat $(whoami)", "this console is no shell"),
        ("heron", "cat 'open", "Syntax error"),
        ("heron", "frobnicate", "sh: 1: frobnicate: not found"),
        ("heron", "ssh nowhere true", "Could not resolve hostname"),
        ("nobody", "ls", "there is no console"),
        (HANDS, "pull nothing", "that disk is not in a box"),
        (HANDS, "dance", "hands cannot do that"),
        (HANDS, "", "hands cannot do that"),
        (HANDS, "restore nothing scans", "there is no such copy"),
        ("heron", "sh -c id", "knows no scripts"),
        ("heron", "python3 -c 1", "not found"),
    ],
)
def test_what_cannot_be_done_says_so_and_touches_nothing(
    at: str, line: str, says: str, drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    passwd = Path("/etc/passwd").read_bytes()
    found = played(drilling, "one_disk", cells, DrillStep(at, line))
    assert found.done[0].code
    assert says.lower() in found.done[0].out.lower()
    assert Path("/etc/passwd").read_bytes() == passwd


def test_the_real_script_answers_on_the_console(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    found = played(
        drilling,
        "deleted",
        cells,
        DrillStep("heron", "lab-job list"),
        DrillStep("heron", "lab-job ridge-snapshots"),
        DrillStep("perch", "lab-job list"),
    )
    assert "ridge-to-the-mill: replication" in found.done[0].out
    assert [d.code for d in found.done[:2]] == [0, 0]
    assert found.done[2].code


def test_nights_that_were_played_leave_their_room(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    for seed in range(8):
        played(drilling, "one_disk", cells, seed=seed)
    kept = [p for p in drilling.lab.folder.parent.iterdir() if p.name.startswith("begun-")]
    assert len(kept) <= BEGUN_KEPT


def test_the_same_steps_give_the_same_drill_and_are_quick(
    drilling: Drilling, cells: tuple[Cell, ...]
) -> None:
    steps = (hands("pull d1"), DrillStep("heron", "zpool status ridge"))
    one, two = (played(drilling, "one_disk", cells, *steps) for _ in range(2))
    assert one == two
    before = perf_counter()
    drilling.play(BY_ID["one_disk"], 0, steps, cells, False)
    assert perf_counter() - before < 5  # that it hangs on nothing; `make bench` measures it
