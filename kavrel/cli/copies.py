"""Copies and Week from a shell: back, points, space, first, ladder, nights, arrange."""

import json
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import click

from kavrel.cli.common import (
    by_name,
    json_option,
    load,
    plan_argument,
    today_of,
    today_option,
)
from kavrel.cli.questions import ask
from kavrel.cli.working import lost_span, print_working, working_option
from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.first import first_ways
from kavrel.core.copies.ladder import ladder, ladder_working
from kavrel.core.copies.retention import FOREVER
from kavrel.core.copies.rules import in_words
from kavrel.core.copies.space import pool_space
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Plan
from kavrel.core.pools.pool import pool_states
from kavrel.core.proof.back import BadDays, have_it_back
from kavrel.core.proof.hazards.hazard import Scene
from kavrel.core.questions import (
    ArrangeAnswer,
    ArrangeQuestion,
    NightsAnswer,
    NightsQuestion,
)
from kavrel.core.week.nights import scheduled_book
from kavrel.formats import plan_file

A_DAY = click.DateTime(["%Y-%m-%d"])


def book_of(plan: Plan, today: datetime | None) -> CopyBook:
    """The plan's copies with every run as long as in its worst night of the coming month."""
    index = Index(plan)
    return scheduled_book(index, pool_states(index), today_of(plan, today))


@click.command()
@plan_argument
@click.argument("dataset")
@click.option("--written", type=A_DAY, required=True)
@click.option("--lost", type=A_DAY, required=True)
@click.option("--noticed", type=A_DAY, required=True)
@json_option
@working_option
@today_option
def back(
    plan_path: Path,
    dataset: str,
    written: datetime,
    lost: datetime,
    noticed: datetime,
    as_json: bool,
    with_working: bool,
    today: datetime | None,
) -> None:
    """Print which points still hold a file that was written, lost and noticed on these days."""
    plan = load(plan_path)
    book = book_of(plan, today)
    key = by_name(plan, "datasets", "name", dataset)
    try:
        way = have_it_back(
            Scene(book.index, book, ()), key, written.date(), lost.date(), noticed.date()
        )
    except BadDays as error:
        raise click.ClickException(str(error)) from error
    if as_json:
        click.echo(way.model_dump_json(indent=1))
        return
    for copy in way.copies:
        name = book.index.jobs[copy.job].name
        newest = f"{copy.newest:%Y-%m-%d %H:%M %Z}" if copy.newest else "-"
        mark = "->" if copy.job == way.best else "  "
        click.echo(
            f"{mark} {name[:28]:28} {newest:22} loses {lost_span(copy.loses_seconds):8} {copy.why}"
        )
        if with_working:
            print_working(plan, copy.working, 2)


@click.command()
@plan_argument
@click.argument("pool")
@click.option("--years", default=5, show_default=True, type=click.IntRange(1, 10))
@json_option
@working_option
@today_option
def space(
    plan_path: Path,
    pool: str,
    years: int,
    as_json: bool,
    with_working: bool,
    today: datetime | None,
) -> None:
    """Print what lies on a pool: live data, what points hold, copies; and when it is full."""
    plan = load(plan_path)
    ahead = pool_space(book_of(plan, today), by_name(plan, "pools", "name", pool), years)
    if as_json:
        click.echo(ahead.model_dump_json(indent=1))
        return
    for layer in ahead.layers:
        click.echo(f"{layer.bytes / 1e12:9.3f} TB  {layer.kind:7} {layer.name}")
    click.echo(f"{ahead.usable_bytes / 1e12:9.3f} TB  usable")
    click.echo(f"passes the planned fill: {ahead.warn_on or 'not in these years'}")
    click.echo(f"full: {ahead.full_on or 'not in these years'}")
    if with_working:
        print_working(plan, ahead.working)


@click.command()
@plan_argument
@click.argument("job")
@working_option
@today_option
def first(plan_path: Path, job: str, with_working: bool, today: datetime | None) -> None:
    """Print the ways of making a job's first copy, with hours and dates."""
    plan = load(plan_path)
    book = book_of(plan, today)
    copied = book.index.jobs[by_name(plan, "jobs", "name", job)]
    if KINDS[copied.kind].moves_nothing or not copied.datasets:
        raise click.ClickException(f"{copied.name} copies nothing to another store")
    for way in first_ways(book, copied):
        hours = f"{way.hours:9.1f} h" if way.hours is not None else "    never  "
        click.echo(f"{way.way.replace('_', ' '):14} {hours}  ends {way.ends_on or '-'}  {way.why}")
        if with_working:
            print_working(plan, way.working, 2)


@click.command("ladder")
@plan_argument
@working_option
@today_option
def ladder_command(plan_path: Path, with_working: bool, today: datetime | None) -> None:
    """Print how far up three copies, two boxes, one elsewhere each dataset stands."""
    plan = load(plan_path)
    book = book_of(plan, today)
    for dataset in plan.datasets:
        steps = ladder(book, dataset.id)
        lacks = "lacks " + ", ".join(steps.lacks) if steps.lacks else "all there"
        click.echo(
            f"{dataset.name[:26]:26} {steps.copies} copies, {steps.boxes} boxes, "
            f"{steps.elsewhere} elsewhere; {lacks if steps.needed else 'needs none'}"
        )
        if with_working:
            print_working(plan, ladder_working(book.index, steps), 2)


@click.command()
@plan_argument
@click.option("--days", default=366, show_default=True, type=click.IntRange(7, 366))
@json_option
@working_option
@today_option
def nights(
    plan_path: Path, days: int, as_json: bool, with_working: bool, today: datetime | None
) -> None:
    """Print the worst night of each month."""
    plan = load(plan_path)
    told = ask(plan, NightsQuestion(kind="nights", days=days), today, as_json)
    if not isinstance(told, NightsAnswer):
        return
    names = {j.id: j.name for j in plan.jobs}
    for night in told.worst:
        click.echo(
            f"{night.day}  {night.busy_hours:5.1f} h busy, ends {night.ends_at:%a %H:%M}, {night.runs} runs, "
            f"{night.slowed} slowed, at worst {names[night.worst_job]} x {night.worst_slowdown:.1f}"
        )
        if with_working and night.working:
            print_working(plan, night.working, 2)


@click.command("arrange")
@plan_argument
@click.option("--write", type=click.Path(dir_okay=False, path_type=Path), help="Write the plan.")
@json_option
@working_option
@today_option
def arrange_command(
    plan_path: Path,
    write: Path | None,
    as_json: bool,
    with_working: bool,
    today: datetime | None,
) -> None:
    """Print which start times move so that nothing clashes, or what cannot fit."""
    plan = load(plan_path)
    told = ask(plan, ArrangeQuestion(kind="arrange"), today, as_json)
    if not isinstance(told, ArrangeAnswer):
        return
    x = told.arrangement
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
        if with_working:
            print_working(plan, c.working, 2)
    if write:
        changed = {j.id: j for j in x.jobs}
        jobs = tuple(changed.get(j.id, j) for j in plan.jobs)
        write.write_text(plan_file.dump(plan.model_copy(update={"jobs": jobs})), encoding="utf-8")


@click.command()
@plan_argument
@click.argument("job")
@click.option("--on", "day", type=A_DAY, help="The local day at whose end; default: today.")
@json_option
@today_option
def points(
    plan_path: Path, job: str, day: datetime | None, as_json: bool, today: datetime | None
) -> None:
    """Print the points that a job keeps on a day, and by which rule each stays until when."""
    plan = load(plan_path)
    book = book_of(plan, today)
    copied = book.index.jobs[by_name(plan, "jobs", "name", job)]
    if not KINDS[copied.kind].copies:
        raise click.ClickException(f"{copied.name} is {KINDS[copied.kind].named}: it keeps nothing")
    on = day.date() if day else today_of(plan, today)
    ruled = book.ruled_on(copied, on)
    zone = ZoneInfo(plan.zone)

    def local(instant: float) -> str:
        return f"{datetime.fromtimestamp(instant, zone):%Y-%m-%d %H:%M %Z}"

    if as_json:
        told = [
            {"taken": local(p.data_time), "kept_by": [name for name, _ in rules]}
            for p, rules in ruled
        ]
        click.echo(json.dumps(told, indent=1))
        return
    click.echo(f"{copied.name}, {on}: {len(ruled)} points, keeps {in_words(copied.retention)}")
    for point, rules in ruled:
        ends = "" if point.expires_at == FOREVER else f", until {local(point.expires_at)}"
        click.echo(f"  {local(point.data_time)}  {'; '.join(name for name, _ in rules)}{ends}")
