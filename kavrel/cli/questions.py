"""The longer questions from a shell: find, buy, odds, growth, shuffle, power."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

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
from kavrel.cli.working import print_working, working_option
from kavrel.core.bench.capacity import CapacityError, parse_capacity
from kavrel.core.bench.power import power
from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.pools.finder import Wish
from kavrel.core.quantities import currency_minor
from kavrel.core.questions import (
    Answer,
    BasketAnswer,
    BasketQuestion,
    FinderAnswer,
    FinderQuestion,
    GrowthAnswer,
    GrowthQuestion,
    NotAskable,
    OddsAnswer,
    OddsQuestion,
    Question,
    ShuffleAnswer,
    ShuffleQuestion,
    answer,
)

MOST_MONEY = 10_000_000


def _size(context: click.Context, param: click.Parameter, text: str | None) -> int:
    if text is None:
        return 0
    try:
        return parse_capacity(text)
    except CapacityError as error:
        raise click.BadParameter(f"{text}: {error}") from error


def _budget(context: click.Context, param: click.Parameter, text: str | None) -> float | None:
    """Money as it is typed: a plain figure from nothing to ten million."""
    if text is None:
        return None
    try:
        figure = float(text.replace(",", "").replace(" ", ""))
    except ValueError as error:
        raise click.BadParameter(
            f"{text} is no sum of money: write it as 1200 or 1200.50"
        ) from error
    if not 0 <= figure <= MOST_MONEY:
        raise click.BadParameter(f"{text}: from 0 to {MOST_MONEY:,}")
    return figure


def _wish_options(command: Callable[..., None]) -> Callable[..., None]:
    """The options of a wish."""
    for option in reversed(
        (
            click.option("--survive", default=1, show_default=True, type=click.IntRange(0, 23)),
            click.option("--usable", callback=_size, help="At least so much room, as 20TB."),
            click.option("--budget", callback=_budget, help="At most so much money."),
            click.option(
                "--for",
                "workload",
                type=click.Choice(["files", "machines", "archive"]),
                default="files",
                show_default=True,
                help="What weighs beside room and odds.",
            ),
            click.option("--bays", type=click.IntRange(1, 60)),
            click.option("--over-time", is_flag=True, help="May be bought a disk at a time."),
            click.option("--snapshots", is_flag=True),
            click.option("--checksums", is_flag=True),
            click.option("--replication", is_flag=True, help="The hypervisor's own: needs ZFS."),
        )
    ):
        command = option(command)
    return command


def _wish(plan: Plan, given: dict[str, Any]) -> Wish:
    budget = given["budget"]
    return Wish(
        survive=given["survive"],
        usable_bytes=given["usable"],
        budget_minor=None if budget is None else round(budget * currency_minor(plan.currency)),
        bays=given["bays"],
        workload=given["workload"],
        over_time=given["over_time"],
        snapshots=given["snapshots"],
        checksums=given["checksums"],
        replication=given["replication"],
    )


def ask(plan: Plan, question: Question, today: datetime | None, as_json: bool) -> Answer | None:
    """The answer, unless it was printed as JSON already."""
    try:
        told = answer(plan, evaluate(plan, today_of(plan, today)), question)
    except (NotAskable, ValueError) as error:
        raise click.ClickException(str(error)) from error
    if as_json:
        click.echo(told.model_dump_json(indent=1))
        return None
    return told


@click.command()
@plan_argument
@click.option(
    "--disk", "disks", multiple=True, help="Label or id; none: all hard disks in no pool."
)
@_wish_options
@json_option
@today_option
def find(
    plan_path: Path, disks: tuple[str, ...], as_json: bool, today: datetime | None, **given: Any
) -> None:
    """Print the layouts of these disks that meet the wish and that nothing beats."""
    plan = load(plan_path)
    taken = Index(plan).disks_in_pools
    ids = [by_name(plan, "disks", "label", d) for d in disks] or [
        d.id for d in plan.disks if d.kind == "hdd" and d.id not in taken
    ]
    if not 1 <= len(ids) <= 24:
        raise click.ClickException("name from 1 to 24 disks with --disk")
    question = FinderQuestion(kind="finder", disks=tuple(ids), wish=_wish(plan, given))
    told = ask(plan, question, today, as_json)
    if not isinstance(told, FinderAnswer):
        return
    result = told.found
    for miss in result.misses:
        nearest = f"{miss.nearest or 'nothing'}{', taken alone' if miss.alone else ''}"
        click.echo(f"not to be had: {miss.target} {miss.wanted}; nearest: {nearest}")
    for p in result.proposals:
        x = p.layout
        click.echo(
            f"{x.title[:38]:38} {x.filesystem:5} {x.usable_bytes / 1e12:7.2f} TB "
            f"any {x.survives_any}  {x.loss_odds_5y:8.2g}  {p.sentence}"
        )
        for note in p.notes:
            click.echo(f"{'':4}{note}")
    click.echo(f"{result.weighed:,} weighed, {result.fitting:,} fit, {result.beaten:,} beaten")
    if result.not_searched:
        click.echo(f"not searched to the end: {result.not_searched}")


@click.command()
@plan_argument
@click.option("--disk", "disks", multiple=True, help="A disk at hand that may take part.")
@_wish_options
@json_option
@today_option
def buy(
    plan_path: Path, disks: tuple[str, ...], as_json: bool, today: datetime | None, **given: Any
) -> None:
    """Print the cheapest purchases of the price list that meet the wish."""
    plan = load(plan_path)
    ids = tuple(by_name(plan, "disks", "label", d) for d in disks)
    question = BasketQuestion(kind="basket", disks=ids, wish=_wish(plan, given))
    told = ask(plan, question, today, as_json)
    if not isinstance(told, BasketAnswer):
        return
    for basket in told.baskets.baskets:
        usable = basket.layout.usable_bytes / 1e12
        click.echo(f"{money(plan, basket.cost_minor):>12} {usable:7.2f} TB  {basket.sentence}")
    if told.baskets.why_not:
        raise click.ClickException(told.baskets.why_not)


@click.command()
@plan_argument
@click.option("--pool", "pools", multiple=True, help="Name or id; none: all.")
@click.option("--years", default=5, show_default=True, type=click.IntRange(1, 10))
@click.option(
    "--lifetimes", default=200_000, show_default=True, type=click.IntRange(1000, 2_000_000)
)
@json_option
@today_option
def odds(
    plan_path: Path,
    pools: tuple[str, ...],
    years: int,
    lifetimes: int,
    as_json: bool,
    today: datetime | None,
) -> None:
    """Print the odds of losing a pool over the years, and what one change buys."""
    plan = load(plan_path)
    ids = tuple(by_name(plan, "pools", "name", p) for p in pools)
    question = OddsQuestion(kind="odds", pools=ids, years=years, lifetimes=lifetimes)
    told = ask(plan, question, today, as_json)
    if not isinstance(told, OddsAnswer):
        return
    click.echo(f"{'year':>4} {'chain':>10} {'lifetimes':>10}   95 % interval")
    for y in told.outlook.curve:
        click.echo(
            f"{y.year:4.0f} {y.chain:10.2g} {y.lifetimes:10.2g}   {y.low:.2g} to {y.high:.2g}"
        )
    for change in told.outlook.changes:
        click.echo(f"{change.odds:10.2g} {money(plan, change.cost_minor):>12}  {change.what}")


@click.command()
@plan_argument
@click.argument("pool")
@click.option("--years", default=5, show_default=True, type=click.IntRange(1, 10))
@click.option("--bays", type=click.IntRange(1, 60), help="Default: those of its host.")
@json_option
@today_option
def growth(
    plan_path: Path,
    pool: str,
    years: int,
    bays: int | None,
    as_json: bool,
    today: datetime | None,
) -> None:
    """Print when POOL is full, what can be added then, and the ways of buying the room."""
    plan = load(plan_path)
    question = GrowthQuestion(
        kind="growth", pool=by_name(plan, "pools", "name", pool), years=years, bays=bays
    )
    told = ask(plan, question, today, as_json)
    if not isinstance(told, GrowthAnswer):
        return
    ahead = told.growth
    for mark, day in (("warn", ahead.warn_on), ("slow", ahead.slow_on), ("full", ahead.full_on)):
        click.echo(f"{mark}: {day or 'not within ten years'}")
    for e in ahead.enlargements:
        click.echo(f"{money(plan, e.cost_minor):>12} {e.gained_bytes / 1e12:+7.2f} TB  {e.what}")
    for s in told.strategies:
        click.echo(f"{money(plan, s.total_minor):>12} odds {s.odds:8.2g}  {s.title}")
    bought = told.purchases
    if not bought.possible:
        click.echo(f"cheapest plan: {bought.why_not}")
        return
    sure = "proven cheapest" if bought.proven else f"at most {bought.gap:.1%} above the cheapest"
    click.echo(f"cheapest plan: {money(plan, bought.cost_minor)}, {sure}")
    for purchase in bought.purchases:
        click.echo(f"  in {purchase.years:g} years: {purchase.what}")


@click.command("shuffle")
@plan_argument
@json_option
@today_option
def shuffle_command(plan_path: Path, as_json: bool, today: datetime | None) -> None:
    """Print the safest order of steps from full disks to the wanted pools."""
    plan = load(plan_path)
    told = ask(plan, ShuffleQuestion(kind="shuffle"), today, as_json)
    if not isinstance(told, ShuffleAnswer):
        return
    move = told.shuffle
    for number, s in enumerate(move.steps, 1):
        copies = ", ".join(f"{c.name} {c.copies}" for c in s.copies_after)
        click.echo(f"[ ] {number}. {s.text}  ({s.hours:.1f} h; whole copies after it: {copies})")
        for danger in s.danger:
            click.echo(f"       ! {danger}")
        click.echo(f"       back out: {s.back_out}")
    if move.needs:
        raise click.ClickException(move.needs)
    click.echo(f"{move.hours:.0f} h in all")


@click.command("power")
@plan_argument
@json_option
@working_option
def power_command(plan_path: Path, as_json: bool, with_working: bool) -> None:
    """Print what the UPSes carry, and the energy of a year."""
    plan = load(plan_path)
    supply = power(Index(plan))
    if as_json:
        click.echo(supply.model_dump_json(indent=1))
        return
    names = {s.id: s.name for s in plan.supplies}
    for s in supply.supplies:
        click.echo(f"{names[s.id]}: {s.load_watts:.0f} W for {s.runtime_minutes:.0f} min; {s.why}")
    click.echo(f"{supply.kwh_a_year:,.0f} kWh a year, {money(plan, supply.cost_a_year_minor)}")
    if with_working:
        print_working(plan, supply.working)
