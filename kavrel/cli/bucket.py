"""A stand-in bucket service on this machine alone, to try a job's own script with."""

import secrets
import socket
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

import click

from kavrel.cli.common import load, plan_argument
from kavrel.core.shares.names import slug


@click.command("bucket")
@plan_argument
@click.option("--port", default=8390, show_default=True, type=click.IntRange(0, 65535))
@click.option(
    "--ahead",
    default=0,
    show_default=True,
    type=click.IntRange(0, 36_500),
    metavar="DAYS",
    help="Locks run out by a clock that is so far ahead.",
)
def bucket(plan_path: Path, port: int, ahead: int) -> None:
    """Give the buckets of a plan, empty, on this machine, to try a job's own script with."""
    import uvicorn

    from kavrel.rig.bucket.objects import Store
    from kavrel.rig.bucket.service import REGION, Service
    from kavrel.rig.bucket.signed import LESSER, Key

    plan = load(plan_path)
    if not plan.buckets:
        raise click.ClickException("the plan has no bucket: make one on Copies, under elsewhere")

    def now() -> datetime:
        return datetime.now(UTC)

    keys = [Key("lab", secrets.token_urlsafe(24)), Key("lesser", secrets.token_urlsafe(24), LESSER)]
    with TemporaryDirectory(prefix="kavrel-bucket-") as folder:
        store = Store(Path(folder), lambda: now() + timedelta(days=ahead))
        for one in plan.buckets:
            name = f"lab-{slug(one.name, one.id)}"[:50].rstrip("-")
            name = f"{name}-{one.id}"[:63].rstrip("-") if name in store.buckets else name
            made = store.make(name, one.locked_days > 0)
            made.versioned, made.days = True, one.locked_days
            held = f"objects locked for {made.days} days" if made.days else "no lock"
            click.echo(f"bucket {made.name} ({one.name}): versions kept, {held}")
        click.echo(f"key {keys[0].id}, secret {keys[0].secret}: may all")
        click.echo(f"key {keys[1].id}, secret {keys[1].secret}: may read and write, delete nothing")
        try:
            listener = socket.create_server(("127.0.0.1", port))
        except OSError as error:
            raise click.ClickException(f"the port cannot be had ({error.strerror})") from error
        at = f"http://127.0.0.1:{listener.getsockname()[1]}"
        click.echo(f"at {at}, region {REGION}, the bucket's name in the path; Ctrl-C ends it")
        config = uvicorn.Config(Service(store, keys, now), log_level="warning", lifespan="off")
        with suppress(KeyboardInterrupt):
            uvicorn.Server(config).run(sockets=[listener])
    click.echo("what was in them is gone")
