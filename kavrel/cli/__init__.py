"""The same abilities from a shell."""

import json
import os
import socket
import sys
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import click

import kavrel
from kavrel.cli.common import load, money, plan_argument, today_of, today_option
from kavrel.cli.copies import COPIES
from kavrel.cli.proof import PROOF
from kavrel.cli.questions import QUESTIONS
from kavrel.cli.shares import SHARES
from kavrel.cli.working import print_working, working_option
from kavrel.core.bench.capacity import CapacityError, parse_capacity
from kavrel.core.demo import demo_plan
from kavrel.core.evaluate import Evaluation, evaluate
from kavrel.core.plan import Plan
from kavrel.core.quantities import span_words
from kavrel.formats import plan_file
from kavrel.formats.papers import PAPERS, Occasion
from kavrel.store.database import Database, StoreError, backup
from kavrel.store.plans import Plans

FILESYSTEMS = ("zfs", "ext4", "xfs", "btrfs", "none")


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


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(kavrel.__version__)
def main() -> None:
    """Kavrel plans pools, shares and copies for a home lab and proves what the plan survives."""


@main.command()
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


@main.command()
@database_option
@click.option("--port", default=8321, show_default=True, type=click.IntRange(0, 65535))
@click.option("--fd", type=int, hidden=True)
@today_option
def demo(database: Path, port: int, fd: int | None, today: datetime | None) -> None:
    """Serve the demo lab; it is created when the database holds no plan."""
    opened = _open(database)
    plans = Plans(opened, lambda: datetime.now(UTC))
    if not plans.rows():
        plan_id = plans.create(demo_plan(), "demo lab")
        plans.pin(plan_id, 1)
    _serve(opened, "127.0.0.1", port, (), fd, today)


def _open(database: Path) -> Database:
    try:
        return Database(database)
    except StoreError as error:
        raise click.ClickException(str(error)) from error


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

    def now() -> datetime:
        real = datetime.now(UTC)
        return real.replace(year=today.year, month=today.month, day=today.day) if today else real

    app = create_app(database, now, allowed_hosts=frozenset({host, *allow_host}))
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
    config = uvicorn.Config(app, log_level="warning", server_header=False)
    uvicorn.Server(config).run(sockets=[listener])
    database.close()


@main.command("backup")
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@database_option
def backup_command(file: Path, database: Path) -> None:
    """Copy the database to FILE, whole, while a server may be running."""
    try:
        backup(database, file)
    except StoreError as error:
        raise click.ClickException(str(error)) from error
    click.echo(f"copied to {file}")


@main.command("demo-plan")
def demo_plan_command() -> None:
    """Print the demo lab as a plan file."""
    click.echo(plan_file.dump(demo_plan()), nl=False)


@main.command()
def schema() -> None:
    """Print the JSON Schema of the plan file."""
    click.echo(json.dumps(plan_file.schema(), indent=1))


@main.command()
@plan_argument
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@today_option
def check(plan_path: Path, as_json: bool, today: datetime | None) -> None:
    """Print the cautions of a plan; exit 1 when any is serious."""
    plan = load(plan_path)
    found = evaluate(plan, today_of(plan, today)).cautions
    if as_json:
        click.echo(json.dumps([c.model_dump() for c in found], indent=1))
    else:
        for caution in found:
            click.echo(f"{caution.severity:8} {caution.name}: {caution.why}")
            click.echo(f"         -> {caution.remedy}")
        click.echo(f"{len(found)} cautions")
    sys.exit(1 if any(c.severity == "serious" for c in found) else 0)


@main.command("export")
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


@main.command("layouts")
@click.option("--disk", "sizes", multiple=True, required=True, help="A size as 12TB, or bytes.")
@click.option("--filesystem", type=click.Choice(FILESYSTEMS), help="Default: each family's own.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def layouts_command(sizes: tuple[str, ...], filesystem: str | None, as_json: bool) -> None:
    """Print every layout over all the disks given."""
    from kavrel.core.assumptions import Assumptions
    from kavrel.core.plan import Disk
    from kavrel.core.pools.facts import Conditions, DiskFacts
    from kavrel.core.pools.options import layouts

    if len(sizes) > 64:
        raise click.BadParameter("at most 64 disks", param_hint="--disk")
    known = Assumptions(Plan(name="shell"))
    facts = []
    for number, text in enumerate(sizes):
        try:
            capacity = parse_capacity(text)
        except CapacityError as error:
            raise click.BadParameter(f"{text}: {error}", param_hint="--disk") from error
        facts.append(
            DiskFacts(
                id=str(number),
                label=text,
                capacity_bytes=capacity,
                mb_per_s=Disk.model_fields["mb_per_s"].default,
                yearly_failure_rate=known["hdd_failure_rate"],
                bits_per_read_error=known["hdd_bits_per_read_error"],
                price_minor=0,
            )
        )
    conditions = Conditions.of(known)
    found = layouts(facts, filesystem, conditions)
    if as_json:
        rows = [
            {
                "family": x.family,
                "title": x.title,
                "filesystem": x.filesystem,
                "groups": [[int(d) for d in g] for g in x.groups],
                "usable_bytes": x.usable_bytes,
                "survives_any": x.survives_any,
                "stranded_bytes": x.stranded_bytes,
                "rebuild_hours": x.rebuild_hours,
                "loss_odds_5y": x.loss_odds_5y,
                "dominated": x.dominated,
            }
            for x in found
        ]
        click.echo(json.dumps({"layouts": rows}, indent=1))
        return
    click.echo(f"{'layout':34} {'usable':>20} {'outlives':>9} {'rebuild':>8} {'5-year loss':>12}")
    for x in found:
        rebuild = f"{x.rebuild_hours:.1f} h" if x.rebuild_hours else "-"
        usable = f"{x.usable_bytes / 1e12:.2f} TB {x.usable_bytes / 2**40:.2f} TiB"
        click.echo(
            f"{x.title[:34]:34} {usable:>20} {x.survives_any:>9} {rebuild:>8} "
            f"{x.loss_odds_5y:>12.2g}"
        )


@main.command("evaluate")
@plan_argument
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@working_option
@today_option
def evaluate_command(
    plan_path: Path, as_json: bool, with_working: bool, today: datetime | None
) -> None:
    """Print the strip, the proof and the cautions of a plan."""
    plan = load(plan_path)
    found = evaluate(plan, today_of(plan, today))
    summary = _summary(found)
    if as_json:
        click.echo(json.dumps(summary, indent=1))
        return
    for name, value in _strip_words(plan, found):
        click.echo(f"{name:30} {value}")
    for cell in summary["proof"]:
        click.echo(
            f"{cell['dataset']:20} {cell['hazard']:16} {cell['fate']:12} "
            f"RPO {_hours(cell['rpo_seconds'])}  RTO {_hours(cell['rto_seconds'])}"
        )
    if with_working:
        for figure in (s := found.strip).usable, s.cost, s.odds, s.rpo, s.rto:
            print_working(plan, figure.working)


def _strip_words(plan: Plan, found: Evaluation) -> Iterator[tuple[str, str]]:
    strip = found.strip
    yield "usable", f"{strip.usable_bytes / 1e12:.2f} TB ({strip.usable_bytes / 2**40:.2f} TiB)"
    yield "spent", money(plan, strip.cost_minor)
    yield "a pool lost within 5 years", f"{strip.loss_odds_5y:.2g}"
    yield "a file damaged in a rebuild", f"{strip.damage_odds_5y:.2g}"
    yield "most work lost (RPO)", span_words(strip.worst_rpo_seconds)
    yield "longest to be back (RTO)", span_words(strip.worst_rto_seconds)
    yield "lost for good", f"{strip.lost_for_good} cells, today {strip.lost_today} more"
    yield "cautions", f"{strip.cautions}, {strip.serious} serious"


def _hours(seconds: float | None) -> str:
    return "-" if seconds is None else span_words(seconds)


def _summary(found: Evaluation) -> dict[str, Any]:
    strip = found.strip
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
        "today": found.today.isoformat(),
        "strip": {f: getattr(strip, f) for f in figures},
        "proof": [
            {
                "dataset": c.dataset,
                "hazard": c.hazard,
                "fate": c.fate,
                "rpo_seconds": c.rpo_seconds,
                "rto_seconds": c.rto_seconds,
                "copy": c.copy_job,
                "why": c.why,
            }
            for c in found.proof
        ],
        "causes": [
            {
                "rule": c.rule,
                "severity": c.severity,
                "about": [m.about for m in c.members],
                "remedy": c.remedy,
            }
            for c in found.causes
        ],
        "cautions": [
            {
                "rule": c.rule,
                "severity": c.severity,
                "about": c.about,
                "why": c.why,
                "remedy": c.remedy,
            }
            for c in found.cautions
        ],
    }


for command in (*QUESTIONS, *SHARES, *COPIES, *PROOF):
    main.add_command(command)
