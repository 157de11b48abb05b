"""What the commands share: the plan file that is read, and the day to reckon as of."""

from datetime import date, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import click

from kavrel.core.plan import Plan
from kavrel.core.quantities import currency_minor
from kavrel.formats import plan_file

today_option = click.option(
    "--today",
    type=click.DateTime(["%Y-%m-%d"]),
    help="Reckon as of this day instead of today (YYYY-MM-DD).",
)


json_option = click.option("--json", "as_json", is_flag=True, help="Print JSON.")


def money(plan: Plan, minor: int) -> str:
    """Minor units as whole money."""
    return f"{minor / currency_minor(plan.currency):,.0f} {plan.currency}"


def load(path: Path) -> Plan:
    """The plan in a file, or a click error that says what is wrong with it."""
    try:
        return plan_file.load(path.read_bytes())
    except plan_file.PlanFileError as error:
        raise click.ClickException(f"{path}: {error}") from error
    except OSError as error:
        raise click.ClickException(f"{path}: {error.strerror}") from error


def today_of(plan: Plan, today: datetime | None) -> date:
    """The day given, or today where the lab is."""
    return today.date() if today else datetime.now(ZoneInfo(plan.zone)).date()


plan_argument = click.argument("plan_path", metavar="PLAN.json", type=click.Path(path_type=Path))


def by_name(plan: Plan, collection: str, field: str, wanted: str) -> str:
    """Id of a thing named by its id or name."""
    things = getattr(plan, collection)
    for thing in things:
        if wanted in (thing.id, getattr(thing, field)):
            return str(thing.id)
    names = ", ".join(getattr(t, field) for t in things) or "none"
    raise click.ClickException(f"no {wanted} among the {collection}; there are: {names}")
