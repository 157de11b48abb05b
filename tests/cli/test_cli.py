import json
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import click
import pytest
from click.testing import CliRunner, Result

from kavrel.cli import COMMANDS, main
from kavrel.core.plan import Plan
from kavrel.formats.plan_file import dump, load
from kavrel.sketches import draw
from kavrel.store.database import Database
from kavrel.store.plans import Plans
from tests.builders import lab
from tests.formats.looks.machines import nas


def run(*args: str) -> Result:
    return CliRunner().invoke(main, list(args))


@pytest.fixture
def plan_path(tmp_path: Path, demo: Plan) -> str:
    path = tmp_path / "plan.json"
    path.write_text(dump(demo), encoding="utf-8")
    return str(path)


def layouts(*args: str) -> list[dict[str, Any]]:
    found = run("layouts", *args, "--json")
    assert found.exit_code == 0, found.output
    return list(json.loads(found.output)["layouts"])


def test_layouts_keep_the_keys_that_scripts_rely_on() -> None:
    rows = layouts("--disk", "4TB", "--disk", "4TB", "--disk", "4000787030016", "--disk", "4TB")
    for row in rows:
        assert {
            "family",
            "groups",
            "usable_bytes",
            "survives_any",
            "stranded_bytes",
            "rebuild_hours",
        } <= set(row)
        assert sorted(d for g in row["groups"] for d in g) == [0, 1, 2, 3]
    assert {r["family"] for r in rows} == {
        "span",
        "stripe",
        "union",
        "mirror",
        "striped_mirror",
        "raid10",
        "raid5",
        "raid6",
        "raidz1",
        "raidz2",
        "raidz3",
        "parity1",
        "parity2",
        "slices1",
        "slices2",
        "copies2",
        "copies3",
        "copies10",
        "card_mirror",
    }


def test_layouts_with_a_file_system() -> None:
    rows = {r["family"]: r for r in layouts("--disk", "4TB", "--filesystem", "ext4")}
    assert set(rows) == {"single", "span"}
    assert rows["single"]["rebuild_hours"] is None


@pytest.mark.parametrize("size", ["12,5TB", "0", "-1", "NaN", "lots", "", "999TB"])
def test_layouts_say_what_is_wrong_with_a_size(size: str) -> None:
    found = run("layouts", "--disk", size)
    assert found.exit_code == 2
    assert "--disk" in found.output


def test_evaluate_keeps_its_keys(plan_path: str) -> None:
    found = json.loads(run("evaluate", plan_path, "--json", "--today", "2026-11-24").output)
    assert {
        "usable_bytes",
        "cost_minor",
        "loss_odds_5y",
        "worst_rpo_seconds",
        "worst_rto_seconds",
        "cautions",
    } <= set(found["strip"])
    for cell in found["proof"]:
        assert {"dataset", "hazard", "fate", "rpo_seconds", "rto_seconds", "copy"} <= set(cell)
    for caution in found["cautions"]:
        assert {"rule", "severity", "about", "why"} <= set(caution)
    assert found["strip"]["cautions"] == len(found["causes"])


def test_evaluate_for_the_eye(plan_path: str) -> None:
    shown = run("evaluate", plan_path).output
    assert "RPO" in shown
    # Figures have their units: nobody reads seconds and bytes.
    assert " TB (" in shown
    assert "longest to be back (RTO)" in shown
    # What is lost at some moments only says so, and today stands beside once all runs.
    assert "% of the moments" in shown
    dated = run("evaluate", plan_path, "--today", "2026-11-24").output
    assert "as of today, where that differs:" in dated
    assert "covered never: no job copies it to other disks" in dated
    assert "without a price" not in dated  # all that the demo lab has was paid for


def test_what_nobody_wrote_a_price_at_is_no_gift(tmp_path: Path) -> None:
    path = tmp_path / "plan.json"
    path.write_text(dump(draw("two_bays", {})), encoding="utf-8")
    shown = run("evaluate", str(path), "--working").output
    assert "0 EUR, 4 things without a price" in " ".join(shown.split())
    assert "box, no price written down" in shown


@pytest.mark.parametrize("money", ["nan", "-5", "1e308", "much"])
def test_a_budget_that_is_none_is_told_at_its_option(plan_path: str, money: str) -> None:
    said = run("find", plan_path, "--budget", money)
    assert said.exit_code == 2
    assert "--budget" in said.output
    assert "Traceback" not in said.output


def test_check_fails_when_something_is_serious(plan_path: str, tmp_path: Path) -> None:
    found = run("check", plan_path, "--today", "2026-11-24")
    assert found.exit_code == 1
    assert "cautions" in found.output
    empty = tmp_path / "empty.json"
    empty.write_text(dump(Plan(name="empty")))
    assert run("check", str(empty), "--json").exit_code == 0


@pytest.mark.parametrize(
    ("what", "starts"),
    [
        ("plan.json", '{\n "format": "kavrel-plan"'),
        ("runbook.md", "# Runbook"),
        ("smb.conf", "# smb.conf of heron"),
        ("disks.csv", "label,serial"),
        ("week.ics", "BEGIN:VCALENDAR"),
        ("schema.json", "{"),
    ],
)
def test_export(plan_path: str, what: str, starts: str) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "kavrel.cli", "export", plan_path, what],
        capture_output=True,
        check=True,
    )
    assert done.stdout.decode().startswith(starts)


def test_export_for_a_host(plan_path: str) -> None:
    assert "[workshop]" in run("export", plan_path, "smb.conf", "--host", "dipper").output
    missing = run("export", plan_path, "smb.conf", "--host", "perch")
    assert missing.exit_code == 1
    assert "heron, dipper" in missing.output


def test_demo_plan_is_a_plan_file_and_schema_is_json(demo: Plan) -> None:
    assert load(run("demo-plan").output.encode()) == demo
    assert json.loads(run("schema").output)["properties"]["plan"]


@pytest.mark.parametrize("content", [b"", b"{}", b"\xff", dump(lab()).encode()[:99]])
def test_a_bad_plan_file_is_a_message_and_no_traceback(tmp_path: Path, content: bytes) -> None:
    path = tmp_path / "bad.json"
    path.write_bytes(content)
    found = run("check", str(path))
    assert found.exit_code == 1
    assert found.output.startswith("Error: ")
    assert run("check", str(tmp_path / "missing.json")).exit_code == 1


def test_backup(tmp_path: Path) -> None:
    source = tmp_path / "none.db"
    found = run("backup", str(tmp_path / "copy.db"), "--database", str(source))
    assert found.exit_code == 1
    assert "no database" in found.output


def test_find_names_what_it_keeps_and_what_it_weighed(plan_path: str) -> None:
    found = run("find", plan_path, "--disk", "D10", "--disk", "D11", "--disk", "d12", "--bays", "3")
    assert found.exit_code == 0, found.output
    assert "weighed" in found.output
    assert "refurbished or worn" in found.output
    answer = json.loads(run("find", plan_path, "--disk", "D10", "--disk", "D11", "--json").output)
    assert answer["found"]["proposals"]


def test_find_says_which_target_cannot_be_had(plan_path: str) -> None:
    found = run("find", plan_path, "--usable", "90TB")
    assert "not to be had: usable 90.00 TB" in found.output
    unknown = run("find", plan_path, "--disk", "D99")
    assert unknown.exit_code == 1
    assert "no D99 among the disks" in unknown.output
    assert run("find", plan_path, "--usable", "much").exit_code == 2


def test_buy_starts_with_the_least_money(plan_path: str) -> None:
    found = run("buy", plan_path, "--usable", "20TB", "--survive", "2")
    assert found.exit_code == 0, found.output
    assert "The least money" in found.output.splitlines()[0]
    none = run("buy", plan_path, "--usable", "20TB", "--budget", "10")
    assert none.exit_code == 1
    assert "no purchase for that money" in none.output


def test_odds_growth_and_power_print_their_figures(plan_path: str) -> None:
    odds = run("odds", plan_path, "--pool", "ridge", "--years", "2", "--lifetimes", "2000")
    assert "95 % interval" in odds.output
    assert "a hot spare in a bay" in odds.output
    ahead = run("growth", plan_path, "burrow", "--years", "2")
    assert "cheapest plan" in ahead.output
    assert "pairs of mirrors" in ahead.output
    assert "kWh a year" in run("power", plan_path).output


def test_shuffle_prints_boxes_to_tick_with_the_copies_left(plan_path: str) -> None:
    found = run("shuffle", plan_path)
    assert found.exit_code == 0, found.output
    assert "[ ] 1. Copy field recordings" in found.output
    assert "wipes a disk for good" in found.output
    assert "back out:" in found.output
    steps = json.loads(run("shuffle", plan_path, "--json").output)["shuffle"]["steps"]
    assert steps[0]["verb"] == "copy"


def test_reach_cards_and_differences_from_a_shell(plan_path: str, tmp_path: Path) -> None:
    assert "signs in to vault" in run("reach", plan_path, "--who", "courier").output
    only = json.loads(run("reach", plan_path, "--dataset", "negative scans", "--json").output)
    assert {r["dataset"] for r in only} == {"scans"}
    assert "net use Z:" in run("cards", plan_path, "--who", "ines").output
    plan = load(Path(plan_path).read_bytes())
    other = tmp_path / "other.json"
    other.write_text(dump(plan.model_copy(update={"grants": plan.grants[1:]})), encoding="utf-8")
    found = run("access-diff", plan_path, str(other))
    assert "ines loses smb archive: write to none" in found.output


def test_read_says_what_differs(plan_path: str, tmp_path: Path) -> None:
    path = tmp_path / "exports"
    path.write_text("/srv/nowhere 10.0.0.1(rw)\n")
    found = run("read", plan_path, str(path), "--as", "exports", "--host", "heron")
    assert found.exit_code == 0, found.output
    assert "the plan has no dataset at /srv/nowhere" in found.output
    assert "differs: export scans is in the plan and not in the file" in found.output
    assert run("read", plan_path, "/nowhere", "--as", "fstab", "--host", "heron").exit_code == 1


def test_points_say_by_which_rule_they_stay(plan_path: str) -> None:
    found = run(
        "points", plan_path, "mill snapshots", "--on", "2026-11-24", "--today", "2026-11-24"
    )
    lines = found.output.splitlines()
    assert lines[0].endswith("keeps one a day for 14 days, one a week until 60 days")
    assert len(lines) > 20
    assert "newest until the next" in lines[-1]
    assert all("until" in x or "newest" in x for x in lines[1:])
    none = run("points", plan_path, "scrub of ridge")
    assert (none.exit_code, "it keeps nothing" in none.output) == (1, True)


def test_back_space_and_first_from_a_shell(plan_path: str) -> None:
    back = ("back", plan_path, "negative scans", "--lost", "2026-11-04", "--today", "2026-11-24")
    found = run(*back, "--written", "2026-09-25", "--noticed", "2026-11-24")
    assert found.exit_code == 0, found.output
    assert "-> ridge to the mill" in found.output
    wrong = run(*back, "--written", "2026-12-25", "--noticed", "2026-11-24")
    assert wrong.exit_code != 0
    assert "lost on or after" in wrong.output
    space = run("space", plan_path, "ridge", "--today", "2026-11-24")
    assert "points  ridge snapshots" in space.output
    first = run("first", plan_path, "ridge to the mill", "--today", "2026-11-24")
    assert [line.split("  ")[0] for line in first.output.splitlines()] == [
        "side by side",
        "carried",
        "over link",
    ]
    assert run("first", plan_path, "ridge snapshots").exit_code != 0


def test_figures_print_how_they_came_about(plan_path: str) -> None:
    on = ("--today", "2026-11-24")
    cell = run("cell", plan_path, "negative scans", "box_lost", *on)
    assert cell.exit_code == 0, cell.output
    assert "newest point that helps: " in cell.output
    assert "assumed (order_box_hours), " in cell.output
    assert "replace: replace box and disks: 72 h" in cell.output
    assert (
        "no hazard flood; there are: one_disk, "
        in run("cell", plan_path, "negative scans", "flood").output
    )
    steps = run("ladder", plan_path, "--working", *on).output
    assert "negative scans             3 copies, 3 boxes, 1 elsewhere; lacks a restore" in steps
    assert "= on the same disks as negative scans; the source can delete it; never tried" in steps
    for command in ("evaluate", "nights", "arrange", "power"):
        plain = run(command, plan_path, *(on if command != "power" else ()))
        more = run(command, plan_path, "--working", *(on if command != "power" else ()))
        assert more.exit_code == 0, more.output
        assert more.output.startswith(plain.output[:40])
        assert len(more.output) > len(plain.output) + 400


def test_arrange_writes_the_plan_that_it_found(plan_path: str, tmp_path: Path) -> None:
    out = tmp_path / "arranged.json"
    found = run("arrange", plan_path, "--write", str(out), "--today", "2026-11-24")
    assert found.exit_code == 0, found.output
    assert "papers vault: 02:00 ->" in found.output
    again = run("arrange", str(out), "--today", "2026-11-24")
    assert "before: 0 overlaps" in again.output
    better = run("against", str(out), plan_path, "--today", "2026-11-24")
    assert better.exit_code == 0


def test_nights_lab_and_pairs_from_a_shell(plan_path: str) -> None:
    nights = run("nights", plan_path, "--days", "40", "--today", "2026-11-24")
    assert "h busy" in nights.output
    lab_ = run("lab", plan_path, "--lifetimes", "1000", "--json", "--today", "2026-11-24")
    assert json.loads(lab_.output)["lives"]["lifetimes"] == 1000
    pairs = run("pairs", plan_path, "--today", "2026-11-24")
    assert "fire at its site + key lost" in pairs.output
    # What is lost for good is all lost, and never back.
    gone = [line for line in pairs.output.splitlines() if line[86:].startswith("lost ")]
    assert gone
    assert all(line.endswith("loses all, back never") for line in gone)


@pytest.mark.parametrize("paper", ["crontab", "if-something-happens.md", "timers.zip"])
def test_the_papers_of_copies_are_written(plan_path: str, tmp_path: Path, paper: str) -> None:
    found = subprocess.run(
        [sys.executable, "-m", "kavrel.cli", "export", plan_path, paper],
        capture_output=True,
        check=False,
        cwd=tmp_path,
    )
    assert found.returncode == 0, found.stderr
    assert len(found.stdout) > 400


def test_money_that_is_estimated_is_no_hundredth_of_itself() -> None:
    from kavrel.cli.working import shown
    from kavrel.core.assumptions import Assumptions

    found = Assumptions(lab()).step("irreplaceable_money")
    assert shown(lab(), found) == "20,000 EUR"


def test_the_list_of_commands_is_what_they_say_of_themselves() -> None:
    for name, entry in COMMANDS.items():
        command = main.get_command(click.Context(main), name)
        assert command is not None
        assert command.name == name
        assert command.get_short_help_str(300) == entry.does
    listed = run("--help").output
    assert all(f"\n  {name} " in listed for name in COMMANDS)
    assert run("nonsense").exit_code == 2


@pytest.mark.parametrize(
    ("args", "never"),
    [
        (("--help",), ("kavrel.core", "numpy", "scipy", "pydantic")),
        (("serve", "--help"), ("numpy", "scipy")),
        (("layouts", "--disk", "4TB"), ("scipy.stats", "scipy.optimize", "kavrel.api")),
    ],
)
def test_only_what_a_command_needs_is_loaded(args: tuple[str, ...], never: tuple[str, ...]) -> None:
    script = (
        "import sys; from kavrel.cli import main; main(sys.argv[1:], standalone_mode=False); "
        "print(*sys.modules, sep='\\n', file=sys.stderr)"
    )
    found = subprocess.run(
        [sys.executable, "-c", script, *args], capture_output=True, text=True, check=True
    )
    loaded = set(found.stderr.split())
    assert not loaded & set(never)


def test_a_look_is_taken_over_held_against_the_plan_and_kept(tmp_path: Path) -> None:
    before, after, seen = (str(tmp_path / n) for n in ("before.json", "after.json", "look.json"))
    Path(before).write_text(dump(Plan(name="mine")), encoding="utf-8")
    Path(seen).write_bytes(nas())
    taken = run("take", before, seen, "--out", after)
    assert taken.exit_code == 0, taken.output
    assert "new      disk      nas H1" in taken.output
    assert "(a guess: " in taken.output
    same = run("drift", after, seen)
    assert (same.exit_code, "0 differ" in same.output) == (0, True)
    Path(seen).write_bytes(nas().replace(b"state: ONLINE", b"state: DEGRADED"))
    worse = run("drift", after, seen)
    assert (worse.exit_code, "! different tank, state" in worse.output) == (1, True)
    assert json.loads(run("drift", after, seen, "--json").output)["differences"][0]["urgent"]
    assert "name one with --host" in run("drift", before, seen).output
    database = tmp_path / "lab.db"
    assert "no such database" in run("observe", seen, "--database", str(database)).output
    store = Database(database)
    Plans(store, lambda: datetime.now(UTC)).create(load(Path(after).read_bytes()), "taken")
    locked = run("observe", seen, "--database", str(database))
    assert "a running server takes looks" in locked.output
    store.close()
    kept = run("observe", seen, "--database", str(database))
    assert kept.exit_code == 0, kept.output
    assert "look 1 at nas" in kept.output
    assert "it was there already" in run("observe", seen, "--database", str(database)).output
