"""What rsync says that it does: its list of items, names, and statistics. Source: rsync(1), OUTPUT and OPTIONS.

How many bytes its protocol takes is a guess; the order of what it deletes among the rest, too.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from kavrel.rig.files import File

NEW = "+++++++++"
# Options that it behaves by; in the stand-in these change nothing that anybody sees of files.
LETTERS = "aHAXrltpgoDvnizqxSWs"
WORDS = frozenset({
    "archive", "recursive", "links", "perms", "times", "group", "owner", "acls", "xattrs", "hard-links",
    "verbose", "quiet", "dry-run", "itemize-changes", "stats", "partial", "compress", "whole-file",
    "numeric-ids", "sparse", "one-file-system", "delete", "del", "delete-before", "delete-during",
    "delete-after", "delete-delay", "backup", "mkpath", "from0", "remove-source-files", "fsync",
    "secluded-args",
})  # fmt: skip
VALUED = frozenset({
    "exclude", "backup-dir", "bwlimit", "timeout", "contimeout", "password-file", "rsh", "files-from",
})  # fmt: skip
SHORT = {"n": "dry-run", "i": "itemize-changes", "v": "verbose", "q": "quiet", "e": "rsh"}
ALIKE = {"del", "delete-before", "delete-during", "delete-after", "delete-delay"}
HELLO, ENTRY, ANSWER = 70, 35, 19  # bytes


class Unknown(Exception):
    """An option that the stand-in does not behave by."""


def sorted_out(words: Sequence[str]) -> tuple[list[str], list[str]]:
    """Its options, each in its long form and with its value, and its ends. Raises Unknown."""
    options: list[str] = []
    ends: list[str] = []
    left = list(words)
    while left:
        word = left.pop(0)
        if word.startswith("--"):
            name, equals, value = word[2:].partition("=")
            if name in VALUED and not equals:
                value, equals = (left.pop(0) if left else ""), "="
            if name not in (VALUED if equals else WORDS):
                raise Unknown(f"--{name}")
            name = "delete" if name in ALIKE else name
            options.append(f"--{name}{equals}{value}")
        elif word.startswith("-") and len(word) > 1:
            for place, letter in enumerate(word[1:], 2):
                if letter == "e":
                    options.append(f"--rsh={word[place:] or (left.pop(0) if left else '')}")
                    break
                if letter not in LETTERS:
                    raise Unknown(f"-{letter}")
                options.append(f"--{SHORT[letter]}" if letter in SHORT else f"-{letter}")
        else:
            ends.append(word)
    return options, ends


class Item(NamedTuple):
    """Something that is done: to a file or, with a slash at its end, to a folder."""

    mark: str
    name: str


def told(
    state: Mapping[str, File],
    now: Mapping[str, File],
    after: Mapping[str, File],
    options: Sequence[str],
    ways: tuple[bool, bool],
    made: tuple[int, str],
) -> list[str]:
    """The lines of a run; `ways`: whether it comes from another box, and whether it goes to one.

    `made`: how many folders are made to get to the target, and its name as it was typed.
    """
    comes, goes = ways
    items = list(_items("", state, now, after, "<" if goes else ">", made[0] > 0))
    rows: list[str] = []
    names, verbose = "--itemize-changes" in options, "--verbose" in options
    if "--quiet" in options:
        return []
    if verbose:
        rows.append(f"{'receiving' if comes else 'sending'} incremental file list")
    if made[0] and (names or verbose):
        many = f"created {made[0]} directories for {made[1]}"
        rows.append(f"created directory {made[1]}" if made[0] == 1 else many)
    if names:
        rows += [f"{i.mark:11} {i.name}" for i in items]
    elif verbose:
        rows += [f"deleting {i.name}" if i.mark == DELETES else i.name for i in items]
    sums = _Sums.of(state, now, after, items)
    if "--stats" in options:
        rows += ["", *sums.block()]
    if verbose or "--stats" in options:
        rows += ["", *sums.ends("--dry-run" in options)]
    return rows


DELETES = "*deleting"


def _folders(files: Mapping[str, File]) -> set[str]:
    """All folders that lead to files."""
    parts = (name.split("/")[:-1] for name in files)
    return {"/".join(p[: n + 1]) for p in parts for n in range(len(p))}


def _items(
    folder: str,
    state: Mapping[str, File],
    now: Mapping[str, File],
    after: Mapping[str, File],
    way: str,
    is_new: bool,
) -> Iterator[Item]:
    """Folder by folder, the files of each before the folders in it."""
    wanted, there, kept = _folders(state), _folders(now), _folders(after)
    gone = {n for n in now if n not in after}
    made = {n for n in after if n not in now}

    def inside(names: Iterator[str], above: str) -> list[str]:
        return sorted(n for n in names if n.rpartition("/")[0] == above)

    def walk(at: str) -> Iterator[Item]:
        own = {*inside(iter(gone), at), *inside(iter(made), at), *inside(iter(there ^ kept), at)}
        if is_new if not at else at not in there:
            yield Item(f"cd{NEW}", f"{at}/" if at else "./")
        elif own:
            yield Item(".d..t......", f"{at}/" if at else "./")
        for name in inside(iter(there - kept), at):
            yield from (Item(DELETES, n) for n in sorted(gone) if n.startswith(f"{name}/"))
            yield Item(DELETES, f"{name}/")
        for name in inside(iter(gone), at):
            yield Item(DELETES, name)
        for name in inside(iter(after), at):
            old, new = now.get(name), after[name]
            if old is None:
                yield Item(f"{way}f{NEW}", name)
            elif new is not old:
                size = "s" if new.size != old.size else "."
                when = "t" if int(new.mtime) != int(old.mtime) else "."
                yield Item(f"{way}f.{size}{when}......", name)
        for name in inside(iter(kept & wanted), at):
            yield from walk(name)

    yield from walk(folder)


class _Sums(NamedTuple):
    """What the statistics count: of all that is looked at, made, deleted and carried."""

    files: int
    folders: int
    made: int
    folders_made: int
    deleted: int
    folders_deleted: int
    carried: int
    total_bytes: int
    carried_bytes: int

    @classmethod
    def of(
        cls,
        state: Mapping[str, File],
        now: Mapping[str, File],
        after: Mapping[str, File],
        items: Sequence[Item],
    ) -> "_Sums":
        carried = [n for n, f in after.items() if now.get(n) is not f]
        gone = [i.name.endswith("/") for i in items if i.mark == DELETES]
        return cls(
            files=len(state),
            folders=len(_folders(state)) + 1,
            made=sum(n not in now for n in carried),
            folders_made=sum(i.mark.startswith("cd") for i in items),
            deleted=gone.count(False),
            folders_deleted=gone.count(True),
            carried=len(carried),
            total_bytes=sum(f.size for f in state.values()),
            carried_bytes=sum(after[n].size for n in carried),
        )

    @property
    def sent(self) -> int:
        """Bytes that go out."""
        return HELLO + ENTRY * (self.files + self.folders) + self.carried_bytes

    @property
    def received(self) -> int:
        """Bytes that are answered."""
        return ANSWER * (self.carried + 1)

    def block(self) -> Iterator[str]:
        """Of `--stats`."""
        yield f"Number of files: {_counted(self.files, self.folders)}"
        yield f"Number of created files: {_counted(self.made, self.folders_made)}"
        yield f"Number of deleted files: {_counted(self.deleted, self.folders_deleted)}"
        yield f"Number of regular files transferred: {self.carried:,}"
        yield f"Total file size: {self.total_bytes:,} bytes"
        yield f"Total transferred file size: {self.carried_bytes:,} bytes"
        yield f"Literal data: {self.carried_bytes:,} bytes"
        yield "Matched data: 0 bytes"
        yield "File list size: 0"
        yield "File list generation time: 0.001 seconds"
        yield "File list transfer time: 0.000 seconds"
        yield f"Total bytes sent: {self.sent:,}"
        yield f"Total bytes received: {self.received:,}"

    def ends(self, dry: bool) -> Iterator[str]:
        """The last two lines."""
        both = self.sent + self.received
        yield f"sent {self.sent:,} bytes  received {self.received:,} bytes  {both * 2:,.2f} bytes/sec"
        quick = f"total size is {self.total_bytes:,}  speedup is {self.total_bytes / both:,.2f}"
        yield f"{quick} (DRY RUN)" if dry else quick


def _counted(files: int, folders: int) -> str:
    kinds = [f"{k}: {n:,}" for k, n in (("reg", files), ("dir", folders)) if n]
    return f"{files + folders:,} ({', '.join(kinds)})" if kinds else "0"
