"""What the command line of a crontab or a timer copies: where from, where to, what becomes of what is deleted.

Read as a shell reads it, and no further: what hangs on a variable, on a file of its own, or on a condition is
said to, and is never guessed. Sources: POSIX.1-2017, Shell Command Language; rsync(1), zfs-send(8),
zfs-receive(8), btrfs-send(8), scp(1), cp(1), crontab(5).
"""

import re
import shlex
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

# An unquoted or quoted word that is reckoned when the line runs.
RECKONED = re.compile(r"\$\((?:[^()]|\([^()]*\))*\)|`[^`]*`|\$\{[^}]*\}|\$\w+")
LATER = "$x"
ASSIGNED = re.compile(r"^[A-Za-z_]\w*=")
BETWEEN = frozenset({";", "&&", "||", "&", "(", ")", "{", "}", "\n", ";;"})
KEYWORDS = frozenset({"if", "then", "else", "fi", "do", "done", "!", "time", "{", "}"})
# What runs another command: its options that take a word, and how many words come before that command.
WRAPPERS: dict[str, tuple[frozenset[str], int]] = {
    "nice": (frozenset({"-n"}), 0),
    "ionice": (frozenset({"-c", "-n"}), 0),
    "chrt": (frozenset(), 1),
    "timeout": (frozenset({"-k", "-s"}), 1),
    "flock": (frozenset({"-w", "-E"}), 1),
    "sudo": (frozenset({"-u", "-g"}), 0),
    "env": (frozenset({"-u", "-C"}), 0),
    "nohup": (frozenset(), 0),
    "setsid": (frozenset(), 0),
    "chronic": (frozenset(), 0),
    "exec": (frozenset(), 0),
    "command": (frozenset(), 0),
}
SHELLS = frozenset({"sh", "bash", "dash"})
DEEPEST = 3  # shells within shells
SSH_TAKES = frozenset("bcDEeFIiJLlmOopQRSWw")

# -- rsync(1): options that take a word of their own where it does not stand behind `=`
RSYNC_TAKES = frozenset(
    {
        *("exclude", "exclude-from", "include", "include-from", "files-from", "filter", "bwlimit"),
        *("rsh", "link-dest", "compare-dest", "copy-dest", "backup-dir", "suffix", "password-file"),
        *("timeout", "contimeout", "port", "log-file", "log-file-format", "out-format"),
        *("rsync-path", "temp-dir", "partial-dir", "max-size", "min-size", "max-delete", "chmod"),
        *("chown", "usermap", "groupmap", "info", "debug", "address", "sockopts", "outbuf"),
        *("compress-level", "compress-choice", "skip-compress", "iconv", "checksum-choice"),
        *("checksum-seed", "modify-window", "stop-at", "stop-after", "time-limit", "write-batch"),
        *("only-write-batch", "read-batch", "protocol", "remote-option", "early-input", "config"),
        *("block-size", "max-alloc", "copy-as", "dparam", "zc", "cc", "zl", "zt", "stderr"),
        *("compress-threads", "confine-root"),
    }
)
RSYNC_LETTERS = {
    "e": "rsh",
    "f": "filter",
    "B": "block-size",
    "T": "temp-dir",
    "M": "remote-option",
}
RSYNC_SHORT = {"n": "dry-run", "r": "recursive", "a": "archive", "b": "backup", "C": "cvs-exclude"}
RSYNC_SHORT |= {"F": "filter", "x": "one-file-system", "I": "ignore-times", "d": "dirs"}
# Copies nothing, or less than what is there, in a way that a plan cannot say.
NOTHING = {"dry-run": "a dry run", "list-only": "it lists", "read-batch": "it reads a batch"}
LESS = frozenset(
    {
        *(
            "existing",
            "ignore-non-existing",
            "ignore-existing",
            "size-only",
            "max-size",
            "min-size",
        ),
        *("files-from", "include", "include-from", "filter", "exclude-from", "cvs-exclude"),
        *("compare-dest", "copy-dest", "append", "stop-at", "stop-after", "time-limit", "dirs"),
        *("only-write-batch", "write-batch"),
    }
)
PATTERN = re.compile(r"^[^\s\x00-\x1f]{1,80}$")
MOST_PATTERNS = 40
RATE = re.compile(r"^(\d+(?:\.\d+)?)([kmg]?)(?:i?b)?$", re.IGNORECASE)


@dataclass(frozen=True)
class Place:
    """One end: a path here, or on `host`; `module` where that is a module of its rsync daemon.

    Of ZFS the path is the name of a dataset.
    """

    path: str
    host: str = ""
    user: str = ""
    module: str = ""


@dataclass(frozen=True)
class Copying:
    """What one command copies.

    `deletes`: what is gone at the source goes at the target too. `trash`: what is replaced or deleted there is
    set aside. `blocks`: snapshots are sent, as they lie on the disk where `raw`. `into_itself`: the folder goes
    into the target by its own name. `kib_per_s` is a limit. `why_not`: it copies, but not so that a plan could
    say it, or not when the calendar alone says.
    """

    tool: str
    sources: tuple[Place, ...] = ()
    target: Place = Place("")
    deletes: bool = False
    trash: bool = False
    blocks: bool = False
    raw: bool = False
    one_file_system: bool = False
    left_out: tuple[str, ...] = ()
    kib_per_s: float | None = None
    why_not: str = ""


def copyings(command: str) -> tuple[Copying, ...]:
    """All that a line copies, as far as it is understood; empty where it copies nothing that is known."""
    return tuple(_in_shell(_as_cron_runs_it(command), 0))


def _as_cron_runs_it(command: str) -> str:
    """Without what goes to its input; an escaped percent sign is one."""
    return re.split(r"(?<!\\)%", command)[0].replace("\\%", "%")


def _in_shell(text: str, depth: int) -> Iterator[Copying]:
    try:
        words = _words(RECKONED.sub(LATER, text))
    except ValueError:  # a quote that never ends
        return
    where, asks = "", False
    for after, pipeline in _pipelines(words):
        commands = [c for c in (_bare(w) for w in pipeline) if c]
        if not commands:
            continue
        first = commands[0]
        if first[0] == "cd" and len(first) == 2:
            where = first[1]
        elif first[0] in ("[", "test", "[["):
            asks = asks or any("$" in w for w in first)
        elif first[0] in ("for", "while", "case", "until"):
            asks = True
        else:
            for one in _of_commands(commands, depth):
                # What stands behind || runs where something failed.
                yield _settled(one, where, asks or after == "||")


def _words(text: str) -> list[str]:
    reader = shlex.shlex(text, posix=True, punctuation_chars=";()<>|&\n")
    reader.whitespace = " \t\r"
    reader.whitespace_split = True
    reader.commenters = ""
    return _without_redirections(list(reader))


def _without_redirections(words: Sequence[str]) -> list[str]:
    """Neither `>file` nor `2>&1` is a word of the command."""
    kept: list[str] = []
    skip = False
    for word in words:
        if skip:
            skip = False
        elif set(word) <= set("<>&|") and set(word) & set("<>"):
            skip = True
            if kept and kept[-1] in ("0", "1", "2"):
                kept.pop()
        else:
            kept.append(word)
    return kept


def _pipelines(words: Sequence[str]) -> Iterator[tuple[str, list[list[str]]]]:
    """Commands that read one another, with what stands before them."""
    before = ""
    pipeline: list[list[str]] = [[]]
    for word in words:
        if word in BETWEEN or set(word) <= set(";()&\n"):
            yield before, pipeline
            before, pipeline = word, [[]]
        elif word in ("|", "|&"):
            pipeline.append([])
        else:
            pipeline[-1].append(word)
    yield before, pipeline


def _bare(words: list[str]) -> list[str]:
    """A command without what only runs it: nice, timeout, a lock, what is set before it."""
    at = 0
    while at < len(words):
        name = words[at].rpartition("/")[2]
        if ASSIGNED.match(words[at]) or words[at] in KEYWORDS:
            at += 1
            continue
        if name not in WRAPPERS:
            break
        takes, before = WRAPPERS[name]
        at += 1
        while at < len(words) and words[at].startswith("-") and words[at] != "-c":
            at += 2 if words[at] in takes else 1
        if name == "ionice" and words[at : at + 1] == ["-c"]:
            return _bare(["ionice", *words[at + 2 :]])
        at += before
        if name == "flock" and words[at : at + 1] == ["-c"]:
            return ["sh", *words[at:]]
    return words[at:]


def _of_commands(commands: list[list[str]], depth: int) -> Iterator[Copying]:
    """What one pipeline copies."""
    if len(commands) == 1 or commands[-1][0].rpartition("/")[2] in ("tee", "logger", "mail", "ts"):
        words = commands[0]
        name = words[0].rpartition("/")[2]
        if name in SHELLS and "-c" in words[1:-1]:
            if depth < DEEPEST:
                yield from _in_shell(words[words.index("-c", 1) + 1], depth + 1)
        elif name in TOOLS:
            made = TOOLS[name](words[1:])
            if made:
                yield made
        return
    sent = _sent(commands)
    if sent:
        yield sent


def _settled(copying: Copying, where: str, asks: bool) -> Copying:
    """With whole paths; what cannot be known from the line alone is said."""
    if copying.why_not:
        return copying

    def whole(place: Place) -> Place:
        if copying.blocks and copying.tool == "zfs":
            return place
        if place.host or place.module or place.path.startswith("/") or not where:
            return place
        return replace(place, path=f"{where.rstrip('/')}/{place.path}")

    made = replace(
        copying, sources=tuple(map(whole, copying.sources)), target=whole(copying.target)
    )
    ends = (*made.sources, made.target)
    why = ""
    if asks:
        why = "whether it runs hangs on more than its calendar"
    elif any("$" in p.path or "$" in p.host for p in ends):
        why = "where from or where to is reckoned when it runs"
    elif any(set(p.path) & set("*?[") for p in made.sources):
        why = "what it copies hangs on a pattern"
    elif made.tool != "zfs" and any(not (p.path.startswith("/") or p.module) for p in ends):
        why = "it names no whole path"
    return replace(made, why_not=why)


# -- ends ------------------------------------------------------------------------------------------


def place_of(word: str) -> Place:
    """An end as rsync and scp have it: `/path`, `who@box:/path`, `who@box::module/path`, `rsync://box/module`."""
    if word.startswith("rsync://"):
        at, _, path = word.removeprefix("rsync://").partition("/")
        user, host = _who(at)
        host = host if host.count(":") > 1 else host.partition(":")[0]
        return _module(path, host, user)
    head, colon, path = _parted(word)
    if not colon or "/" in head:
        return Place(word)
    user, host = _who(head)
    if path.startswith(":"):
        return _module(path[1:], host, user)
    return Place(path, host, user)


def _parted(word: str) -> tuple[str, str, str]:
    bracket = re.match(r"^((?:[^/:\[]*@)?)\[([^\]/]+)\](:)(.*)$", word, re.DOTALL)
    if bracket:
        return f"{bracket[1]}{bracket[2]}".replace("/", ""), ":", bracket[4]
    return word.partition(":")


def _who(at: str) -> tuple[str, str]:
    user, sign, host = at.rpartition("@")
    return (user if sign else "", host.strip("[]"))


def _module(path: str, host: str, user: str) -> Place:
    name, _, rest = path.partition("/")
    return Place(rest, host, user, name)


# -- rsync -----------------------------------------------------------------------------------------


def _rsync(words: list[str]) -> Copying | None:
    options, ends = _options(words)
    said = {name for name, _ in options}
    for name, why in NOTHING.items():
        if name in said:
            return Copying("rsync", why_not=f"{why}: it copies nothing")
    if len(ends) < 2:
        return None
    odd = sorted(said & LESS)
    patterns = tuple(v for n, v in options if n == "exclude")
    why = ""
    if "remove-source-files" in said or "remove-sent-files" in said:
        why = "it moves files away: what is moved is there once, as before"
    elif odd:
        why = f"what it leaves out a plan cannot say (--{odd[0]})"
    elif not said & {"archive", "recursive"}:
        why = "without -a or -r it goes into no folder"
    elif "link-dest" in said:
        why = "its versions share files (--link-dest)"
    elif len(patterns) > MOST_PATTERNS or not all(map(PATTERN.match, patterns)):
        why = "what it leaves out a plan cannot say (--exclude)"
    deletes = any(
        n == "del" or (n.startswith("delete") and n != "delete-missing-args") for n in said
    )
    return Copying(
        "rsync",
        sources=tuple(place_of(e) for e in ends[:-1]),
        target=place_of(ends[-1]),
        deletes=deletes,
        trash=bool(said & {"backup", "backup-dir"}),
        one_file_system="one-file-system" in said,
        left_out=patterns,
        kib_per_s=next((_rate(v) for n, v in reversed(options) if n == "bwlimit"), None),
        why_not=why,
    )


def _options(words: list[str]) -> tuple[list[tuple[str, str]], list[str]]:
    """Options by their long names with their words, and what is left."""
    options: list[tuple[str, str]] = []
    ends: list[str] = []
    rest = iter(words)
    for word in rest:
        if word == "--":
            ends.extend(rest)
        elif word.startswith("--"):
            name, has, value = word[2:].partition("=")
            if not has and name in RSYNC_TAKES:
                value = next(rest, "")
            options.append((name, value))
        elif word.startswith("-") and len(word) > 1:
            options.extend(_letters(word[1:], rest))
        else:
            ends.append(word)
    return options, ends


def _letters(word: str, rest: Iterator[str]) -> Iterator[tuple[str, str]]:
    for i, letter in enumerate(word):
        if letter in RSYNC_LETTERS:
            yield RSYNC_LETTERS[letter], word[i + 1 :].lstrip("=") or next(rest, "")
            return
        yield RSYNC_SHORT.get(letter, letter), ""


def _rate(text: str) -> float | None:
    """KiB/s of `--bwlimit`: units of 1024 bytes, or what its suffix says; 0 is none."""
    match = RATE.match(text)
    if match is None:
        return None
    factor = {"": 1, "k": 1, "m": 1024, "g": 1024**2}[match[2].lower()]
    return float(match[1]) * factor or None


# -- cp and scp ------------------------------------------------------------------------------------


def _plain(tool: str, takes: str, into: str) -> Callable[[list[str]], Copying | None]:
    """Reads a copy that neither deletes nor sets aside."""

    def read(words: list[str]) -> Copying | None:
        letters, ends = _split(words, takes)
        if into and into in letters:
            return Copying(tool, why_not="it copies into a folder that stands first")
        if len(ends) < 2:
            return None
        deep = set(letters) & {*"arR", "archive", "recursive"}
        return Copying(
            tool,
            sources=tuple(place_of(e) if tool == "scp" else Place(e) for e in ends[:-1]),
            target=place_of(ends[-1]) if tool == "scp" else Place(ends[-1]),
            why_not="" if deep else "without -r it goes into no folder",
        )

    return read


TOOLS: dict[str, Callable[[list[str]], Copying | None]] = {
    "rsync": _rsync,
    "scp": _plain("scp", "PilocFJSDX", ""),
    "cp": _plain("cp", "tS", "t"),
}


# -- snapshots that are sent -----------------------------------------------------------------------


def _sent(commands: list[list[str]]) -> Copying | None:
    """`zfs send … | ssh box zfs receive …`, and the same of Btrfs, in either direction."""
    first, last = _over_ssh(commands[0]), _over_ssh(commands[-1])
    if first is None or last is None:
        return None
    (from_user, from_host, send), (to_user, to_host, receive) = first, last
    tool = send[0].rpartition("/")[2] if send else ""
    if receive[:1] == [] or receive[0].rpartition("/")[2] != tool or tool not in ("zfs", "btrfs"):
        return None
    if send[1:2] != ["send"] or receive[1:2] not in (["receive"], ["recv"]):
        return None
    takes, told = ("iIXt", "ox") if tool == "zfs" else ("pcf", "fCE")
    sent, got = _left(send[2:], takes), _left(receive[2:], told)
    if len(sent) != 1 or len(got) != 1:
        return None
    name, _, leaf = sent[0].rpartition("@" if tool == "zfs" else "/")
    if "$" not in leaf:
        return Copying(tool, why_not="it names one snapshot, the same at each run")
    return Copying(
        tool,
        sources=(Place(name, from_host, from_user),),
        target=Place(got[0].partition("@")[0] if tool == "zfs" else got[0], to_host, to_user),
        deletes=True,  # of the newest state; older ones are snapshots
        blocks=True,
        raw=any(w == "--raw" or re.fullmatch(r"-[A-Za-z]*w[A-Za-z]*", w) for w in send[2:]),
    )


def _over_ssh(words: list[str]) -> tuple[str, str, list[str]] | None:
    """Who and where, and the words of the command that runs there; here where no ssh is."""
    if words[0].rpartition("/")[2] != "ssh":
        return "", "", words
    rest = _left(words[1:], SSH_TAKES, stop=True)
    if len(rest) < 2:
        return None
    user, host = _who(rest[0])
    try:
        inner = _words(" ".join(rest[1:])) if len(rest) == 2 else rest[1:]
    except ValueError:
        return None
    return user, host, _bare(list(inner))


def _left(words: Sequence[str], takes: str | frozenset[str], stop: bool = False) -> list[str]:
    """What is no option; `stop`: after the first such word all are."""
    return _split(words, takes, stop)[1]


def _split(
    words: Sequence[str], takes: str | frozenset[str], stop: bool = False
) -> tuple[set[str], list[str]]:
    """Options by their letters or long names, those that `take` a word without it; and what is none."""
    options: set[str] = set()
    left: list[str] = []
    rest = iter(words)
    for word in rest:
        if left and stop:
            left.append(word)
        elif word == "--":
            left.extend(rest)
        elif word.startswith("--"):
            options.add(word[2:])
        elif word.startswith("-") and len(word) > 1:
            taken = next((i for i, c in enumerate(word[1:], 1) if c in takes), 0)
            options |= set(word[1 : taken + 1] if taken else word[1:])
            if taken and taken == len(word) - 1:
                next(rest, None)
        else:
            left.append(word)
    return options, left
