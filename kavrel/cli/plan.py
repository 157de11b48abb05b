"""A plan as a whole from a shell: demo-plan, schema, check, export, evaluate."""

import json
import sys
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import click

from kavrel.cli.common import load, money, plan_argument, today_of, today_option
from kavrel.cli.working import print_working, working_option
from kavrel.core.evaluate import Evaluation, evaluate
from kavrel.core.plan import Plan
from kavrel.core.proof.cell import Cell
from kavrel.core.quantities import span_words
from kavrel.demo import demo_plan
from kavrel.formats import plan_file
from kavrel.formats.papers import PAPERS, Occasion


@click.command("demo-plan")
def demo_plan_command() -> None:
    """Print the demo lab as a plan file."""
    click.echo(plan_file.dump(demo_plan()), nl=False)


@click.command()
def schema() -> None:
    """Print the JSON Schema of the plan file."""
    click.echo(json.dumps(plan_file.schema(), indent=1))


@click.command()
@plan_argument
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@today_option
def check(plan_path: Path, as_json: bool, today: datetime | None) -> None:
    """Print the cautions of a plan; exit 1 when any is serious."""
    plan = load(plan_path)
    warned = evaluate(plan, today_of(plan, today)).cautions
    if as_json:
        click.echo(json.dumps([c.model_dump() for c in warned], indent=1))
    else:
        for caution in warned:
            click.echo(f"{caution.severity:8} {caution.name}: {caution.why}")
            click.echo(f"         -> {caution.remedy}")
        click.echo(f"{len(warned)} cautions")
    sys.exit(1 if any(c.severity == "serious" for c in warned) else 0)


@click.command("export")
@plan_argument
@click.argument("what", type=click.Choice(tuple(PAPERS)))
@click.option("--host", help="For a host's file: its name or id (default: the first that has one).")
@today_option
def export_command(plan_path: Path, what: str, host: str | None, today: datetime | None) -> None:
    """Print one of the plan's papers."""
    plan = load(plan_path)
    paper = PAPERS[what]
    evaluation = evaluate(plan, today_of(plan, today))
    occasion = Occasion(plan, evaluation, plan_path.name, datetime.now(UTC))
    chosen = _host_of(plan, paper.hosts(plan), host, what) if paper.hosts else None
    # Bytes, so that CRLF line ends stay as they are.
    sys.stdout.buffer.write(paper.on(occasion, chosen))


def _host_of(plan: Plan, hosts: Sequence[str], wanted: str | None, what: str) -> str:
    names = {h.id: h.name for h in plan.hosts}
    if not hosts:
        raise click.ClickException(f"no host serves anything that needs {what}")
    if wanted is None:
        if len(hosts) > 1:
            others = ", ".join(names[h] for h in hosts[1:])
            click.echo(f"{names[hosts[0]]}; with --host also: {others}", err=True)
        return hosts[0]
    for host in hosts:
        if wanted in (host, names[host]):
            return host
    raise click.ClickException(
        f"{wanted} gets no {what}; those that do: {', '.join(names[h] for h in hosts)}"
    )


@click.command("evaluate")
@plan_argument
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@working_option
@today_option
def evaluate_command(
    plan_path: Path, as_json: bool, with_working: bool, today: datetime | None
) -> None:
    """Print the strip, the proof and the cautions of a plan."""
    plan = load(plan_path)
    evaluation = evaluate(plan, today_of(plan, today))
    if as_json:
        click.echo(json.dumps(_summary(evaluation), indent=1))
        return
    for name, value in _strip_words(plan, evaluation):
        click.echo(f"{name:30} {value}")
    for cell in evaluation.proof:
        click.echo(_cell_line(cell))
    if evaluation.proof_today:
        click.echo("as of today, where that differs:")
    for cell in evaluation.proof_today:
        click.echo(_cell_line(cell))
    for cover in evaluation.covers:
        if not cover.covered:
            never = "never" if cover.job is None else "not yet"
            when = f"from {cover.covers_from}" if cover.covers_from else never
            click.echo(f"{cover.dataset:20} covered {when}: {cover.why}")
    if with_working:
        for figure in (s := evaluation.strip).usable, s.cost, s.odds, s.rpo, s.rto:
            print_working(plan, figure.working)


def _strip_words(plan: Plan, evaluation: Evaluation) -> Iterator[tuple[str, str]]:
    strip = evaluation.strip
    yield "usable", f"{strip.usable_bytes / 1e12:.2f} TB ({strip.usable_bytes / 2**40:.2f} TiB)"
    unknown = f", {strip.unpriced} things without a price" if strip.unpriced else ""
    yield "spent", money(plan, strip.cost_minor) + unknown
    yield "a pool lost within 5 years", f"{strip.loss_odds_5y:.2g}"
    yield "a file damaged in a rebuild", f"{strip.damage_odds_5y:.2g}"
    yield "most work lost (RPO)", span_words(strip.worst_rpo_seconds)
    yield "longest to be back (RTO)", span_words(strip.worst_rto_seconds)
    yield "lost for good", f"{strip.lost_for_good} cells, today {strip.lost_today} more"
    yield "cautions", f"{strip.cautions}, {strip.serious} serious"


def _cell_line(cell: Cell) -> str:
    """A cell in a line; where it is lost at some moments only, in which share of them."""
    share = f"  in {cell.never_share:.1%} of the moments" if 0 < cell.never_share < 1 else ""
    return (
        f"{cell.dataset:20} {cell.hazard:19} {cell.fate:12} "
        f"RPO {_hours(cell.rpo_seconds)}  RTO {_hours(cell.rto_seconds)}{share}"
    )


def _hours(seconds: float | None) -> str:
    return "-" if seconds is None else span_words(seconds)


def _summary(evaluation: Evaluation) -> dict[str, Any]:
    strip = evaluation.strip
    figures = (
        "usable_bytes",
        "cost_minor",
        "loss_odds_5y",
        "worst_rpo_seconds",
        "worst_rto_seconds",
        "cautions",
        "lost_for_good",
        "serious",
    )
    return {
        "today": evaluation.today.isoformat(),
        "strip": {f: getattr(strip, f) for f in figures},
        "proof": [
            {
                "dataset": c.dataset,
                "hazard": c.hazard,
                "fate": c.fate,
                "never_share": c.never_share,
                "rpo_seconds": c.rpo_seconds,
                "rto_seconds": c.rto_seconds,
                "copy": c.copy_job,
                "why": c.why,
            }
            for c in evaluation.proof
        ],
        "as_of_today": [
            {
                "dataset": c.dataset,
                "hazard": c.hazard,
                "fate": c.fate,
                "rpo_seconds": c.rpo_seconds,
                "rto_seconds": c.rto_seconds,
            }
            for c in evaluation.proof_today
        ],
        "covers": [c.model_dump(mode="json") for c in evaluation.covers],
        "causes": [
            {
                "rule": c.rule,
                "severity": c.severity,
                "about": [m.about for m in c.members],
                "remedy": c.remedy,
            }
            for c in evaluation.causes
        ],
        "cautions": [
            {
                "rule": c.rule,
                "severity": c.severity,
                "about": c.about,
                "why": c.why,
                "remedy": c.remedy,
            }
            for c in evaluation.cautions
        ],
    }
