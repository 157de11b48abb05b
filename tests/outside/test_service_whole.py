"""Kavrel as the service that docs/install.md has, under a real systemd: let in, killed, copied, started again.

Sources: systemd 252 itself, with all that the unit forbids; docs/install.md for what is typed.
"""

import shutil
import subprocess
import sys
import sysconfig
from pathlib import Path

import pytest

from tests.conftest import needs
from tests.outside import uml

HOME = Path(__file__).resolve().parents[2]
DEBIANS = Path("/usr/bin/python3")


def same_python() -> bool:
    """Whether Debian's own Python, which a service may see, takes the packages that are here."""
    if not DEBIANS.exists():
        return False
    words = [str(DEBIANS), "-c", "import sys; print(*sys.version_info[:2])"]
    said = subprocess.run(words, check=True, capture_output=True, text=True).stdout
    return said.split() == [str(n) for n in sys.version_info[:2]]


pytestmark = [
    pytest.mark.prove,
    pytest.mark.whole_box,
    needs("curl"),
    pytest.mark.skipif(not uml.can_start_whole(), reason="no user-mode-linux with systemd here"),
    pytest.mark.skipif(not same_python(), reason="Debian's Python is another one"),
]
PROGRAM = f"""#!{DEBIANS}
import sys
sys.path[:0] = [{str(HOME)!r}, {sysconfig.get_path("purelib")!r}]
from kavrel.cli import main
main()
"""
WORDS = r"printf 'copper kettle wakes early\ncopper kettle wakes early\n'"
WELL = """
ask() { for n in $(seq 90); do curl -sk https://127.0.0.1:8321/healthz && break; sleep 3; done; echo; }
well() { ask | sed 's/^{/health {/'; }
main() { systemctl show -P MainPID kavrel; }
mine() { stat -c 'file %n %U %a' /var/lib/private/kavrel/* /var/lib/private/kavrel/backups/* 2>/dev/null; }
export KAVREL_DATABASE=/var/lib/kavrel/kavrel.db
"""


def test_the_service_runs_as_installed_and_what_root_types_beside_it_is_its_own(
    tmp_path: Path,
) -> None:
    shutil.copy(HOME / "packaging" / "kavrel.service", tmp_path)
    (tmp_path / "kavrel").write_text(PROGRAM, encoding="utf-8")
    box = uml.Whole(tmp_path, [])
    said = box.start(
        WELL
        + f"""
mkdir -p /opt/kavrel/bin; install -m 755 /job/kavrel /opt/kavrel/bin/kavrel
cp /job/kavrel.service /etc/systemd/system/; systemctl daemon-reload; systemctl enable --now kavrel
until journalctl -u kavrel | grep -q 'make a planner first'; do sleep 3; done; echo "refused"
rm -rf /var/lib/private/kavrel/*
{WORDS} | /opt/kavrel/bin/kavrel account add me 2>/dev/null
well
kill -9 "$(main)"; well
/opt/kavrel/bin/kavrel backup --keep 7d2w1m1y
systemctl stop kavrel; echo y | /opt/kavrel/bin/kavrel restore /var/lib/kavrel/backups/kavrel-*.db
systemctl start kavrel
well; mine
"""
    )
    lines = said.splitlines()
    assert "refused" in lines, said  # nobody may come in yet, and it says how
    assert "me may come in as planner" in lines
    health = [x for x in lines if x.startswith("health ")]
    assert len(health) == 3, said
    assert all('"state":"well"' in x for x in health)
    files = {x.split()[1].rpartition("/")[2]: x.split()[2:] for x in lines if x.startswith("file ")}
    assert {"kavrel.db", "kavrel.db.lock", "backups", "certificate"} <= set(files), said
    assert len([name for name in files if name.startswith("kavrel-")]) == 1
    assert {tuple(f) for f in files.values()} == {("kavrel", "600"), ("kavrel", "700")}, files
    # The next start of the box has it again, for the same people.
    again = box.start(
        WELL + "well; /opt/kavrel/bin/kavrel account list; systemctl is-system-running\n"
    )
    assert '"state":"well"' in again
    assert "me" in again
    assert "running" in again.splitlines(), again
