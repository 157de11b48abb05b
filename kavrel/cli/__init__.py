"""The same abilities from a shell. Only what a command needs is loaded when it is called."""

from collections.abc import Mapping
from importlib import import_module
from textwrap import shorten
from typing import NamedTuple

import click

import kavrel


class Entry(NamedTuple):
    """Where a command is, and what it does in a line, so that the list of them loads none."""

    module: str
    name: str
    does: str


COMMANDS: Mapping[str, Entry] = {
    "account": Entry(
        "account", "account", "Who may come in: at the machine itself, also while a server runs."
    ),
    "access-diff": Entry(
        "shares",
        "access_diff",
        "Print who gains and who loses from the plan BEFORE to the plan AFTER.",
    ),
    "against": Entry(
        "proof",
        "against",
        "Print what got better and what got worse against another plan file, cell by cell.",
    ),
    "arrange": Entry(
        "copies",
        "arrange_command",
        "Print which start times move so that nothing clashes, or what cannot fit.",
    ),
    "back": Entry(
        "copies",
        "back",
        "Print which points still hold a file that was written, lost and noticed on these days.",
    ),
    "backup": Entry(
        "keeping",
        "backup_command",
        "Copy the database, whole, while a server may be running.",
    ),
    "receive": Entry(
        "receive",
        "receive",
        "Take mail and calls on this machine and print them, to try messages with.",
    ),
    "rescue": Entry(
        "keeping",
        "rescue",
        "Set a damaged database aside and save what can still be read of it.",
    ),
    "restore": Entry(
        "keeping",
        "restore_command",
        "Bring the copy FILE back in the place of the database; the replaced one is set aside.",
    ),
    "bucket": Entry(
        "bucket",
        "bucket",
        "Give the buckets of a plan, empty, on this machine, to try a job's own script with.",
    ),
    "buy": Entry(
        "questions", "buy", "Print the cheapest purchases of the price list that meet the wish."
    ),
    "cards": Entry(
        "shares",
        "cards_command",
        "Print what to type on each system to reach each share or export.",
    ),
    "cell": Entry(
        "proof",
        "cell",
        "Print how a cell of the proof came about: a dataset under a hazard, or a pair as fire+key_lost.",
    ),
    "check": Entry("plan", "check", "Print the cautions of a plan; exit 1 when any is serious."),
    "completion": Entry(
        "machine", "completion", "Print what a shell sources to complete commands and options."
    ),
    "health": Entry(
        "machine",
        "health",
        "Ask the server on this machine whether it is well; exit 1 when it is not.",
    ),
    "demo": Entry(
        "server", "demo", "Serve the demo lab; it is created when the database holds no plan."
    ),
    "demo-plan": Entry("plan", "demo_plan_command", "Print the demo lab as a plan file."),
    "drift": Entry(
        "looks",
        "drift",
        "Print what differs between a plan and a look at one of its hosts; exit 1 when anything does.",
    ),
    "observe": Entry(
        "looks",
        "observe",
        "Keep a look in the database, beside its plan.",
    ),
    "take": Entry(
        "looks",
        "take",
        "Print what a plan could take over from a look, with what of it is guessed.",
    ),
    "drill": Entry(
        "drill",
        "drill_command",
        "Play a drill in a shell over the stand-in's boxes; without NIGHT print the drills.",
    ),
    "evaluate": Entry(
        "plan", "evaluate_command", "Print the strip, the proof and the cautions of a plan."
    ),
    "export": Entry("plan", "export_command", "Print one of the plan's papers."),
    "find": Entry(
        "questions",
        "find",
        "Print the layouts of these disks that meet the wish and that nothing beats.",
    ),
    "first": Entry(
        "copies", "first", "Print the ways of making a job's first copy, with hours and dates."
    ),
    "growth": Entry(
        "questions",
        "growth",
        "Print when POOL is full, what can be added then, and the ways of buying the room.",
    ),
    "lab": Entry(
        "proof",
        "lab",
        "Print what the whole lab loses over the years, by cause, and what to change first.",
    ),
    "ladder": Entry(
        "copies",
        "ladder_command",
        "Print how far up three copies, two boxes, one elsewhere each dataset stands.",
    ),
    "layouts": Entry("layouts", "layouts_command", "Print every layout over all the disks given."),
    "nights": Entry("copies", "nights", "Print the worst night of each month."),
    "odds": Entry(
        "questions",
        "odds",
        "Print the odds of losing a pool over the years, and what one change buys.",
    ),
    "pairs": Entry(
        "proof", "pairs", "Print the proof of pairs of hazards that are not independent."
    ),
    "points": Entry(
        "copies",
        "points",
        "Print the points that a job keeps on a day, and by which rule each stays until when.",
    ),
    "power": Entry(
        "questions", "power_command", "Print what the UPSes carry, and the energy of a year."
    ),
    "reach": Entry(
        "shares", "reach", "Print who reaches what, over which protocol, with which right, and why."
    ),
    "read": Entry(
        "shares",
        "read_command",
        "Read a server's file: what was not understood, and how it differs from the plan.",
    ),
    "rig": Entry(
        "rig",
        "rig_command",
        "Run the plan in a stand-in lab: what was predicted, what happened; exit 1 where they differ.",
    ),
    "schema": Entry("plan", "schema", "Print the JSON Schema of the plan file."),
    "serve": Entry(
        "server",
        "serve",
        "Serve the web application: to this machine alone, or with --lan to the house.",
    ),
    "shuffle": Entry(
        "questions",
        "shuffle_command",
        "Print the safest order of steps from full disks to the wanted pools.",
    ),
    "space": Entry(
        "copies",
        "space",
        "Print what lies on a pool: live data, what points hold, copies; and when it is full.",
    ),
}


class Lazy(click.Group):
    """Commands that are imported when they are asked for."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Names in order."""
        return sorted(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """The command itself."""
        entry = COMMANDS.get(cmd_name)
        if entry is None:
            return None
        command: click.Command = getattr(import_module(f"kavrel.cli.{entry.module}"), entry.name)
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """The list of commands, from what is written here."""
        limit = formatter.width - 6 - max(map(len, COMMANDS))
        rows = [
            (name, shorten(COMMANDS[name].does, limit, placeholder="..."))
            for name in self.list_commands(ctx)
        ]
        with formatter.section("Commands"):
            formatter.write_dl(rows)


@click.group(cls=Lazy, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(kavrel.__version__)
def main() -> None:
    """Kavrel plans pools, shares and copies for a home lab and proves what the plan survives."""
