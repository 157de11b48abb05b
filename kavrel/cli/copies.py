"""Copies, Week and Proof from a shell: back, space, first, nights, arrange, lab, pairs, against."""

from datetime import datetime
from pathlib import Path

import click

from kavrel.cli.common import by_name, load, plan_argument, today_of, today_option
from kavrel.cli.questions import ask, json_option, money
from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.first import first_ways
from kavrel.core.copies.kinds import KINDS
from kavrel.core.copies.space import pool_space
from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.pools.pool import pool_states
from kavrel.core.proof.back import BadDays, have_it_back
from kavrel.core.proof.compare import compare_cells
from kavrel.core.proof.hazards.hazard import Scene
from kavrel.core.proof.pairs import PAIRED
from kavrel.core.proof.proof import prove
from kavrel.core.questions import (
    ArrangeAnswer,
    ArrangeQuestion,
    LabAnswer,
    LabQuestion,
    NightsAnswer,
    NightsQuestion,
)
from kavrel.core.shares.access import access_matrix
from kavrel.core.week.nights import scheduled_book
from kavrel.formats import plan_file

DAY = click.DateTime(["%Y-%m-%d"])


def _book(plan: Plan, today: datetime | None) -> CopyBook:
    index = Index(plan)
    return scheduled_book(index, pool_states(index), today_of(plan, today))


def _days(seconds: float | None) -> str:
    if seconds is None:
        return "nothing"
    return f"{seconds / 86_400:.1f} d" if seconds >= 86_400 else f"{seconds / 3600:.1f} h"


@click.command()
@plan_argument
@click.argument("dataset")
@click.option("--written", type=DAY, required=True)
@click.option("--lost", type=DAY, required=True)
@click.option("--noticed", type=DAY, required=True)
@json_option
@today_option
def back(
    plan_path: Path,
    dataset: str,
    written: datetime,
    lost: datetime,
    noticed: datetime,
    as_json: bool,
    today: datetime | None,
) -> None:
    """Print which points still hold a file that was written, lost and noticed on these days."""
    plan = load(plan_path)
    book = _book(plan, today)
    key = by_name(plan, "datasets", "name", dataset)
    try:
        found = have_it_back(
            Scene(book.index, book, ()), key, written.date(), lost.date(), noticed.date()
        )
    except BadDays as error:
        raise click.ClickException(str(error)) from error
    if as_json:
        click.echo(found.model_dump_json(indent=1))
        return
    for copy in found.copies:
        name = book.index.jobs[copy.job].name
        newest = f"{copy.newest:%Y-%m-%d %H:%M} UTC" if copy.newest else "-"
        mark = "->" if copy.job == found.best else "  "
        click.echo(
            f"{mark} {name[:28]:28} {newest:22} loses {_days(copy.loses_seconds):8} {copy.why}"
        )


@click.command()
@plan_argument
@click.argument("pool")
@click.option("--years", default=5, show_default=True, type=click.IntRange(1, 10))
@json_option
@today_option
def space(plan_path: Path, pool: str, years: int, as_json: bool, today: datetime | None) -> None:
    """Print what lies on a pool: live data, what points hold, copies; and when it is full."""
    plan = load(plan_path)
    found = pool_space(_book(plan, today), by_name(plan, "pools", "name", pool), years)
    if as_json:
        click.echo(found.model_dump_json(indent=1))
        return
    for layer in found.layers:
        click.echo(f"{layer.bytes / 1e12:9.3f} TB  {layer.kind:7} {layer.name}")
    click.echo(f"{found.usable_bytes / 1e12:9.3f} TB  usable")
    click.echo(f"passes the planned fill: {found.warn_on or 'not in these years'}")
    click.echo(f"full: {found.full_on or 'not in these years'}")


@click.command()
@plan_argument
@click.argument("job")
@today_option
def first(plan_path: Path, job: str, today: datetime | None) -> None:
    """Print the ways of making a job's first copy, with hours and dates."""
    plan = load(plan_path)
    book = _book(plan, today)
    found = book.index.jobs[by_name(plan, "jobs", "name", job)]
    if KINDS[found.kind].moves_nothing or not found.datasets:
        raise click.ClickException(f"{found.name} copies nothing to another store")
    for way in first_ways(book, found):
        hours = f"{way.hours:9.1f} h" if way.hours is not None else "    never  "
        click.echo(f"{way.way.replace('_', ' '):14} {hours}  ends {way.ends_on or '-'}  {way.why}")


@click.command()
@plan_argument
@click.option("--days", default=366, show_default=True, type=click.IntRange(7, 366))
@json_option
@today_option
def nights(plan_path: Path, days: int, as_json: bool, today: datetime | None) -> None:
    """Print the worst night of each month."""
    plan = load(plan_path)
    found = ask(plan, NightsQuestion(kind="nights", days=days), today, as_json)
    if not isinstance(found, NightsAnswer):
        return
    names = {j.id: j.name for j in plan.jobs}
    for night in found.worst:
        click.echo(
            f"{night.day}  {night.busy_hours:5.1f} h busy, ends {night.ends_at:%a %H:%M}, {night.runs} runs, "
            f"{night.slowed} slowed, at worst {names[night.worst_job]} x {night.worst_slowdown:.1f}"
        )


@click.command("arrange")
@plan_argument
@click.option("--write", type=click.Path(dir_okay=False, path_type=Path), help="Write the plan.")
@json_option
@today_option
def arrange_command(
    plan_path: Path, write: Path | None, as_json: bool, today: datetime | None
) -> None:
    """Print which start times move so that nothing clashes, or what cannot fit."""
    plan = load(plan_path)
    found = ask(plan, ArrangeQuestion(kind="arrange"), today, as_json)
    if not isinstance(found, ArrangeAnswer):
        return
    x = found.arrangement
    names = {j.id: j.name for j in plan.jobs}
    for move in x.moves:
        click.echo(f"{names[move.job]}: {move.before} -> {move.after}; {move.why}")
    for unfit in x.unfit:
        click.echo(f"{names[unfit.job]} does not fit: {unfit.why}")
        for remedy in unfit.remedies:
            click.echo(f"    would fit with {remedy}")
    for word, c in (("before", x.before), ("after", x.after)):
        click.echo(
            f"{word}: {c.overlaps} overlaps, {c.out_of_window} out of their window, {c.too_early} too early, "
            f"{c.late} late; copies {c.mean_age_hours:.1f} h old on average"
        )
    if write:
        changed = {j.id: j for j in x.jobs}
        jobs = tuple(changed.get(j.id, j) for j in plan.jobs)
        write.write_text(plan_file.dump(plan.model_copy(update={"jobs": jobs})), encoding="utf-8")


@click.command()
@plan_argument
@click.option("--years", default=5, show_default=True, type=click.IntRange(1, 20))
@click.option("--lifetimes", default=20_000, show_default=True, type=click.IntRange(1000, 400_000))
@json_option
@today_option
def lab(plan_path: Path, years: int, lifetimes: int, as_json: bool, today: datetime | None) -> None:
    """Print what the whole lab loses over the years, by cause, and what to change first."""
    plan = load(plan_path)
    question = LabQuestion(kind="lab", years=years, lifetimes=lifetimes)
    found = ask(plan, question, today, as_json)
    if not isinstance(found, LabAnswer):
        return
    lives = found.lives
    names = {d.id: d.name for d in plan.datasets}
    for d in lives.datasets:
        cause = d.causes[0].title if d.causes and d.causes[0].lost_odds else "-"
        click.echo(
            f"{names[d.dataset][:26]:26} all {d.whole_odds:8.2%}  a part {d.part_odds:8.2%}  "
            f"{d.days_mean:7.1f} days of work  most by {cause}"
        )
    click.echo(
        f"any irreplaceable dataset: {lives.any_odds:.2%} ({lives.low:.2%} to {lives.high:.2%})"
    )
    click.echo(f"expected loss {lives.money:,.0f} {plan.currency} in {years} years")
    for c in lives.changes[:12]:
        click.echo(
            f"{c.avoided:9,.0f} {plan.currency} less for {money(plan, c.money_minor)} "
            f"and {c.hours:.1f} h: {c.what}"
        )


@click.command()
@plan_argument
@today_option
def pairs(plan_path: Path, today: datetime | None) -> None:
    """Print the proof of pairs of hazards that are not independent."""
    plan = load(plan_path)
    book = _book(plan, today)
    matrix = access_matrix(book.index, book.as_of)
    titles = {h.id: h.title for h in PAIRED}
    for cell in prove(book.index, book, matrix, PAIRED):
        name = book.index.datasets[cell.dataset].name
        figures = f"loses {_days(cell.rpo_seconds)}, back {_days(cell.rto_seconds)}"
        click.echo(f"{name[:24]:24} {titles[cell.hazard][:52]:52} {cell.fate:11} {figures}")


@click.command()
@plan_argument
@click.argument("other", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@today_option
def against(plan_path: Path, other: Path, today: datetime | None) -> None:
    """Print what got better and what got worse against another plan file, cell by cell."""
    after, before = load(plan_path), load(other)
    day = today_of(after, today)
    proofs = (evaluate(before, day).proof, evaluate(after, day).proof)
    for c in compare_cells((before, proofs[0]), (after, proofs[1])):
        was = f"{c.fate_before or '-'} {_days(c.rpo_before)} / {_days(c.rto_before)}"
        now = f"{c.fate_after or '-'} {_days(c.rpo_after)} / {_days(c.rto_after)}"
        click.echo(f"{c.turn:7} {c.dataset_name[:24]:24} {c.hazard:20} {was}  ->  {now}")


COPIES = (back, space, first, nights, arrange_command, lab, pairs, against)
