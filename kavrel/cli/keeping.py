"""The database kept safe from a shell: copies of it, back again, and what a damaged one still holds."""

from datetime import UTC, datetime
from pathlib import Path

import click

from kavrel.cli.server import database_option
from kavrel.store.backups import (
    BadRule,
    Held,
    folder_of,
    held,
    nightly,
    restore,
    rule_of,
    salvage,
    set_aside,
)
from kavrel.store.database import Database, StoreError, backup

FILE = click.Path(dir_okay=False, path_type=Path)


@click.command("backup")
@click.argument("file", required=False, type=FILE)
@click.option("--keep", help="Which nightly copies stay, as 7d2w1m1y; without FILE.")
@database_option
def backup_command(file: Path | None, keep: str | None, database: Path) -> None:
    """Copy the database, whole, while a server may be running.

    To FILE; or without one among the nightly copies beside it, of which --keep says which stay.
    """
    if (file is None) == (keep is None):
        raise click.ClickException("name a FILE, or a rule with --keep as 7d2w1m1y")
    try:
        if file is not None:
            backup(database, file)
            click.echo(f"copied to {file}")
            return
        zone = datetime.now().astimezone().tzinfo
        name = getattr(zone, "key", "UTC")
        made, gone = nightly(database, rule_of(keep or ""), name, datetime.now(UTC))
    except (StoreError, BadRule) as error:
        raise click.ClickException(str(error)) from error
    click.echo(f"copied to {made}, and found whole")
    for path in gone:
        click.echo(f"let go: {path.name}")


def _said(backup: Held) -> str:
    plans = ", ".join(f"{name} at revision {head}" for name, head in backup.plans) or "no plan"
    return f"{plans}; schema {backup.schema_number}, {backup.size_bytes:,} bytes"


@click.command("restore")
@click.argument("file", type=FILE)
@click.option("--yes", is_flag=True, help="Do not ask.")
@database_option
def restore_command(file: Path, yes: bool, database: Path) -> None:
    """Bring the copy FILE back in the place of the database; the replaced one is set aside."""
    try:
        click.echo(f"brings back: {_said(held(file))}")
        try:
            click.echo(f"replaces:    {_said(held(database))}")
        except StoreError as error:
            click.echo(f"replaces:    nothing that can be read ({error})")
        if not yes:
            click.confirm("Go on?", abort=True)
        aside = restore(file, database, datetime.now(UTC))
    except StoreError as error:
        raise click.ClickException(str(error)) from error
    click.echo("it is back" + (f"; what was there lies at {aside}" if aside else ""))


@click.command("rescue")
@database_option
def rescue(database: Path) -> None:
    """Set a damaged database aside and save what can still be read of it."""
    now = datetime.now(UTC)
    part = database.with_name(database.name + ".saved")
    try:
        with Database.alone(database):
            try:
                held(database)
            except StoreError as error:
                click.echo(f"{error}")
            else:
                raise click.ClickException(f"{database} is whole: there is nothing to rescue")
            part.unlink(missing_ok=True)
            saved = salvage(database, part)
            aside = set_aside(database, "damaged", now)
            part.replace(database)
    except StoreError as error:
        raise click.ClickException(str(error)) from error
    click.echo(f"set aside, and never written to: {aside}")
    for table, (read, kept) in sorted(saved.items()):
        if read:
            click.echo(f"  {table}: {read} rows read, {kept} kept")
    click.echo(
        f"saved: {_said(held(database))}. Rows that could not be read are not counted: compare with the "
        f"newest copy in {folder_of(database)}"
    )
