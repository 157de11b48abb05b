"""Whom the SMB server of a box lets do what: by its file, and by whose the folders are that setup.sh left.

A stand-in for smbd. A share's own lists decide first, then the folder's rights and those above it, as the
kernel looks at them; and what a member makes, others change only where the folder's list is passed on.
Sources: smb.conf(5), acl(5), path_resolution(7).
"""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import PurePosixPath

from kavrel.formats.readers.report import Report
from kavrel.formats.readers.sections import sections, truth

GUEST = "nobody"
ALL, READ, ENTER = 7, 4, 1
CHANGE = 6  # of a file: to read it and to write over it
MADE = "0744"  # create mask where none is told
ONLY_OWN = "write, but not what others made"


@dataclass(frozen=True)
class Folder:
    """Whose a folder is, its mode, and its access list, entry by entry with bits as `rwx`."""

    owner: str = "root"
    group: str = "root"
    mode: int = 0o755
    entries: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Member:
    """An account of a box: its number, the group that is its own, and the names of those it is in."""

    number: int
    group: int
    groups: frozenset[str]


@dataclass(frozen=True)
class Shared:
    """A box as its SMB server sees it. `shares` are those of the plan that it serves, by their ids."""

    host: str
    conf: str
    people: Mapping[str, Member]
    groups: Mapping[str, int]
    folders: Mapping[str, Folder]
    shares: Mapping[str, str]  # id, and the name in the file

    def cells(self, logins: Sequence[str]) -> Iterator[tuple[str, str, str]]:
        """Each login, "" for a guest, and share with what it may: none, read, write."""
        for key, name in self.shares.items():
            for login in (*logins, ""):
                if login or not self.is_home(name):
                    yield login, key, self.may(login, name)

    def is_home(self, name: str) -> bool:
        """Whether a share is everybody's own folder."""
        return self._section(name)["path"].endswith("/%U")

    def folder(self, name: str) -> str:
        """The folder of a share, that of the homes where it is everybody's own."""
        return self._section(name)["path"].removesuffix("/%U")

    def may(self, login: str, name: str) -> str:
        """What an account can do in a share; an empty one is a guest."""
        told = self._section(name)
        who = login or GUEST
        if not self._is_let_in(login, told):
            return "none"
        folder = told["path"].replace("%U", who)
        if any(not self._bits(str(above), who) & ENTER for above in PurePosixPath(folder).parents):
            return "none"
        bits = self._bits(folder, who)
        if bits & (READ | ENTER) != READ | ENTER:
            return "none"
        if bits != ALL or not _may_write(login, told):
            return "read"
        if self.is_home(name) or self._made(folder, who, told) & CHANGE == CHANGE:
            return "write"
        return ONLY_OWN

    def _is_let_in(self, login: str, told: Mapping[str, str]) -> bool:
        if not login:
            mapped = self._section("global").get("maptoguest", "Never").lower() == "bad user"
            return mapped and bool(truth(told.get("guestok", "no")))
        valid, invalid = _names(told, "validusers"), _names(told, "invalidusers")
        return login in self.people and (not valid or login in valid) and login not in invalid

    def _bits(self, path: str, who: str) -> int:
        there = self.folders.get(path)
        if there is None:
            return READ | ENTER  # a folder of the system's own
        return self._entry(there, who, there.owner, "", there.mode >> 3 & 7)

    def _made(self, path: str, who: str, told: Mapping[str, str]) -> int:
        """What an account may do with a file that somebody else has made there."""
        there, mask = self.folders[path], int(told.get("createmask", MADE), 8)
        if not any(k.startswith("default:") for k in there.entries):
            made = Folder("", there.group if there.mode & 0o2000 else "", mask)
            return self._entry(made, who, "", "", mask >> 3 & 7)
        listed = _digit(there.entries.get("default:mask::", "rwx"))
        return self._entry(there, who, "", "default:", listed & mask >> 3)

    def _entry(self, there: Folder, who: str, owner: str, start: str, mask: int) -> int:
        """The access check algorithm of acl(5), over the entries whose names begin so."""
        entries = {
            k.removeprefix(start): v for k, v in there.entries.items() if k.startswith(start)
        }
        if not start:
            entries = {k: v for k, v in entries.items() if not k.startswith("default:")}
        if who == owner:
            return there.mode >> 6 & 7
        if f"user:{who}:" in entries:
            return _digit(entries[f"user:{who}:"]) & mask
        mine = self._groups(who)
        own = _digit(entries["group::"]) & mask if "group::" in entries else there.mode >> 3 & 7
        bits = [own] if there.group in mine else []
        bits += [_digit(v) & mask for k, v in entries.items() if _group(k) in mine]
        others = _digit(entries["other::"]) if "other::" in entries else there.mode & 7
        return max(bits) if bits else others

    def _groups(self, who: str) -> set[str]:
        member = self.people[who]
        return set(member.groups) | {
            n for n, number in self.groups.items() if number == member.group
        }

    @cached_property
    def _told(self) -> dict[str, dict[str, str]]:
        told: dict[str, dict[str, str]] = {}
        for section, entries in sections(self.conf, Report(kind="samba")):
            told.setdefault(section, {}).update({e.key: e.value for e in entries})
        return told

    def _section(self, name: str) -> dict[str, str]:
        return self._told.get(name, {})


def _names(told: Mapping[str, str], key: str) -> set[str]:
    return set(re.split(r"[,\s]+", told.get(key, ""))) - {""}


def _may_write(login: str, told: Mapping[str, str]) -> bool:
    if login in _names(told, "writelist"):
        return True
    return truth(told.get("readonly", "yes")) is False and login not in _names(told, "readlist")


def _digit(bits: str) -> int:
    return sum(value for letter, value in (("r", 4), ("w", 2), ("x", 1)) if letter in bits)


def _group(key: str) -> str:
    kind, _, who = key.rstrip(":").partition(":")
    return who if kind == "group" else ""
