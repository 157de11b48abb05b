"""Who may come in, settled at the machine itself: also while a server runs, and without a password."""

import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

import click

from kavrel.cli.server import database_option
from kavrel.store.database import Database, StoreError
from kavrel.store.passwords import WeakPassword, fit, hashed
from kavrel.store.people import (
    NAME,
    ROLES,
    SECOND_FOR,
    LastPlanner,
    NameTaken,
    NoSuchPerson,
    People,
    Role,
    SecondFor,
)

HERE = "at the machine"


@contextmanager
def _people(database: Path) -> Iterator[People]:
    try:
        opened = Database(database, beside=True)
    except StoreError as error:
        raise click.ClickException(str(error)) from error
    try:
        yield People(opened, lambda: datetime.now(UTC))
    except NoSuchPerson as error:
        raise click.ClickException(f"nobody is called {error.args[0]}") from error
    except LastPlanner as error:
        raise click.ClickException(
            f"{error} is the only planner: make another one first"
        ) from error
    finally:
        opened.close()


def _asked(name: str, given: str | None) -> str:
    """The hash of a password that was typed twice, or given on standard input."""
    typed: str = given or click.prompt("Password", hide_input=True, confirmation_prompt=True)
    try:
        return hashed(fit(typed, name))
    except WeakPassword as error:
        raise click.ClickException(str(error)) from error


def _given(from_stdin: bool) -> str | None:
    return sys.stdin.readline().rstrip("\n") if from_stdin else None


@click.group("account")
def account() -> None:
    """Who may come in: at the machine itself, also while a server runs."""


stdin_option = click.option(
    "--stdin", "from_stdin", is_flag=True, help="Read the password from standard input."
)


@account.command()
@click.argument("name")
@click.option("--role", type=click.Choice(ROLES), default="planner", show_default=True)
@stdin_option
@database_option
def add(name: str, role: Role, from_stdin: bool, database: Path) -> None:
    """Let NAME in."""
    if not re.fullmatch(NAME, name):
        raise click.ClickException("a name has 1 to 40 characters, none of them / or :")
    with _people(database) as people:
        secret = _asked(name, _given(from_stdin))
        try:
            people.add(name, role, secret)
        except NameTaken as error:
            raise click.ClickException(f"somebody is called {name} already") from error
        people.note(HERE, "", f"let {name} in as {role}")
    click.echo(f"{name} may come in as {role}")


@account.command()
@click.argument("name")
@stdin_option
@database_option
def password(name: str, from_stdin: bool, database: Path) -> None:
    """Give NAME another password, when it was forgotten; all sessions of NAME end."""
    with _people(database) as people:
        people.person(name)
        people.set_password(name, _asked(name, _given(from_stdin)))
        people.note(HERE, "", f"gave {name} another password")
    click.echo(f"{name} has another password; every session of before has ended")


@account.command()
@click.argument("name")
@click.argument("wanted", metavar="ROLE", type=click.Choice(ROLES))
@database_option
def role(name: str, wanted: Role, database: Path) -> None:
    """Give NAME another role."""
    with _people(database) as people:
        people.set_role(name, wanted)
        people.note(HERE, "", f"made {name} {wanted}")
    click.echo(f"{name} is {wanted} from now on")


@account.command("no-codes")
@click.argument("name")
@database_option
def no_codes(name: str, database: Path) -> None:
    """Ask NAME for no codes any more, when the telephone is lost."""
    with _people(database) as people:
        people.set_second(name, None)
        people.note(HERE, "", f"asks {name} for no codes any more")
    click.echo(f"{name} is asked for the password alone")


@account.command("no-passkeys")
@click.argument("name")
@database_option
def no_passkeys(name: str, database: Path) -> None:
    """Take all passkeys of NAME away, when a telephone was lost or stolen; all sessions of NAME end."""
    with _people(database) as people:
        taken = people.forget_passkeys(name)
        people.note(HERE, "", f"took {taken} passkeys of {name} away")
    click.echo(f"{taken} passkeys of {name} let nobody in any more; every session has ended")


@account.command("second-for")
@click.argument("whom", type=click.Choice(SECOND_FOR))
@database_option
def second_for(whom: SecondFor, database: Path) -> None:
    """Ask more than a password of WHOM: a code beside it, or a passkey instead."""
    with _people(database) as people:
        people.ask_second_of(whom)
        people.note(HERE, "", f"asks more than a password of {whom}")
    click.echo(f"more than a password is asked of {whom}")


@account.command()
@click.argument("name")
@database_option
def remove(name: str, database: Path) -> None:
    """Let NAME in no more."""
    with _people(database) as people:
        people.remove(name)
        people.note(HERE, "", f"let {name} in no more")
    click.echo(f"{name} may not come in any more; every session has ended")


@account.command("list")
@database_option
def list_(database: Path) -> None:
    """Print who may come in, and where they are signed in."""
    with _people(database) as people:
        for person in people.all():
            codes = ", asked for codes" if person.second else ""
            click.echo(f"{person.name}: {person.role}{codes}")
            for session in people.sessions(person.name):
                used = datetime.fromtimestamp(session.used_at, UTC)
                click.echo(
                    f"  {session.address or 'unknown'}, used {used:%Y-%m-%d %H:%M} UTC, {session.device}"
                )
