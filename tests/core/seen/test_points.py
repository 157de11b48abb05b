"""Points that exist under the planned ones, and what the proof says by them."""

from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Plan, Retention, Schedule
from kavrel.core.pools.pool import pool_states
from kavrel.core.proof.cell import Cell
from kavrel.core.proof.proof import prove_found
from kavrel.core.proof.today import NEVER
from kavrel.core.seen.drift import drift
from kavrel.core.seen.machine import Machine, SeenPoints
from kavrel.core.seen.points import Finder, FoundPoints
from kavrel.core.shares.access import access_matrix
from kavrel.core.week.nights import scheduled_book
from kavrel.demo.history import looks
from kavrel.demo.machines import Stand, Twist
from kavrel.formats.looks.read import read_look
from tests import builders

AT = datetime(2026, 11, 24, 6, 30, tzinfo=UTC)
TODAY = AT.date()


def machines(plan: Plan, at: datetime = AT, **twists: Twist) -> dict[str, Machine]:
    index = Index(plan)
    book = scheduled_book(index, pool_states(index), at.date())
    return {
        h.id: read_look(Stand(book, h.id, at, twists.get(h.id, Twist())).look(), 0).machine
        for h in plan.hosts
    }


def finder(plan: Plan, seen: dict[str, Machine], today: date = TODAY) -> Finder:
    index = Index(plan)
    return Finder(scheduled_book(index, pool_states(index), today), seen)


def row(plan: Plan, seen: dict[str, Machine], job: str, dataset: str) -> FoundPoints:
    return finder(plan, seen).found(Index(plan).jobs[job], dataset)


def cells(plan: Plan, seen: dict[str, Machine]) -> dict[tuple[str, str], Cell]:
    """The proof as found, whole."""
    index = Index(plan)
    book = scheduled_book(index, pool_states(index), TODAY)
    settled = evaluate(plan, TODAY).proof
    matrix = access_matrix(index, TODAY)
    other = prove_found(index, book, matrix, settled, Finder(book, seen).standings())
    whole = {(c.dataset, c.hazard): c for c in settled}
    return whole | {(c.dataset, c.hazard): c for c in other}


def test_machines_as_planned_differ_in_nothing(demo: Plan) -> None:
    for host, machine in machines(demo).items():
        found = drift(Index(demo), host, machine)
        assert found.differences == ()
        assert found.unknown == ()


def test_points_as_planned_are_all_there(demo: Plan) -> None:
    found = finder(demo, machines(demo))
    for job in demo.jobs:
        if KINDS[job.kind].copies:
            for dataset in job.datasets:
                one = found.found(job, dataset)
                assert one.late_seconds == 0, one.why
                if one.how == "seen":
                    assert (one.missing, one.too_many, one.there) == (0, 0, one.planned)


def test_three_nights_that_did_not_come_are_missing_and_cost_as_much_work(demo: Plan) -> None:
    silent = machines(demo, dipper=Twist(silent_days={"to-mill": 3.0}))
    one = row(demo, silent, "to-mill", "scans")
    assert (one.how, one.missing, one.pruned_early) == ("seen", 3, 0)
    told = {w.name: w for w in one.working.inputs}
    assert (told["planned"].value, told["there"].value) == (one.planned, one.there)
    assert told["missing"].value == len(told["missing"].inputs) == 3
    age, worst = (float(w.value or 0) for w in told["late by"].inputs)
    assert age - worst == pytest.approx(one.late_seconds / 3600)
    assert one.late_seconds == pytest.approx(2 * 86_400, abs=6 * 3600)
    as_planned, as_found = cells(demo, machines(demo)), cells(demo, silent)
    key = ("scans", "box_lost")
    assert as_planned[key].fate == as_found[key].fate == "restored"
    more = (as_found[key].rpo_seconds or 0) - (as_planned[key].rpo_seconds or 0)
    assert more == pytest.approx(one.late_seconds, abs=3600)
    verdict = next(c for c in as_found[key].copies if c.job == "to-mill")
    assert "3.2 days old when dipper was looked at" in verdict.why


def test_a_mark_says_when_the_newest_came_and_nothing_of_older_ones(demo: Plan) -> None:
    """Found in the rig: a bucket's mark was taken for its whole list, and 35 nights were called missing."""
    seen, name = machines(demo), "papers-to-the-ark"
    kept = tuple(p for p in seen["heron"].points if p.maker != name)
    newest = AT.timestamp() - 3 * 3600
    marks = {
        "place": f"/var/lib/lab-job/{name}.done",
        "maker": name,
        "ours": True,
        "times": (newest,),
    }
    told = (*kept, SeenPoints.model_validate(marks))
    seen["heron"] = seen["heron"].model_copy(update={"points": told})
    one = row(demo, seen, "papers-ark", "papers")
    assert (one.how, one.there, one.missing, one.too_many) == ("told", 1, 0, 0)
    assert "nobody listed the older ones" in one.why
    # So what is noticed weeks later does not come back from it, as far as anybody knows.
    standing = finder(demo, seen).standings()["papers-ark"]
    assert standing.since is not None
    late = next(c for c in cells(demo, seen)["papers", "deleted"].copies if c.job == "papers-ark")
    assert not late.usable
    assert "a NAME.points script lists them" in late.why
    # The list of a repository's own tool says all.
    listed = row(demo, machines(demo), "papers-ark", "papers")
    assert (listed.how, listed.there, listed.missing) == ("seen", listed.planned, 0)


def test_what_nobody_looked_at_does_not_count(demo: Plan) -> None:
    seen = machines(demo)
    del seen["dipper"]
    one = row(demo, seen, "to-mill", "scans")
    assert (one.how, one.newest) == ("unknown", None)
    assert "dipper was not seen" in one.why
    assert finder(demo, seen).standings()["to-mill"].covers_from == NEVER
    cell = cells(demo, seen)["scans", "box_lost"]
    # Only the shelf disk is left, and the log says how old that is.
    assert cell.copy_job == "shelf"
    assert (cell.rpo_seconds or 0) > 300 * 86_400


def test_a_look_of_last_week_says_nothing_of_this_one(demo: Plan) -> None:
    old = machines(demo, AT - timedelta(days=7))
    found = finder(demo, old).standings()["ridge-snaps"]
    assert found.older_seconds == 7 * 86_400


def test_points_that_were_pruned_too_early_are_told_from_those_that_never_came(demo: Plan) -> None:
    seen = machines(demo)
    heron = seen["heron"]
    thinned = tuple(
        p.model_copy(update={"times": p.times[-20:]}) if p.maker == "ridge-snapshots" else p
        for p in heron.points
    )
    seen["heron"] = heron.model_copy(update={"points": thinned})
    one = row(demo, seen, "ridge-snaps", "scans")
    assert one.there == 20
    assert one.missing == one.pruned_early == one.planned - 20
    # A loss that is noticed late is not brought back by points that are gone.
    late = cells(demo, seen)["papers", "deleted"]
    verdict = next(c for c in late.copies if c.job == "ridge-snaps")
    assert not verdict.usable


def test_points_that_should_be_gone_are_counted(demo: Plan) -> None:
    seen = machines(demo)
    heron = seen["heron"]
    older = tuple(
        p.model_copy(update={"times": (AT.timestamp() - 900 * 86_400, *p.times)})
        for p in heron.points
    )
    seen["heron"] = heron.model_copy(update={"points": older})
    assert row(demo, seen, "ridge-snaps", "scans").too_many == 1


def test_the_history_of_the_demo_shows_drift_a_wearing_disk_and_a_silent_job(demo: Plan) -> None:
    now = datetime(2026, 11, 24, 9, tzinfo=UTC)
    newest = {h: read_look(c, 0).machine for h, c in looks(demo, now)}
    fields = {
        (d.verdict, d.field) for d in drift(Index(demo), "heron", newest["heron"]).differences
    }
    assert fields == {("missing", "start"), ("extra", "disk"), ("different", "quota")}
    assert row(demo, newest, "homes-wren", "homes").late_seconds > 2 * 86_400
    assert any(r.result == "failed" for r in newest["heron"].runs)
    assert list(looks(demo, now)) == list(looks(demo, now))


def test_limits_that_differ_by_little_are_told_apart(demo: Plan) -> None:
    planned = Index(demo).datasets["vault"].quota_bytes or 0
    assert planned
    seen = machines(demo, dipper=Twist(quotas={"vault": planned + 4096}))["dipper"]
    (row,) = drift(Index(demo), "dipper", seen).differences
    assert (row.field, row.planned) == ("quota", f"{planned:,} bytes")
    assert row.seen == f"{planned + 4096:,} bytes"
    assert row.command.endswith(f"zfs set quota={planned} {row.command.split()[-1]}")


def test_what_goes_later_that_day_is_still_planned_in_the_small_hours() -> None:
    hourly = builders.job("hourly", "snapshot", schedule=Schedule(kind="hourly"))
    hourly = hourly.model_copy(update={"retention": Retention(hourly=24)})
    index = Index(builders.lab(jobs=(hourly,)))
    book = scheduled_book(index, pool_states(index), TODAY)
    midnight = datetime.combine(TODAY, time(), ZoneInfo(index.plan.zone)).timestamp()
    for minutes in (25, 12 * 60 + 25, 23 * 60 + 25):
        found = book.points_at(hourly, midnight + minutes * 60)
        assert len(found) == 24, minutes
        assert found[-1].data_time <= midnight + minutes * 60
