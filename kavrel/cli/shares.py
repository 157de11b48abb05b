"""Shares from a shell: who reaches what, what changed, cards for clients, and files read back."""

import json
from datetime import datetime
from pathlib import Path

import click

from kavrel.cli.common import by_name, load, plan_argument, today_of, today_option
from kavrel.core.index import Index
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.reach import access_changes
from kavrel.core.shares.reach import reach as reach_of
from kavrel.formats.readers import READERS, Unreadable, read_file
from kavrel.formats.servers.clients import cards

json_option = click.option("--json", "as_json", is_flag=True, help="Print JSON.")


@click.command()
@plan_argument
@click.option("--who", help="One login, machine or application.")
@click.option("--dataset", help="One dataset: its name or id.")
@json_option
@today_option
def reach(
    plan_path: Path, who: str | None, dataset: str | None, as_json: bool, today: datetime | None
) -> None:
    """Print who reaches what, over which protocol, with which right, and why."""
    plan = load(plan_path)
    index, day = Index(plan), today_of(plan, today)
    reaches = reach_of(index, access_matrix(index, day), day)
    if who:
        reaches = [r for r in reaches if who in (r.name, r.subject)]
    if dataset:
        key = by_name(plan, "datasets", "name", dataset)
        reaches = [r for r in reaches if r.dataset == key]
    if as_json:
        click.echo(json.dumps([r.model_dump() for r in reaches], indent=1))
        return
    for r in reaches:
        because = "; ".join(r.because)
        click.echo(f"{r.name:22} {r.protocol:6} {r.thing_name:20} {r.right:6} {because}")


@click.command("access-diff")
@click.argument("before", type=click.Path(path_type=Path))
@click.argument("after", type=click.Path(path_type=Path))
@today_option
def access_diff(before: Path, after: Path, today: datetime | None) -> None:
    """Print who gains and who loses from the plan BEFORE to the plan AFTER."""
    old, new = load(before), load(after)
    for c in access_changes(old, new, today_of(new, today)):
        verb = "gains" if c.gains else "loses"
        click.echo(f"{c.name} {verb} {c.protocol} {c.thing_name}: {c.before} to {c.after}")


@click.command("cards")
@plan_argument
@click.option("--who", help="One login or machine.")
@today_option
def cards_command(plan_path: Path, who: str | None, today: datetime | None) -> None:
    """Print what to type on each system to reach each share or export."""
    plan = load(plan_path)
    for card in cards(plan, today_of(plan, today), who):
        click.echo(f"{card.who:14} {card.thing:16} {card.system:13} {card.text}")


@click.command("read")
@plan_argument
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--as", "kind", type=click.Choice(tuple(READERS)), required=True)
@click.option("--host", required=True, help="The host that the file is of: name or id.")
@json_option
@today_option
def read_command(
    plan_path: Path, file: Path, kind: str, host: str, as_json: bool, today: datetime | None
) -> None:
    """Read a server's file: what was not understood, and how it differs from the plan."""
    plan = load(plan_path)
    try:
        box = by_name(plan, "hosts", "name", host)
        report = read_file(kind, file.read_bytes(), plan, box, today_of(plan, today))
    except (Unreadable, OSError) as error:
        raise click.ClickException(f"{file}: {error}") from error
    if as_json:
        click.echo(report.model_dump_json(indent=1))
        return
    for line in report.lines:
        if line.verdict == "not understood":
            click.echo(f"line {line.number}: {line.text}  ({line.why})")
    for difference in report.differences:
        click.echo(f"differs: {difference}")
    understood = sum(1 for x in report.lines if x.verdict == "understood")
    click.echo(f"{understood} of {len(report.lines)} lines understood")
