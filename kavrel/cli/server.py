"""The server and its database from a shell: serve, demo, backup."""

import os
import socket
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import click

from kavrel.cli.common import today_option
from kavrel.store.database import Database, StoreError, backup
from kavrel.store.plans import Plans


def default_database() -> Path:
    """$KAVREL_DATABASE, or the usual place of a user's data."""
    if named := os.environ.get("KAVREL_DATABASE"):
        return Path(named)
    base = os.environ.get("XDG_DATA_HOME") or "~/.local/share"
    return Path(base).expanduser() / "kavrel" / "kavrel.db"


database_option = click.option(
    "--database",
    type=click.Path(dir_okay=False, path_type=Path),
    default=default_database,
    show_default="the user's data folder",
    help="The database file.",
)


@click.command()
@database_option
@click.option("--host", default="127.0.0.1", show_default=True, help="Address to listen on.")
@click.option("--port", default=8321, show_default=True, type=click.IntRange(0, 65535))
@click.option("--allow-host", multiple=True, help="A further name it may be reached under.")
@click.option("--fd", type=int, hidden=True)
@today_option
def serve(
    database: Path,
    host: str,
    port: int,
    allow_host: tuple[str, ...],
    fd: int | None,
    today: datetime | None,
) -> None:
    """Serve the web application."""
    _serve(_open(database), host, port, allow_host, fd, today)


@click.command()
@database_option
@click.option("--port", default=8321, show_default=True, type=click.IntRange(0, 65535))
@click.option("--fd", type=int, hidden=True)
@today_option
def demo(database: Path, port: int, fd: int | None, today: datetime | None) -> None:
    """Serve the demo lab; it is created when the database holds no plan."""
    from kavrel.demo import demo_plan, keep_history
    from kavrel.store.looks import Looks

    opened = _open(database)
    plans = Plans(opened, lambda: datetime.now(UTC))
    if not plans.rows():
        plan = demo_plan()
        plan_id = plans.create(plan, "demo lab")
        plans.pin(plan_id, 1)
        moment = _clock(today)
        keep_history(Looks(opened, moment), plan_id, plan, moment())
    _serve(opened, "127.0.0.1", port, (), fd, today)


def _open(database: Path) -> Database:
    try:
        return Database(database)
    except StoreError as error:
        raise click.ClickException(str(error)) from error


def _clock(today: datetime | None) -> Callable[[], datetime]:
    """The present moment, on another day where one is given."""

    def now() -> datetime:
        real = datetime.now(UTC)
        return real.replace(year=today.year, month=today.month, day=today.day) if today else real

    return now


def _serve(
    database: Database,
    host: str,
    port: int,
    allow_host: tuple[str, ...],
    fd: int | None,
    today: datetime | None,
) -> None:
    import gc

    import uvicorn  # takes longer to load than most commands take to run

    from kavrel.api.app import create_app
    from kavrel.api.wire import Wire

    app = create_app(database, _clock(today), allowed_hosts=frozenset({host, *allow_host}))
    try:
        inherited = socket.socket(fileno=fd) if fd is not None else None
        listener = inherited or socket.create_server((host, port))
    except OSError as error:
        raise click.ClickException(
            f"port {port} on {host} cannot be had ({error.strerror}): name another with --port"
        ) from error
    click.echo(f"Kavrel is at http://{host}:{listener.getsockname()[1]}/  (Ctrl-C stops it)")
    # What is loaded stays; evaluations are large and short-lived trees without cycles, so full
    # collections would only make edits wait.
    gc.freeze()
    gc.set_threshold(100_000, 20, 100)
    config = uvicorn.Config(app, log_level="warning", server_header=False, http=Wire)
    uvicorn.Server(config).run(sockets=[listener])
    database.close()


@click.command("backup")
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@database_option
def backup_command(file: Path, database: Path) -> None:
    """Copy the database to FILE, whole, while a server may be running."""
    try:
        backup(database, file)
    except StoreError as error:
        raise click.ClickException(str(error)) from error
    click.echo(f"copied to {file}")
