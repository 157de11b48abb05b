"""What a line of a crontab copies, held against a real shell and a real rsync's own list of options."""

import json
import re
import shlex
import subprocess
from pathlib import Path

import pytest

from kavrel.core.seen.copying import RSYNC_LETTERS, RSYNC_TAKES, Copying, Place, copyings, place_of
from tests.conftest import needs


def one(command: str) -> Copying:
    (made,) = copyings(command)
    return made


@pytest.mark.parametrize(
    ("command", "sources", "target"),
    [
        ("rsync -a --delete /tank/photos/ /vault/photos", ["/tank/photos/"], Place("/vault/photos")),
        ("rsync -a /a /b ana@far:/x", ["/a", "/b"], Place("/x", "far", "ana")),
        (
            "nice -n 19 ionice -c3 rsync -aHAX -e 'ssh -p 22' /a root@10.0.0.9:/x >/dev/null 2>&1",
            ["/a"],
            Place("/x", "10.0.0.9", "root"),
        ),
        ("flock -n /run/x.lock -c 'rsync -a /a /b'", ["/a"], Place("/b")),
        ("flock -w 5 /run/x.lock timeout -k 5 3h rsync -a /a /b", ["/a"], Place("/b")),
        ("mountpoint -q /mnt/x && rsync -rt /a/ /mnt/x/ || echo no | mail root", ["/a/"], Place("/mnt/x/")),
        ("cd /tank && rsync -a photos ana@far::mod/sub", ["/tank/photos"], Place("sub", "far", "ana", "mod")),
        ("rsync -a /a rsync://far:873/mod", ["/a"], Place("", "far", "", "mod")),
        ("LC_ALL=C sudo -u root rsync -a '/a b' \"/c d\" | logger -t x", ["/a b"], Place("/c d")),
        ("bash -c \"test -x /usr/bin/rsync && rsync -a /a /b\"", ["/a"], Place("/b")),
        ("if test -d /b; then rsync -a /a /b; fi", ["/a"], Place("/b")),
        ("scp -qr -P 22 -i /root/key /a far:/b", ["/a"], Place("/b", "far")),
        ("cp -au /a /b", ["/a"], Place("/b")),
        ("rsync -a /a '[fe80::1]:/x'", ["/a"], Place("/x", "fe80::1")),
    ],
)  # fmt: skip
def test_what_a_line_copies(command: str, sources: list[str], target: Place) -> None:
    made = one(command)
    assert ([s.path for s in made.sources], made.target, made.why_not) == (sources, target, "")


@pytest.mark.parametrize(
    ("command", "deletes", "trash", "left_out", "limit"),
    [
        ("rsync -a /a /b", False, False, (), None),
        ("rsync -a --delete-after --exclude .c --exclude='*.d' /a /b", True, False, (".c", "*.d"), None),
        ("rsync -a --del --backup --backup-dir=/b/old --bwlimit 500 /a /b", True, True, (), 500.0),
        ("rsync -ab --bwlimit=1.5m /a /b", False, True, (), 1536.0),
        ("rsync -a --bwlimit=0 /a /b", False, False, (), None),
    ],
)  # fmt: skip
def test_what_becomes_of_what_is_deleted_and_what_is_left_out(
    command: str, deletes: bool, trash: bool, left_out: tuple[str, ...], limit: float | None
) -> None:
    """Units of `--bwlimit` are 1024 bytes a second. Source: rsync(1)."""
    made = one(command)
    said = (made.deletes, made.trash, made.left_out, made.kib_per_s, made.why_not)
    assert said == (deletes, trash, left_out, limit, "")


@pytest.mark.parametrize(
    ("command", "source", "target", "raw"),
    [
        (
            "zfs send -w -i tank/p@a tank/p@$(date +\\%F) | mbuffer | ssh -p 22 root@far zfs recv -Fu burrow/p",
            Place("tank/p"),
            Place("burrow/p", "far", "root"),
            True,
        ),
        (
            "ssh -i /root/key far 'zfs send -I @a tank/p@`date`' | zfs receive -o mountpoint=none vault/p",
            Place("tank/p", "far"),
            Place("vault/p"),
            False,
        ),
        (
            "btrfs send -p /a/.s/$OLD /a/.s/$NEW | ssh far btrfs receive /b",
            Place("/a/.s"),
            Place("/b", "far"),
            False,
        ),
    ],
)  # fmt: skip
def test_snapshots_that_are_sent(command: str, source: Place, target: Place, raw: bool) -> None:
    made = one(command)
    assert (made.sources, made.target, made.raw, made.why_not) == ((source,), target, raw, "")


@pytest.mark.parametrize(
    ("command", "why"),
    [
        ("rsync -an --delete /a /b", "a dry run"),
        ("rsync -a --list-only /a /b", "copies nothing"),
        ("rsync -a --remove-source-files /a /b", "moves files away"),
        ("rsync -a --files-from=/etc/list /a /b", "--files-from"),
        ("rsync -a -f 'merge /etc/rules' /a /b", "--filter"),
        ("rsync -a --exclude-from /etc/list /a /b", "--exclude-from"),
        ("rsync -a --ignore-existing /a /b", "--ignore-existing"),
        ("rsync -a --exclude 'two words' /a /b", "--exclude"),
        ("rsync -a --link-dest=../old /a /b", "share files"),
        ("rsync -lt /a /b", "goes into no folder"),
        ("cp /a/* /b", "goes into no folder"),
        ("rsync -a /a/* /b", "hangs on a pattern"),
        ("rsync -a /a far:b", "no whole path"),
        ("rsync -a /a /b/$(date +\\%a)", "reckoned when it runs"),
        ("rsync -a $FROM /b", "reckoned when it runs"),
        ('[ "$(date +\\%u)" = 7 ] && rsync -a /a /b', "more than its calendar"),
        ("for d in a b; do rsync -a /t/a /b; done", "more than its calendar"),
        ("zfs send tank/p@old | zfs receive vault/p", "the same at each run"),
        ("cp -rt /b /a", "a folder that stands first"),
        ("test -e /b/done || rsync -a /a /b", "more than its calendar"),
    ],
)
def test_what_no_plan_can_say_is_said_with_the_reason(command: str, why: str) -> None:
    assert why in one(command).why_not


@pytest.mark.parametrize(
    "command",
    [
        "",
        "run-parts /etc/cron.hourly",
        "rsync",
        "rsync --version",
        'rsync -a "/a',
        "echo rsync -a /a /b",
        "/usr/local/bin/backup.sh",
        "rsync -a /a%rsync /b",  # what follows is its input, see crontab(5)
        "zfs send tank/p@a >/dev/null",
        "find / -name rsync | xargs cp",
        "sh -c " * 9 + "'rsync -a /a /b'",
        "((((&&;;||",
    ],
)
def test_what_copies_nothing_that_is_known_is_none(command: str) -> None:
    assert copyings(command) == ()


SHELL = (
    "rsync -a /a /b",
    "rsync  -a  '/a b'  \"/c d\" far:/x",
    "nice -n 3 rsync -a /a/\\ b /c >/dev/null 2>&1",
    "true && rsync -a /a /b || echo no",
    "cd / ; rsync -a --exclude='*.x' --delete /a /b; true",
    "X=1 Y='2 3' rsync -a -- /a /b </dev/null",
    "sh -c 'rsync -a \"/a b\" /c'",
    "(rsync -a /a /b)",
    "if true; then rsync -a /a /b & wait; fi",
    "timeout -k 5 60 env A=b rsync -aq /a /b | cat",
)


@pytest.mark.parametrize("line", SHELL)
def test_words_are_those_that_a_shell_makes_of_them(line: str, tmp_path: Path) -> None:
    """A real /bin/sh, with a program in the place of rsync that says what it was given."""
    said = tmp_path / "said"
    stub = tmp_path / "rsync"
    dump = f"import json,sys; open({str(said)!r}, 'w').write(json.dumps(sys.argv[1:]))"
    stub.write_text(f'#!/bin/sh\nexec python3 -c {shlex.quote(dump)} "$@"\n')
    stub.chmod(0o755)
    path = f"{tmp_path}:/usr/bin:/bin"
    subprocess.run(["/bin/sh", "-c", line], env={"PATH": path}, check=True, capture_output=True)
    given = [w for w in json.loads(said.read_text()) if not w.startswith("-")]
    (made,) = copyings(line.replace(" | cat", " | tee x"))
    assert [*made.sources, made.target] == [place_of(w) for w in given]


@needs("rsync")
def test_options_that_take_a_word_are_those_of_rsync_itself() -> None:
    """The parser of rsync says of each long and short option whether a word has to follow."""

    def said(option: str) -> str:
        return subprocess.run(["rsync", option], capture_output=True, text=True, check=False).stderr

    def takes(option: str) -> bool:
        return "missing argument" in said(option)

    shown = subprocess.run(["rsync", "--help"], capture_output=True, text=True, check=True).stdout
    long = set(re.findall(r"--([a-z0-9][a-z0-9-]+)", shown)) | RSYNC_TAKES
    assert len(long) > 100
    known = {name for name in long if takes(f"--{name}")}
    assert known - {"daemon"} <= RSYNC_TAKES
    # Older ones do not know all of them.
    others = {n for n in RSYNC_TAKES - known if "unknown option" not in said(f"--{n}")}
    assert others == set()
    letters = set(re.findall(r"(?<![\w-])-([A-Za-z0-9@])\b", shown))
    assert {c for c in letters if takes(f"-{c}")} <= {*RSYNC_LETTERS, "@"}
