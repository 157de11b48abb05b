"""What the stand-in says of a certificate, held against openssl itself, which reads what that has made."""

import subprocess
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from kavrel.rig.bare.machine import Machine
from kavrel.rig.bare.openssl import openssl
from kavrel.rig.bare.said import Refused
from kavrel.rig.said import Said
from tests.conftest import needs

pytestmark = [needs("openssl")]
MAKE = (
    "req -x509 -newkey rsa:2048 -nodes -sha256 -days 40 -subj /CN=heron -addext"
    " subjectAltName=DNS:heron,IP:192.168.1.5,IP:fd00::5 -keyout /key -out /pem"
)
LOOKS = (
    "x509 -noout -pubkey -in /pem", "pkey -pubout -in /key", "x509 -noout -fingerprint -sha256 -in /pem",
    "x509 -noout -checkend 2592000 -in /pem", "x509 -noout -checkend 3888000 -in /pem",
    "x509 -noout -checkip 192.168.1.5 -in /pem", "x509 -noout -checkip 192.168.1.6 -in /pem",
    "x509 -noout -checkip fd00::5 -in /pem",
    "x509 -noout -checkhost heron -in /pem", "x509 -noout -checkhost her -in /pem",
)  # fmt: skip


class Unread:
    def line(self) -> str:
        raise AssertionError("it asks for nothing")

    def all(self) -> bytes:
        raise AssertionError("it asks for nothing")


def there(machine: Machine, line: str) -> Said:
    return openssl(machine, line.split(), Unread())


def really(folder: Path, line: str) -> subprocess.CompletedProcess[str]:
    words = [str(folder / w[1:]) if w.startswith("/") and "=" not in w else w for w in line.split()]
    return subprocess.run(["openssl", *words], capture_output=True, text=True, check=False)


@pytest.mark.parametrize("made_by", ["stand-in", "openssl"])
def test_a_certificate_is_what_openssl_says_of_it_whoever_made_it(
    made_by: str, tmp_path: Path
) -> None:
    machine = Machine(tmp_path, datetime.now(UTC).date())
    if made_by == "openssl":
        assert really(tmp_path, MAKE).returncode == 0
    else:
        assert there(machine, MAKE).code == 0
    assert (tmp_path / "key").stat().st_mode & 0o777 == 0o600
    for line in LOOKS:
        ours, real = there(machine, line), really(tmp_path, line)
        assert (ours.code, ours.out.decode()) == (real.returncode, real.stdout), line
    pem = tmp_path / "pem"
    assert (
        really(tmp_path, f"verify -CAfile {pem} {pem}".replace(str(tmp_path), "")).returncode == 0
    )
    machine.today += timedelta(days=41)
    assert there(machine, "x509 -noout -checkend 0 -in /pem").code == 1


@pytest.mark.parametrize(
    "line",
    [
        "x509 -noout -fingerprint -in /none",
        "pkey -pubout -in /none",
        "unknown-command",
        MAKE.replace("/key", "/none/key"),
        MAKE.replace("192.168.1.5", "192.168.1"),
    ],
)
def test_what_openssl_refuses_the_stand_in_refuses(line: str, tmp_path: Path) -> None:
    with pytest.raises(Refused):
        there(Machine(tmp_path, datetime.now(UTC).date()), line)
    assert really(tmp_path, line).returncode != 0
