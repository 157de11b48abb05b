"""What machines say, from a shell: held against a plan file, or kept in the database."""

from datetime import UTC, datetime
from pathlib import Path

import click

from kavrel.cli.common import by_name, json_option, load, plan_argument, today_of, today_option
from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.seen.drifted import Drift
from kavrel.core.seen.fill import fills
from kavrel.core.seen.known import host_of
from kavrel.core.seen.machine import Machine
from kavrel.formats.looks.drifted import whole_drift
from kavrel.formats.looks.read import Reading, Unreadable, read_look
from kavrel.formats.looks.taking import takes
from kavrel.formats.plan_file import dump

host_option = click.option("--host", help="Which host of the plan it is: name or id.")
file_argument = click.argument("file", type=click.Path(path_type=Path))


def _read(file: Path) -> Reading:
    try:
        return read_look(file.read_bytes(), datetime.now(UTC).timestamp())
    except (Unreadable, OSError) as error:
        raise click.ClickException(f"{file}: {error}") from error


def _host(plan: Plan, machine: Machine, named: str | None) -> str:
    if named:
        return by_name(plan, "hosts", "name", named)
    box = host_of(Index(plan), machine)
    if box is None:
        raise click.ClickException(
            f"no host of the plan is {machine.host or 'this machine'}: name one with --host"
        )
    return box.id


def _puzzled(reading: Reading) -> None:
    for one in reading.heard:
        for line in one.not_understood:
            click.echo(f"not understood in {one.asked}: {line}", err=True)
    for line in reading.unseen:
        click.echo(f"not seen: {line}", err=True)


@click.command()
@plan_argument
@file_argument
@host_option
@json_option
def drift(plan_path: Path, file: Path, host: str | None, as_json: bool) -> None:
    """Print what differs between a plan and a look at one of its hosts; exit 1 when anything does."""
    plan, reading = load(plan_path), _read(file)
    box = _host(plan, reading.machine, host)
    differences = whole_drift(Index(plan), box, reading.machine, today_of(plan, None))
    if as_json:
        click.echo(differences.model_dump_json(indent=1))
    else:
        _say(differences)
        _puzzled(reading)
    if differences.differences:
        raise SystemExit(1)


def _say(differences: Drift) -> None:
    for one in differences.differences:
        mark = "!" if one.urgent else " "
        click.echo(
            f"{mark} {one.verdict:9} {one.name}, {one.field}: planned {one.planned}; there is {one.seen}"
        )
        if one.command:
            click.echo(f"            the machine: {one.command}")
        if one.change:
            click.echo(f"            the plan: {one.change.why or one.change.name}")
    for line in differences.unknown:
        click.echo(f"? unknown   {line}")
    click.echo(f"{len(differences.differences)} differ, {differences.agreed} agree")


@click.command("take")
@plan_argument
@file_argument
@host_option
@today_option
@click.option("--out", type=click.Path(path_type=Path), help="Write the plan with all of it there.")
def take(
    plan_path: Path, file: Path, host: str | None, today: datetime | None, out: Path | None
) -> None:
    """Print what a plan could take over from a look, with what of it is guessed."""
    plan, reading = load(plan_path), _read(file)
    box = by_name(plan, "hosts", "name", host) if host else None
    offer = takes(plan, reading.machine, box, today_of(plan, today))
    for thing in offer.things:
        guess = f" (a guess: {thing.guess})" if thing.guess else ""
        why = f": {thing.why}" if thing.why else ""
        click.echo(f"{thing.what:8} {thing.collection[:-1]:9} {thing.name}{why}{guess}")
    for line in offer.not_taken:
        click.echo(f"not taken: {line}", err=True)
    _puzzled(reading)
    if out:
        out.write_text(dump(offer.into(plan)), encoding="utf-8")


@click.command()
@file_argument
@click.option(
    "--database", type=click.Path(path_type=Path), required=True, help="The database file."
)
@click.option("--plan", "plan_name", help="The plan: name or id; needed where there are several.")
@host_option
def observe(file: Path, database: Path, plan_name: str | None, host: str | None) -> None:
    """Keep a look in the database, beside its plan. While a server runs, send it there instead."""
    from kavrel.store.database import Database, StoreError
    from kavrel.store.looks import ClockAhead, Looks
    from kavrel.store.plans import Plans

    reading = _read(file)
    if not database.is_file():
        raise click.ClickException(f"{database}: there is no such database")
    try:
        store = Database(database)
    except StoreError as error:
        raise click.ClickException(
            f"{error}; a running server takes looks: lab-look --send"
        ) from error
    try:
        plans = Plans(store, lambda: datetime.now(UTC))
        rows = [r for r in plans.rows() if plan_name in (None, r.id, r.name)]
        if len(rows) != 1:
            names = ", ".join(f"{r.name} ({r.id})" for r in plans.rows()) or "none"
            raise click.ClickException(f"name one plan with --plan; there are: {names}")
        _, plan = plans.head(rows[0].id)
        box = _host(plan, reading.machine, host)
        known = fills(Index(plan), box, reading.machine)
        kept = Looks(store, lambda: datetime.now(UTC)).keep(
            rows[0].id, box, reading.machine, file.read_bytes(), known
        )
    except ClockAhead as error:
        raise click.ClickException(str(error)) from error
    finally:
        store.close()
    again = " (it was there already)" if kept.again else ""
    click.echo(f"look {kept.number} at {Index(plan).hosts[box].name}{again}")
    _puzzled(reading)
    _say(whole_drift(Index(plan), box, reading.machine, today_of(plan, None)))
