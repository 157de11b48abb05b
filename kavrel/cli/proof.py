"""Proof from a shell: cell, pairs, against, lab."""

from datetime import datetime
from pathlib import Path

import click

from kavrel.cli.common import (
    by_name,
    json_option,
    load,
    money,
    plan_argument,
    today_of,
    today_option,
)
from kavrel.cli.copies import book_of
from kavrel.cli.questions import ask
from kavrel.cli.working import back_span, lost_span, print_working, working_option
from kavrel.core.evaluate import evaluate
from kavrel.core.proof.compare import compare_cells
from kavrel.core.proof.hazards import HAZARDS
from kavrel.core.proof.hazards.hazard import Scene
from kavrel.core.proof.pairs import PAIRED
from kavrel.core.proof.proof import prove
from kavrel.core.proof.working import cell_working
from kavrel.core.questions import LabAnswer, LabQuestion
from kavrel.core.shares.access import access_matrix


@click.command()
@plan_argument
@click.argument("dataset")
@click.argument("hazard")
@today_option
def cell(plan_path: Path, dataset: str, hazard: str, today: datetime | None) -> None:
    """Print how a cell of the proof came about: a dataset under a hazard, or a pair as fire+key_lost."""
    plan = load(plan_path)
    key = by_name(plan, "datasets", "name", dataset)
    known = {h.id: h for h in (*HAZARDS.values(), *PAIRED)}
    if hazard not in known:
        raise click.ClickException(f"no hazard {hazard}; there are: {', '.join(known)}")
    book = book_of(plan, today)
    scene = Scene(book.index, book, tuple(access_matrix(book.index, book.as_of)))
    print_working(plan, cell_working(scene, known[hazard], book.index.datasets[key]))


@click.command()
@plan_argument
@click.option("--years", default=5, show_default=True, type=click.IntRange(1, 20))
@click.option("--lifetimes", default=20_000, show_default=True, type=click.IntRange(1000, 400_000))
@json_option
@working_option
@today_option
def lab(
    plan_path: Path,
    years: int,
    lifetimes: int,
    as_json: bool,
    with_working: bool,
    today: datetime | None,
) -> None:
    """Print what the whole lab loses over the years, by cause, and what to change first."""
    plan = load(plan_path)
    question = LabQuestion(kind="lab", years=years, lifetimes=lifetimes)
    told = ask(plan, question, today, as_json)
    if not isinstance(told, LabAnswer):
        return
    lives = told.lives
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
    if with_working:
        print_working(plan, lives.working)


@click.command()
@plan_argument
@today_option
def pairs(plan_path: Path, today: datetime | None) -> None:
    """Print the proof of pairs of hazards that are not independent."""
    plan = load(plan_path)
    book = book_of(plan, today)
    matrix = access_matrix(book.index, book.as_of)
    titles = {h.id: h.title for h in PAIRED}
    for cell in prove(book.index, book, matrix, PAIRED):
        name = book.index.datasets[cell.dataset].name
        figures = f"loses {lost_span(cell.rpo_seconds)}, back {back_span(cell.rto_seconds)}"
        click.echo(f"{name[:24]:24} {titles[cell.hazard][:60]:60} {cell.fate:11} {figures}")


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
        was = f"{c.fate_before or '-'} {lost_span(c.rpo_before)} / {back_span(c.rto_before)}"
        now = f"{c.fate_after or '-'} {lost_span(c.rpo_after)} / {back_span(c.rto_after)}"
        click.echo(f"{c.turn:7} {c.dataset_name[:24]:24} {c.hazard:20} {was}  ->  {now}")
