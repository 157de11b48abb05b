"""The rig from a shell: a lab that lives without a lab, and the proof tried on it."""

import json
from dataclasses import asdict
from datetime import UTC, datetime, timedelta
from pathlib import Path
from time import perf_counter

import click
from pydantic import TypeAdapter

from kavrel.cli.common import json_option, load, plan_argument, today_of, today_option
from kavrel.cli.working import print_working, working_option
from kavrel.core.plan import Plan
from kavrel.core.proof.hazards import HAZARDS
from kavrel.rig.days import Days
from kavrel.rig.lab import CannotBuild
from kavrel.rig.live import Lived, lived, rig, tried
from kavrel.rig.looking import look
from kavrel.rig.real_lines import real_lines
from kavrel.rig.trial import Compared


@click.command("rig")
@plan_argument
@click.option(
    "--days",
    default=30.0,
    show_default=True,
    type=click.FloatRange(1, 1100),
    help="So many days are lived through.",
)
@click.option("--prove", "proving", is_flag=True, help="Do every hazard to it, and compare.")
@click.option("--all", "everything", is_flag=True, help="Print what agrees too.")
@click.option(
    "--real",
    is_flag=True,
    help="Use this machine's own rsync and SSH, and as root its Btrfs and smbd, in the place of stand-ins.",
)
@click.option("--seed", default=1, show_default=True, help="Of what people write.")
@click.option(
    "--looks",
    type=click.Path(file_okay=False, path_type=Path),
    help="Write what lab-look finds on each box in the end there, to be taken as any look.",
)
@working_option
@json_option
@today_option
def rig_command(
    plan_path: Path,
    days: float,
    proving: bool,
    everything: bool,
    real: bool,
    seed: int,
    looks: Path | None,
    with_working: bool,
    as_json: bool,
    today: datetime | None,
) -> None:
    """Run the plan in a stand-in lab: what was predicted, what happened; exit 1 where they differ.

    The stand-in boxes run the exported crontabs with the real lab-job, on a fast clock, in a folder of
    their own that goes afterwards. Nothing of this machine is touched.
    """
    plan = load(plan_path)
    began = datetime.combine(today_of(plan, today), datetime.min.time(), UTC)
    before = perf_counter()
    try:
        with rig(plan, began, seed, real=real, scripts=True) as running:
            if proving:
                cells = tried(running, _told)
                differ = _cells(plan, cells, everything, as_json) + _real(running)
            else:
                life = lived(running, days)
                until = running.lab.local(running.lab.now)
                differ = _lived(plan, life, until, everything, with_working, as_json)
            if looks:
                _keep_looks(running, looks)
            span = timedelta(seconds=running.lab.now - running.lab.began)
    except CannotBuild as error:
        raise click.ClickException(f"this plan has no stand-in: {error}") from error
    took = perf_counter() - before
    click.echo(
        f"{span.days} days in {took:.0f} s: {span.total_seconds() / took:,.0f} times as fast",
        err=True,
    )
    if differ:
        raise SystemExit(1)


def _real(running: Days) -> int:
    """Says how real components and their stand-ins agreed while the proof was tried, beside its cells."""
    lines = list(real_lines(running.lab))
    for line in lines:
        _told(f"{line.what}: {line.predicted}, {line.happened}")
        for why in () if line.agrees else line.there.inputs:
            _told(f"  {why.name}")
    for part in running.lab.real.left if running.lab.real else ():
        _told(f"a stand-in all the same: {part}")
    return sum(not line.agrees for line in lines)


def _keep_looks(running: Days, folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for host in (h for h, box in running.lab.boxes.items() if not box.host.closed):
        (folder / f"{host}.json").write_bytes(look(running, host))


def _told(words: str) -> None:
    click.echo(words, err=True)


def _lived(
    plan: Plan, life: Lived, until: str, everything: bool, with_working: bool, as_json: bool
) -> int:
    differ = [line for line in life.lines if not line.agrees]
    if as_json:
        click.echo(TypeAdapter(Lived).dump_json(life, indent=1).decode())
        return len(differ)
    for line in life.lines if everything else differ:
        mark = "agrees " if line.agrees else "DIFFERS"
        click.echo(f"{mark} {line.what}: predicted {line.predicted}, happened {line.happened}")
        if with_working:
            print_working(plan, line.by_plan, 1)
            print_working(plan, line.there, 1)
    if life.taken_as_made:
        click.echo(
            f"taken as made, though they are not yet: first copies of {', '.join(life.taken_as_made)}"
        )
    if life.pools_made:
        click.echo(
            f"taken as made, though they are still wanted: pools {', '.join(life.pools_made)}"
        )
    for pool in life.pools_left:
        click.echo(f"not made: pool {pool}")
    if life.not_set_up:
        click.echo(
            f"no setup.sh was run, and pools are taken as made by its works: {life.not_set_up}"
        )
    for part in life.not_real:
        click.echo(f"a stand-in all the same: {part}")
    for mail in life.mails[:5]:
        words = " ".join(mail.text.split())
        click.echo(
            f"mail of {mail.box}, {datetime.fromtimestamp(mail.at, UTC):%Y-%m-%d %H:%M} UTC: {words[:150]}"
        )
    if len(life.mails) > 5:
        click.echo(f"and {len(life.mails) - 5} mails more")
    click.echo(
        f"{life.days:.0f} days until {until}: {len(life.lines)} figures compared, "
        f"{len(differ)} differ, {len(life.mails)} mails"
    )
    return len(differ)


def _cells(plan: Plan, cells: tuple[Compared, ...], everything: bool, as_json: bool) -> int:
    differ = [c for c in cells if not c.agrees]
    if as_json:
        click.echo(json.dumps([asdict(c) for c in cells], indent=1, ensure_ascii=False))
        return len(differ)
    names = {d.id: d.name for d in plan.datasets}
    for one in cells if everything else differ:
        mark = "agrees " if one.agrees else "DIFFERS"
        said = f"{mark} {names[one.dataset]}, {HAZARDS[one.hazard].title}: {one.predicted}; {one.happened}"
        click.echo(said + (f" ({one.reason})" if one.reason else ""))
    undone = {c.hazard: c.reason for c in cells if c.happened == "not tried"}
    for hazard, reason in undone.items():
        click.echo(f"not tried: {HAZARDS[hazard].title}: {reason}")
    count = sum(c.happened != "not tried" for c in cells)
    click.echo(f"{count} cells tried, {len(differ)} differ")
    return len(differ)
