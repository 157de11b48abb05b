"""The server from a shell: serve, demo."""

import os
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from kavrel.store.certificate import Certificate

from kavrel.cli.common import today_option
from kavrel.cli.listening import Listening, bound
from kavrel.cli.logs import LogStyle, begin
from kavrel.store.backups import USUAL, BadRule, rule_of
from kavrel.store.database import Database, StoreError
from kavrel.store.people import People
from kavrel.store.plans import Plans

NOBODY = (
    "beyond this machine nobody can be let in before there is somebody: make a planner first, with "
    "`kavrel account add NAME`, or on the page as it is served to this machine alone"
)
# Forward secrecy and authenticated encryption alone where a browser speaks no TLS 1.3 (RFC 9325, 4.2).
CIPHERS = "ECDHE+AESGCM:ECDHE+CHACHA20"
READABLE = click.Path(exists=True, dir_okay=False, path_type=Path)


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
@click.option("--lan", is_flag=True, help="Let others on the network in, over TLS.")
@click.option("--host", default=None, help="Address to listen on.  [default: 127.0.0.1]")
@click.option("--port", default=8321, show_default=True, type=click.IntRange(0, 65535))
@click.option(
    "--name",
    "--allow-host",
    "names",
    multiple=True,
    envvar="KAVREL_NAMES",
    help="A name or address it is reached under; or all of them in $KAVREL_NAMES.",
)
@click.option("--cert", type=READABLE, help="A certificate of one's own (PEM, with its chain).")
@click.option("--key", type=READABLE, help="The key of that certificate (PEM).")
@click.option("--proxy", default="", help="Address of the reverse proxy that alone is trusted.")
@click.option("--keep", default=USUAL, show_default=True, help="Nightly copies that stay.")
@click.option(
    "--log",
    "log_style",
    type=click.Choice(["line", "json", "off"]),
    default="line",
    show_default=True,
)
@click.option("--prefix", default="", help="Path under which the proxy serves it, as /kavrel.")
@click.option("--fd", type=int, hidden=True)
@today_option
def serve(
    database: Path,
    lan: bool,
    host: str | None,
    port: int,
    names: tuple[str, ...],
    cert: Path | None,
    key: Path | None,
    proxy: str,
    prefix: str,
    keep: str,
    log_style: LogStyle,
    fd: int | None,
    today: datetime | None,
) -> None:
    """Serve the web application: to this machine alone, or with --lan to the house."""
    if (cert is None) != (key is None):
        raise click.ClickException("--cert and --key go together")
    try:
        rule_of(keep)
    except BadRule as error:
        raise click.ClickException(f"--keep: {error}") from error
    wanted = host or ("0.0.0.0" if lan else "127.0.0.1")  # noqa: S104
    listening = Listening(
        host=wanted,
        port=port,
        names=names,
        certificate=(cert, key) if cert and key else None,
        proxy=proxy,
        prefix=_prefix(prefix),
        fd=fd,
    )
    begin(log_style)
    own = listening.beyond_loopback and not cert and not proxy
    opened = _open(database)
    if listening.beyond_loopback and not People(opened, _clock(None)).any():
        opened.close()
        raise click.ClickException(NOBODY)
    _serve(opened, replace(listening, own_certificate=own), today, keep)


@click.command()
@database_option
@click.option("--port", default=8321, show_default=True, type=click.IntRange(0, 65535))
@click.option("--people", is_flag=True, help="With three people who sign in.")
@click.option("--fd", type=int, hidden=True)
@today_option
def demo(database: Path, port: int, people: bool, fd: int | None, today: datetime | None) -> None:
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
    if people:
        from kavrel.demo.people import let_in

        for line in let_in(People(opened, _clock(today))):
            click.echo(line)
    _serve(opened, Listening(port=port, fd=fd), today)


def _prefix(prefix: str) -> str:
    clean = prefix.strip("/")
    if clean and not all(p and p.replace("-", "").isalnum() for p in clean.split("/")):
        raise click.ClickException("--prefix is a path of letters and digits, as /kavrel")
    return f"/{clean}" if clean else ""


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
    database: Database, listening: Listening, today: datetime | None, keep: str = USUAL
) -> None:
    import gc

    gc.disable()  # what is loaded stays: looking for garbage in between only takes time
    import uvicorn  # takes longer to load than most commands take to run

    from kavrel.api.app import create_app
    from kavrel.api.wire import Wire

    listener = bound(listening)
    port = listener.getsockname()[1]
    house = _own_certificate(database, listening)
    certificate = listening.certificate or (house and (house.file, house.key))
    allowed = frozenset(listening.reached_as)
    app = create_app(
        database,
        _clock(today),
        allowed_hosts=allowed,
        behind_proxy=bool(listening.proxy),
        prefix=listening.prefix,
        compress=listening.beyond_loopback,
        tells=True,
        keep=keep,
        authority=house.authority if house else None,
    )
    _say(listening, port, secure=certificate is not None)
    # What is loaded stays; evaluations are large and short-lived trees without cycles, so full
    # collections would only make edits wait.
    gc.freeze()
    gc.enable()
    gc.set_threshold(500_000, 20, 100)
    config = uvicorn.Config(
        app,
        log_config=None,
        access_log=False,
        server_header=False,
        http=Wire,
        proxy_headers=bool(listening.proxy),
        forwarded_allow_ips=listening.proxy or None,
        ssl_certfile=certificate[0] if certificate else None,
        ssl_keyfile=certificate[1] if certificate else None,
        ssl_ciphers=CIPHERS,
    )
    uvicorn.Server(config).run(sockets=[listener])
    database.close()


def _own_certificate(database: Database, listening: Listening) -> "Certificate | None":
    """A certificate of the house's own making, beside the database; None where none is wanted."""
    if not listening.own_certificate:
        return None
    from kavrel.store.certificate import Certificate, NotOfAHome, of_a_home

    made = Certificate(database.path.parent / "certificate")
    try:
        # Its own addresses in the wide world are left out; a name that was asked for is refused.
        made.ready([n for n in listening.reached_as if n in listening.names or of_a_home(n)])
    except NotOfAHome as error:
        raise click.ClickException(f"{error}, with --cert and --key") from error
    except OSError as error:
        raise click.ClickException(f"no certificate can be kept: {error}") from error
    click.echo(f"Certificate of the house: {made.authority}")
    click.echo(
        f"Its fingerprint (SHA-256), to compare by eye before a device trusts it:\n  {made.fingerprint}"
    )
    return made


def _say(listening: Listening, port: int, secure: bool) -> None:
    """Prints where it is, for a telephone as a QR code, too."""
    scheme = "https" if secure else "http"
    first = listening.reached_as[0]
    shown = f"[{first}]" if ":" in first else first
    address = f"{scheme}://{shown}:{port}{listening.prefix}/"
    click.echo(f"Kavrel is at {address}  (Ctrl-C stops it)")
    if listening.beyond_loopback and not listening.proxy:
        import sys

        import segno

        if sys.stdout.isatty():
            segno.make(address, error="m").terminal(border=2, compact=True)
