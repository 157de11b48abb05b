"""Layouts of loose disks from a shell, without a plan."""

import json

import click

from kavrel.core.bench.capacity import CapacityError, parse_capacity
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Plan


@click.command("layouts")
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
    fits = layouts(facts, filesystem, conditions)
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
            for x in fits
        ]
        click.echo(json.dumps({"layouts": rows}, indent=1))
        return
    click.echo(f"{'layout':34} {'usable':>20} {'outlives':>9} {'rebuild':>8} {'5-year loss':>12}")
    for x in fits:
        rebuild = f"{x.rebuild_hours:.1f} h" if x.rebuild_hours else "-"
        usable = f"{x.usable_bytes / 1e12:.2f} TB {x.usable_bytes / 2**40:.2f} TiB"
        click.echo(
            f"{x.title[:34]:34} {usable:>20} {x.survives_any:>9} {rebuild:>8} "
            f"{x.loss_odds_5y:>12.2g}"
        )
