"""What the plan runs by itself is started, and at the plan's times: else it is said, with its ways out."""

from kavrel.core.edit import put
from kavrel.core.index import Index
from kavrel.core.plan import Job, Plan
from kavrel.core.seen.drift import drift
from kavrel.core.seen.drifted import Drift
from kavrel.core.seen.machine import SeenTask
from kavrel.demo.machines import Twist
from kavrel.formats.looks.read import read_look
from kavrel.formats.servers.bundle import host_files
from kavrel.formats.timers import crontab
from tests.core.seen.test_points import TODAY, machines
from tests.formats.looks.machines import look


def of_dipper(demo: Plan, twist: Twist) -> Drift:
    return drift(Index(demo), "dipper", machines(demo, dipper=twist)["dipper"])


def by_cron(demo: Plan, old: str = "", new: str = "") -> Drift:
    """The box with the crontab that Kavrel hands out, and no timer; a line of it as somebody changed it."""
    text = crontab(demo, "dipper", "r", TODAY)
    assert old in text
    listing = ("crontab", "/var/spool/cron/crontabs/root", text.replace(old, new))
    tasks = read_look(look("dipper", listing), 0).machine.tasks
    machine = machines(demo)["dipper"].model_copy(update={"tasks": tasks})
    return drift(Index(demo), "dipper", machine)


def test_a_timer_of_an_older_plan_is_found_with_both_ways_out(demo: Plan) -> None:
    (row,) = of_dipper(demo, Twist(at={"papers-vault": "23:30"})).differences
    assert (row.verdict, row.collection, row.about) == ("different", "jobs", "papers-vault")
    assert (row.planned, row.seen) == ("every day at 02:00", "every day at 23:30")
    assert "systemctl restart lab-papers-vault.timer  # in" in row.command
    # The script asks its own file when it may run: one without the other would start nothing.
    assert row.command.startswith("cp lab-jobs.json /etc/; ")
    # Each file is in the bundle where the command takes it from.
    handed = host_files(demo, "dipper", "r", TODAY)
    assert {"lab-jobs.json", "systemd/lab-papers-vault.timer", "nftables.conf", "lab-job"} <= set(
        handed
    )
    assert " systemd/lab-papers-vault.timer /etc/" in row.command
    assert row.change
    kept = put(demo, "jobs", Job.model_validate(row.change.item, strict=False))
    twisted = machines(demo, dipper=Twist(at={"papers-vault": "23:30"}))["dipper"]
    assert drift(Index(kept), "dipper", twisted).differences == ()


def test_a_chore_that_nothing_starts_is_missing_as_a_job_is(demo: Plan) -> None:
    """Nobody planned it by hand, and the odds count on the scrub all the same."""
    machine = machines(demo)["wren"]
    tasks = tuple(t for t in machine.tasks if t.name != "lab-upkeep-scrub-anvil")
    assert len(tasks) < len(machine.tasks)
    without = machine.model_copy(update={"tasks": tasks})
    (row,) = drift(Index(demo), "wren", without).differences
    assert (row.verdict, row.collection, row.about) == ("missing", "pools", "anvil")
    # A timer that is not there is not switched on: it is put there first.
    put, on = "cp systemd/lab-upkeep-scrub-anvil.* /etc/systemd/system/", "systemctl enable --now"
    assert put in row.command
    assert row.command.index(put) < row.command.index(on)
    handed = host_files(demo, "wren", "r", TODAY)
    assert {f"systemd/lab-upkeep-scrub-anvil.{end}" for end in ("timer", "service")} <= set(handed)
    off = machines(demo, heron=Twist(off=frozenset({"ridge-short"})))["heron"]
    (row,) = drift(Index(demo), "heron", off).differences
    assert row.command == "systemctl enable --now lab-short-tests-of-ridge.timer"


def test_a_crontab_is_held_against_the_same_times(demo: Plan) -> None:
    assert (by_cron(demo).differences, by_cron(demo).unknown) == ((), ())
    (row,) = by_cron(demo, "30 7 * * 1,4 ", "30 7 * * 1,5 ").differences
    assert (row.planned, row.seen) == ("Mon, Thu at 07:30", "Mon, Fri at 07:30")
    assert row.command.startswith("cp lab-jobs.json /etc/; crontab crontab  # from")
    # A second line, for a start that was missed, says nothing against the first.
    line = "0 2 * * * /usr/local/sbin/lab-job --cron papers-vault"
    again = line.replace("0 2 ", "17 * ")
    assert by_cron(demo, line, f"{line}\n{again}").differences == ()
    odd = by_cron(demo, line, line.replace("0 2 * * *", "7 2 1-3 * 5"))
    assert odd.differences == ()
    (why,) = odd.unknown
    assert why.endswith("when it starts, its calendar is not understood: 7 2 1-3 * 5")


def test_what_starts_and_is_no_job_is_named(demo: Plan) -> None:
    machine = machines(demo)["dipper"]
    old = SeenTask(name="lab-older", by="timer", on="*-*-* 02:00:00")
    more = machine.model_copy(update={"tasks": (*machine.tasks, old)})
    (row,) = drift(Index(demo), "dipper", more).differences
    assert (row.verdict, row.name) == ("extra", "older")
    assert row.command == "systemctl disable --now lab-older.timer"
