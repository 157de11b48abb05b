"""Owners, modes and access lists of folders. Sources: chown(1), stat(1), setfacl(1), getfacl(1), acl(5)."""

import stat as modes
from collections.abc import Collection

from kavrel.rig.bare.machine import Machine, Rights
from kavrel.rig.bare.restart import named
from kavrel.rig.bare.said import Reader, Refused, Words
from kavrel.rig.said import FINE, Said, lines

BITS = {"r": 4, "w": 2, "x": 1, "-": 0}
NEEDED = ("user::", "group::", "other::")


def _rights(machine: Machine, path: str) -> Rights:
    if not machine.inside(path).exists():
        raise Refused(f"cannot access '{path}': No such file or directory")
    machine.rights[path] = named(machine, machine.rights.get(path, Rights()))
    return machine.rights[path]


def _mode(machine: Machine, path: str) -> int:
    return modes.S_IMODE(machine.inside(path).stat().st_mode)


def chown(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Chown OWNER:GROUP, or OWNER: for whose own group it is."""
    told, *paths = Words(words).rest
    owner, _, group = told.partition(":")
    if owner not in machine.people:
        raise Refused(f"chown: invalid user: '{told}'")
    if not group:
        number = machine.people[owner].group
        group = next(g for g, n in machine.groups.items() if n == number)
    if group not in machine.groups:
        raise Refused(f"chown: invalid group: '{told}'")
    for path in paths:
        rights = _rights(machine, path)
        rights.owner, rights.group = owner, group
    return FINE


def chgrp(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Chgrp GROUP PATH."""
    group, *paths = Words(words).rest
    if group not in machine.groups:
        raise Refused(f"chgrp: invalid group: '{group}'")
    for path in paths:
        _rights(machine, path).group = group
    return FINE


def stat(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Stat -c '%U:%G %a' PATH."""
    told = Words(words, valued="-c")
    rows = []
    for path in told.rest:
        rights = _rights(machine, path)
        row = told.one("-c").replace("%U", rights.owner).replace("%G", rights.group)
        rows.append(row.replace("%a", f"{_mode(machine, path):o}"))
    return lines(*rows)


def setfacl(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Sets a whole list, adds to one, or takes it away; the mask is the group's digit of the mode."""
    told = Words(words, valued="--set -m", plain="-b -k")
    for path in told.rest:
        rights = _rights(machine, path)
        _able(machine, path)
        if "-b" in told:
            rights.entries = {k: v for k, v in rights.entries.items() if k.startswith("default:")}
        if "-k" in told:
            rights.entries = {
                k: v for k, v in rights.entries.items() if not k.startswith("default:")
            }
        given = dict(_entry(machine, e) for e in told.one("--set", "-m").split(",") if e)
        if "--set" in told:
            if any(needed not in given for needed in NEEDED):
                raise Refused("setfacl: Malformed access ACL: missing or wrong entry", 2)
            rights.entries = given
        else:
            rights.entries |= given
        if given:
            _into_mode(machine, path, rights)
    return FINE


def _able(machine: Machine, path: str) -> None:
    """ZFS on Linux keeps lists only where it is told to."""
    there = machine.at(path)
    if there and there[1].kind == "zfs":
        name = there[1].what
        while name:
            if said := machine.datasets.get(name, {}).get("acltype"):
                if said in ("posixacl", "posix"):
                    return
                break
            name = name.rpartition("/")[0]
        raise Refused(f"setfacl: {path}: Operation not supported")


def _entry(machine: Machine, text: str) -> tuple[str, str]:
    key, _, bits = text.rpartition(":")
    kind, _, who = key.removeprefix("default:").partition(":")
    none: Collection[str] = ()
    known = {"user": set(machine.people), "group": set(machine.groups), "mask": none, "other": none}
    if kind not in known or len(bits) != 3 or any(b not in BITS for b in bits):
        raise Refused(f"setfacl: Option -m: Invalid argument near character 1 of {text}", 2)
    if who and who not in known[kind]:
        raise Refused(
            f"setfacl: Option -m: Invalid argument near character {len(kind) + 2} of {text}", 2
        )
    return f"{key}:", bits


def _into_mode(machine: Machine, path: str, rights: Rights) -> None:
    def digit(key: str) -> int:
        return sum(BITS[b] for b in rights.entries.get(key, "---"))

    middle = digit("mask::" if "mask::" in rights.entries else "group::")
    high = _mode(machine, path) & 0o7000
    machine.inside(path).chmod(high | digit("user::") << 6 | middle << 3 | digit("other::"))


def getfacl(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Access lists of paths, entry by entry, in the usual order of that command."""
    told = Words(words, plain="-cpE")
    rows = []
    for path in told.rest:
        rights = _rights(machine, path)
        entries = dict(rights.entries)
        if not entries:
            mode = _mode(machine, path)
            for n, key in enumerate(reversed(NEEDED)):
                entries[key] = "".join(
                    c if mode >> 3 * n & b else "-" for c, b in list(BITS.items())[:3]
                )
        rows += [f"{k}{v}" for k, v in entries.items()]
    return lines(*rows)
