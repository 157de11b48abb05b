"""A drill in a shell of one's own: the stand-in's boxes as programs, and hands."""

import os
import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path

import click

from kavrel.cli.common import by_name, load, plan_argument, today_of, today_option
from kavrel.core.evaluate import evaluate
from kavrel.rig.drilling import Drilling, Played, verdict
from kavrel.rig.drills import BY_ID, DRILLS, none_to_play
from kavrel.rig.live import rig
from kavrel.rig.programs import programs
from kavrel.rig.workspace import workspace

DAYS_BEFORE = 6  # that the lab has lived


@click.command("drill")
@plan_argument
@click.argument("night", required=False)
@click.option("--box", help="Where to begin; `on-NAME` goes to another one.")
@click.option("--seed", default=0, show_default=True, type=click.IntRange(0, 1000))
@today_option
def drill_command(
    plan_path: Path, night: str | None, box: str | None, seed: int, today: datetime | None
) -> None:
    """Play a drill in a shell over the stand-in's boxes; without NIGHT print the drills."""
    plan = load(plan_path)
    if night is None:
        for one in DRILLS:
            click.echo(f"{one.id:20} {one.title}")
        return
    drill = BY_ID.get(night)
    if drill is None:
        raise click.ClickException(f"no drill {night}; there are: {', '.join(BY_ID)}")
    if why := none_to_play(plan):
        raise click.ClickException(why)
    if not shutil.which("bash") or os.name != "posix":
        raise click.ClickException("it needs bash, whose restricted mode keeps to the stand-in")
    wanted = by_name(plan, "hosts", "name", box) if box else ""
    day = today_of(plan, today)
    with rig(plan, datetime.combine(day, datetime.min.time(), UTC), made=False) as days:
        days.until(days.lab.now + timedelta(days=DAYS_BEFORE).total_seconds())
        drilling = Drilling(days)
        with drilling.lived_in(drill, seed) as play, workspace(programs=True) as folder:
            click.echo(f"{play.lab.local(play.began)}. {play.sees}")
            if drill.caution:
                click.echo(drill.caution)
            with programs(play, folder) as made:
                if wanted and wanted not in made.boxes:
                    raise click.ClickException(f"nobody sits at {box}: it takes no commands")
                able = [b for b in made.boxes if play.lab.boxes[b].up] or made.boxes
                here = wanted or able[0]
                click.echo(
                    f"You sit at {play.lab.boxes[here].name}. `hands` says what hands can do, "
                    f"{', '.join(f'`on-{b}`' for b in made.boxes)} goes to a box, `exit` ends it."
                )
                made.shell(here)
            _told(
                play.so_far(evaluate(plan, day).proof),
                plan_names={d.id: d.name for d in plan.datasets},
            )
            click.echo(f"The restore sheet has it under {drill.page}.")


def _told(played: Played, plan_names: dict[str, str]) -> None:
    click.echo(f"{verdict(played)}.")
    for one in played.outcomes:
        if one.worse_step is not None:
            step = played.done[one.worse_step]
            click.echo(
                f"{plan_names[one.dataset]} could still have been saved better before: {step.says}"
            )
