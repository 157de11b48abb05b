"""A drill in a real shell: what is typed goes to the stand-in, and nothing else of the machine is reached."""

import subprocess
import sys
from pathlib import Path

import pytest

from kavrel.formats.plan_file import dump
from tests.builders import job, lab
from tests.conftest import needs

pytestmark = needs("bash")


def played(folder: Path, night: str, *typed: str, box: str = "box") -> tuple[list[str], str, int]:
    """What a shell over a small lab says to these lines: what is printed, what is complained of, the code."""
    plan = lab(jobs=(job("snaps"), job("far", "replication", target_pool="second")))
    file = folder / "plan.json"
    file.write_text(dump(plan))
    command = [sys.executable, "-m", "kavrel.cli", "drill", str(file), night, "--box", box]
    done = subprocess.run(
        [*command, "--today", "2026-11-24"],
        input="".join(f"{line}\n" for line in typed),
        capture_output=True,
        text=True,
        check=False,
        timeout=360,
    )
    return done.stdout.splitlines(), done.stderr, done.returncode


def test_a_dead_disk_is_replaced_from_a_shell_and_it_is_judged(tmp_path: Path) -> None:
    said, wrong, code = played(
        tmp_path, "one_disk", "zpool status main", "hands", "hands buy main",
        "zpool replace main box1 NEW-0001", "zpool status -x main", "lab-job list",
    )  # fmt: skip
    assert (code, wrong) == (0, "")
    told = "\n".join(said)
    assert "main is not well" in said[0]
    assert "FAULTED" in told
    assert "hands buy main" in told
    assert "pool 'main' is healthy" in told
    assert "snaps: snapshot" in told
    assert any(line.startswith("over after") for line in said)


def test_programs_read_what_others_print_as_in_any_shell(tmp_path: Path) -> None:
    point = "$(zfs list -H -t snapshot -o name -r main/files | tail)"
    said, wrong, _ = played(
        tmp_path, "errors", "ssh far zfs list -H -o name", "zfs snapshot main/files@by-hand",
        "zfs send main/files@by-hand | ssh far zfs receive second/back",
        "ssh far zfs list -H -o name", f"echo {point}",
        "false | zpool status nowhere; echo it ended with $?", "tar --version",
    )  # fmt: skip
    assert said.count("second/back") == 1
    assert "tail: command not found" in wrong  # the stand-in has none
    assert "cannot open 'nowhere'" in wrong
    assert "it ended with 1" in said


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ("echo x >made", "restricted: cannot redirect output"),
        ("/bin/ls /", "restricted: cannot specify `/' in command names"),
        ("PATH=/bin:/usr/bin", "readonly variable"),
        ("exec /bin/sh", "restricted"),
        ("cd /", "restricted"),
        ("touch made; rm made; python3 -c 1", "python3: command not found"),
    ],
)
def test_nothing_of_the_machine_is_reached_from_it(tmp_path: Path, line: str, why: str) -> None:
    before = {p: p.stat().st_mtime_ns for p in tmp_path.iterdir()}
    said, wrong, _ = played(tmp_path, "errors", line, "hostname")
    assert why in wrong
    assert "box" in said, "the shell goes on"
    assert [p.name for p in tmp_path.iterdir() if p not in before] == ["plan.json"]


def test_the_shell_itself_looks_at_nothing_of_the_machine(tmp_path: Path) -> None:
    typed = (
        "test -e /etc/passwd; echo there $?", "test -d /srv/main; echo data $?", "[ -e /etc ]",
        "echo stars /etc/*", "compgen -f /etc/", "mapfile -t lines </etc/passwd; echo read ${#lines[@]}",
    )  # fmt: skip
    said, wrong, _ = played(tmp_path, "errors", *typed)
    assert "stars /etc/*" in said
    assert "/etc/passwd" not in said
    assert "read 0" in said
    assert "there 1" in said
    assert "data 0" in said
    assert "[: command not found" in wrong


def test_what_ran_is_gone_when_it_ends_and_other_boxes_are_a_word_away(tmp_path: Path) -> None:
    typed = ("echo $PATH", "on-far", "echo $PATH", "hostname", "exit", "hostname")
    said, wrong, code = played(tmp_path, "errors", *typed)
    assert (code, wrong) == (0, "")
    assert said.index("far") < said.index("box")
    places = [Path(line) for line in said if line.startswith("/")]
    assert [p.name for p in places] == ["box", "far"]
    assert not any(p.parents[1].exists() for p in places)


def test_nights_are_listed_and_others_refused(tmp_path: Path) -> None:
    file = tmp_path / "plan.json"
    file.write_text(dump(lab()))
    command = [sys.executable, "-m", "kavrel.cli", "drill", str(file)]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    assert "errors               errors are reported" in done.stdout
    done = subprocess.run([*command, "flood"], capture_output=True, text=True, check=False)
    assert (done.returncode, "no drill flood" in done.stderr) == (1, True)
