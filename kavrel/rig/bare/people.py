"""Accounts and groups of a bare machine. Sources: useradd(8), usermod(8), groupadd(8), getent(1), id(1)."""

import re
from collections.abc import Collection

from kavrel.rig.bare.machine import FIRST_NUMBER, Machine, Person
from kavrel.rig.bare.said import Reader, Refused, Words
from kavrel.rig.said import FINE, Said, failed, lines

# As useradd of Debian 12 takes them: shadow 4.13, chkname.c, value from memory.
NAME = re.compile(r"[a-z_][a-z0-9_-]{0,31}")


def getent(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Getent passwd or group, by name or by number; 2 where there is none."""
    of, name = words
    if of == "group":
        rows = (
            f"{g}:x:{n}:{','.join(_members(machine, g))}"
            for g, n in machine.groups.items()
            if name in (g, str(n))
        )
        row = next(rows, "")
    else:
        row = next(
            (
                f"{p}:x:{one.number}:{one.group}:{one.full_name}:{one.home or f'/home/{p}'}:/usr/sbin/nologin"
                for p, one in machine.people.items()
                if name in (p, str(one.number))
            ),
            "",
        )
    return lines(row) if row else failed("", 2)


def _members(machine: Machine, group: str) -> list[str]:
    return sorted(p for p, one in machine.people.items() if group in one.groups)


def identity(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Id NAME."""
    name = words[-1]
    if name not in machine.people:
        raise Refused(f"id: '{name}': no such user")
    return lines(f"uid={machine.people[name].number}({name})")


def groupadd(machine: Machine, words: list[str], reader: Reader) -> Said:
    """A group, with a number of its own or any."""
    told = Words(words, valued="-g")
    name = told.rest[0]
    _named(name, "groupadd")
    if name in machine.groups:
        raise Refused(f"groupadd: group '{name}' already exists", 9)
    machine.groups[name] = _number(told.one("-g"), set(machine.groups.values()), "groupadd: GID")
    return FINE


def useradd(machine: Machine, words: list[str], reader: Reader) -> Said:
    """An account, with a group of its own name unless another is given."""
    told = Words(words, valued="-s -u -g -c -e", plain="-M -N -r")
    name = told.rest[0]
    _named(name, "useradd")
    if name in machine.people:
        raise Refused(f"useradd: user '{name}' already exists", 9)
    if re.search("[:\n]", told.one("-c")):
        raise Refused(f"useradd: invalid comment '{told.one('-c')}'", 3)
    # The system's own kind are counted down from 999: login.defs(5).
    taken_here = {p.number for p in machine.people.values()}
    free = next(n for n in range(999, 0, -1) if n not in taken_here)
    wanted = told.one("-u") or (str(free) if "-r" in told else "")
    number = _number(wanted, taken_here, "useradd: UID")
    group = told.one("-g")
    if group and group not in machine.groups:
        raise Refused(f"useradd: group '{group}' does not exist", 6)
    if not group:
        if name in machine.groups:
            raise Refused(
                f"useradd: group {name} exists - if you want to add this user to it, use -g", 9
            )
        group = name
        taken = number in machine.groups.values()
        machine.groups[name] = _number("", set(machine.groups.values()), "") if taken else number
    machine.people[name] = Person(
        number, machine.groups[group], full_name=told.one("-c"), ends=told.one("-e")
    )
    return FINE


def usermod(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Groups, home, end and lock of an account."""
    told = Words(words, valued="-G --expiredate --home", plain="-a --lock")
    name = told.rest[0]
    if name not in machine.people:
        raise Refused(f"usermod: user '{name}' does not exist", 6)
    person = machine.people[name]
    if group := told.one("-G"):
        if group not in machine.groups:
            raise Refused(f"usermod: group '{group}' does not exist", 6)
        person.groups.add(group)
    if home := told.one("--home"):
        person.home = home
    if ends := told.one("--expiredate"):
        person.ends = ends
    person.locked = person.locked or "--lock" in told
    return FINE


def _named(name: str, tool: str) -> None:
    if not NAME.fullmatch(name):
        raise Refused(f"{tool}: invalid user name '{name}'", 3)


def _number(wanted: str, taken: Collection[int], what: str) -> int:
    if not wanted:
        return next(n for n in range(FIRST_NUMBER, 2**31) if n not in taken)
    if int(wanted) in taken:
        raise Refused(f"{what} {wanted} already exists", 4)
    return int(wanted)
