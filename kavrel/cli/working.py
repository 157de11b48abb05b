"""The working of a figure from a shell: the same tree that the interface and the papers show."""

import click

from kavrel.cli.common import money
from kavrel.core.plan import Plan
from kavrel.core.quantities import span_words
from kavrel.core.working import Working

working_option = click.option(
    "--working", "with_working", is_flag=True, help="Print how each figure came about."
)


def print_working(plan: Plan, working: Working, depth: int = 0) -> None:
    """A line a step: name, value with its unit, formula; assumptions named with their ids."""
    margin = "  " * depth
    value = shown(plan, working)
    click.echo(f"{margin}{working.name}: {value}" if value else f"{margin}{working.name}")
    if working.formula:
        click.echo(f"{margin}  = {working.formula}")
    if working.assumption:
        click.echo(f"{margin}  assumed ({working.assumption}), {working.source}")
    elif working.source:
        click.echo(f"{margin}  source: {working.source}")
    for part in working.inputs:
        print_working(plan, part, depth + 1)


def shown(plan: Plan, working: Working) -> str:
    """A value with its unit, as people read it; bytes exact as well."""
    value, unit = working.value, working.unit
    if value is None:
        return "none"
    if isinstance(value, str):
        return value
    if unit == "bytes":
        return f"{value / 1e12:,.3f} TB ({value:,.0f} bytes)"
    if unit == "money":
        return money(plan, int(value))
    if unit == "currency":  # whole units, as people estimate; "money" is counted in minor ones
        return f"{value:,.0f} {plan.currency}"
    if unit == "s":
        return span_words(float(value))
    if unit == "odds":
        return f"{value:.3%}"
    plain = f"{value:,}" if isinstance(value, int) or value.is_integer() else f"{value:,.5g}"
    return f"{plain.removesuffix('.0')} {unit}".rstrip()


def lost_span(seconds: float | None) -> str:
    """Work lost; all of it where nothing comes back."""
    return "all" if seconds is None else span_words(seconds)


def back_span(seconds: float | None) -> str:
    """Time to be back, if ever."""
    return "never" if seconds is None else span_words(seconds)
