"""Prints the manual page of the `kavrel` command, from the commands themselves (man-pages(7))."""

import sys
from datetime import UTC, datetime

import click

import kavrel
from kavrel.cli import COMMANDS, main


def _plain(text: str) -> str:
    return text.replace("\\", "\\e").replace("-", "\\-").replace("\n.", "\n\\&.").strip()


def page() -> str:
    """The page in roff."""
    context = click.Context(main, info_name="kavrel")
    lines = [
        f'.TH KAVREL 1 "{datetime.now(UTC):%Y-%m-%d}" "Kavrel {kavrel.__version__}" "User commands"',
        ".SH NAME",
        "kavrel \\- plan a home lab's storage and prove what the plan survives",
        ".SH SYNOPSIS",
        ".B kavrel",
        "COMMAND [OPTION]...",
        ".SH DESCRIPTION",
        _plain(main.help or ""),
        ".SH COMMANDS",
    ]
    for name in sorted(COMMANDS):
        command = main.get_command(context, name)
        if command is None:
            continue
        lines += [".SS " + _plain(name)]
        subs = command.commands.items() if isinstance(command, click.Group) else [("", command)]
        for sub, one in subs:
            inner = click.Context(one, info_name=sub, parent=context)
            words = " ".join(
                filter(None, (f"kavrel {name}", sub, *one.collect_usage_pieces(inner)))
            )
            lines += [".P", f".B {_plain(words)}", ".br", _plain(one.help or COMMANDS[name].does)]
            for option in one.params:
                if isinstance(option, click.Option) and not option.hidden:
                    record = option.get_help_record(inner)
                    if record:
                        lines += [".TP", f".B {_plain(record[0])}", _plain(record[1]) or "\\&"]
    lines += [
        ".SH FILES",
        ".TP",
        ".I $XDG_DATA_HOME/kavrel/kavrel.db",
        "The database, unless KAVREL_DATABASE or \\-\\-database names another; beside it lie",
        ".I backups/",
        "and",
        ".IR certificate/ .",
        ".SH ENVIRONMENT",
        ".TP",
        ".B KAVREL_DATABASE",
        "The database file.",
    ]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    sys.stdout.write(page())
