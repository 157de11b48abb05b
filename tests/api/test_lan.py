"""The server as a house reaches it: TLS of its own making, people made at the machine, a proxy."""

import os
import socket
import ssl
import subprocess
import sys
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx2
import pytest
from cryptography import x509

from kavrel.store.certificate import Certificate, NotOfAHome
from kavrel.store.database import Database
from tests.conftest import free_port, needs, until_it_answers

WORDS = "copper kettle wakes early"


def kavrel(*args: str, words: str = "") -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "kavrel.cli", *args],
        input=words,
        capture_output=True,
        text=True,
        timeout=240,
        check=False,
    )


def handshake(port: int, version: ssl.TLSVersion, ciphers: str) -> str | None:
    """The cipher suite that OpenSSL's client agrees on when it offers these alone; None for none."""
    offered = ssl.create_default_context()
    offered.check_hostname, offered.verify_mode = False, ssl.CERT_NONE
    with warnings.catch_warnings(action="ignore"):  # that an old version is an old version
        offered.minimum_version = offered.maximum_version = version
    offered.set_ciphers(ciphers)
    try:
        with (
            socket.create_connection(("127.0.0.1", port), 20) as plain,
            offered.wrap_socket(plain) as secure,
        ):
            agreed = secure.cipher()
            return agreed[0] if agreed else None
    except (ssl.SSLError, ConnectionError):
        return None


@contextmanager
def serving(*args: str) -> Iterator[tuple[int, subprocess.Popen[str]]]:
    port = free_port()
    process = subprocess.Popen(
        [sys.executable, "-m", "kavrel.cli", "serve", "--port", str(port), *args],
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        until_it_answers(port)
        yield port, process
    finally:
        process.terminate()
        process.wait(90)
        if process.stdout:
            process.stdout.close()


def test_beyond_the_machine_nothing_is_served_before_there_is_somebody(tmp_path: Path) -> None:
    path = str(tmp_path / "k.db")
    refused = kavrel("serve", "--lan", "--database", path, "--port", "0")
    assert refused.returncode == 1
    assert "kavrel account add" in refused.stderr
    proxied = kavrel("serve", "--proxy", "127.0.0.1", "--database", path, "--port", "0")
    assert proxied.returncode == 1


def test_the_house_comes_in_over_tls_and_a_forgotten_password_is_mended(tmp_path: Path) -> None:
    path = str(tmp_path / "data" / "k.db")
    weak = kavrel("account", "add", "Ada", "--stdin", "--database", path, words="password1234\n")
    assert weak.returncode == 1
    assert "guessed" in weak.stderr
    made = kavrel("account", "add", "Ada", "--stdin", "--database", path, words=WORDS + "\n")
    assert made.returncode == 0, made.stderr
    # All addresses, asked over loopback alone.
    with serving("--lan", "--database", path) as (port, process):
        assert process.stdout
        assert handshake(port, ssl.TLSVersion.TLSv1_1, "ALL:@SECLEVEL=0") is None
        assert handshake(port, ssl.TLSVersion.TLSv1_2, "ECDHE+AES+SHA:ECDHE+AES+SHA384") is None
        assert "GCM" in str(handshake(port, ssl.TLSVersion.TLSv1_2, "ECDHE+AESGCM"))
        assert str(handshake(port, ssl.TLSVersion.TLSv1_3, "ALL")).startswith("TLS_")
        said = [process.stdout.readline() for _ in range(3)]
        folder = tmp_path / "data" / "certificate"
        trusting = ssl.create_default_context(cafile=str(folder / "authority.pem"))
        strict = trusting.verify_flags | ssl.VERIFY_X509_STRICT
        trusting.verify_flags = strict
        assert Certificate(folder).fingerprint in said[2]
        for name in ("localhost", "127.0.0.1"):
            with httpx2.Client(base_url=f"https://{name}:{port}", verify=trusting) as http:
                assert http.get("/api/plans").status_code == 401
                body = {"name": "Ada", "password": WORDS}
                assert http.post("/api/visitor/in", json=body).status_code == 200
                answer = http.get("/api/plans")
                assert answer.status_code == 200
                assert "max-age" in answer.headers["strict-transport-security"]
                assert b"CERTIFICATE" in http.get("/certificate.pem").content
        # The server is running meanwhile.
        other = "seven lamps in a row"
        assert (
            kavrel(
                "account", "password", "Ada", "--stdin", "--database", path, words=other + "\n"
            ).returncode
            == 0
        )
        with httpx2.Client(base_url=f"https://localhost:{port}", verify=trusting) as http:
            body = {"name": "Ada", "password": WORDS}
            assert http.post("/api/visitor/in", json=body).status_code == 401
            body["password"] = other
            assert http.post("/api/visitor/in", json=body).status_code == 200
        listed = kavrel("account", "list", "--database", path).stdout
        assert "Ada: planner" in listed
    for file in (tmp_path / "data").rglob("*"):
        wanted = 0o700 if file.is_dir() else 0o600
        assert file.stat().st_mode & 0o777 == wanted, file


def test_only_a_trusted_proxy_is_believed_where_a_request_came_from(tmp_path: Path) -> None:
    path = str(tmp_path / "k.db")
    kavrel("account", "add", "Ada", "--stdin", "--database", path, words=WORDS + "\n")
    words = ("--database", path, "--proxy", "127.0.0.1", "--prefix", "/lab", "--name", "lab.home")
    with serving(*words) as (port, _), httpx2.Client() as http:
        headers = {
            "host": "lab.home",
            "x-forwarded-for": "192.168.4.4",
            "x-forwarded-proto": "https",
        }
        base = f"http://127.0.0.1:{port}/lab"
        body = {"name": "Ada", "password": WORDS}
        wrong = {"name": "Ada", "password": "wrong words again"}
        assert http.post(f"{base}/api/visitor/in", json=wrong, headers=headers).status_code == 401
        answer = http.post(f"{base}/api/visitor/in", json=body, headers=headers)
        assert answer.headers["set-cookie"].startswith("__Host-kavrel="), "it is TLS out there"
        assert http.get(f"{base}/api/plans", headers={"host": "else.home"}).status_code == 403
    opened = Database(Path(path))
    with opened.reading() as db:
        assert db.execute(
            "SELECT DISTINCT address FROM door_note WHERE who = 'Ada'"
        ).fetchall() == [("192.168.4.4",)]
    opened.close()


def test_names_can_be_said_by_the_environment_as_a_container_needs_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("KAVREL_NAMES", "nas.home 192.168.7.5")
    with serving("--database", str(tmp_path / "k.db")) as (port, _), httpx2.Client() as http:
        for name, code in (("nas.home", 200), ("192.168.7.5:8321", 200), ("192.168.7.6", 403)):
            answer = http.get(f"http://127.0.0.1:{port}/api/plans", headers={"host": name})
            assert answer.status_code == code, name
        assert "--name" in answer.json()["detail"]


def test_without_a_trusted_proxy_forwarded_headers_are_not_believed(tmp_path: Path) -> None:
    path = str(tmp_path / "k.db")
    with serving("--database", path) as (port, _), httpx2.Client() as http:
        base = f"http://127.0.0.1:{port}"
        forged = {"x-forwarded-for": "127.0.0.1"}
        assert http.get(f"{base}/api/plans").status_code == 200
        assert http.get(f"{base}/api/plans", headers=forged).status_code == 401


# -- the certificate ---------------------------------------------------------------------------------


@needs("openssl")
def test_the_authority_speaks_for_home_names_alone_as_openssl_sees_it(tmp_path: Path) -> None:
    made = Certificate(tmp_path)
    made.ready(["attic.home.arpa", "cellar", "192.168.1.4", "fd00::4"])
    checked = subprocess.run(
        ["openssl", "verify", "-x509_strict", "-CAfile", made.authority, made.file],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert checked.returncode == 0, checked.stderr
    for name in ("bank.example", "192.0.2.7", "local.example"):
        with pytest.raises(NotOfAHome):
            made.ready([name])
    text = subprocess.run(
        ["openssl", "x509", "-in", made.authority, "-noout", "-text"],
        capture_output=True, text=True, check=True,
    ).stdout  # fmt: skip
    assert "CA:TRUE, pathlen:0" in text
    assert "X509v3 Name Constraints: critical" in text


def test_a_certificate_is_made_anew_before_it_runs_out_and_the_authority_stays(
    tmp_path: Path,
) -> None:
    made, now = Certificate(tmp_path), datetime(2026, 11, 24, tzinfo=UTC)
    made.ready(["cellar"], now)
    mark, first = made.fingerprint, made.file.read_bytes()
    made.ready(["cellar"], now + timedelta(days=100))
    assert made.file.read_bytes() == first, "nothing to do"
    made.ready(["cellar"], now + timedelta(days=340))
    assert made.file.read_bytes() != first
    assert made.fingerprint == mark, "what a telephone trusts stays"
    made.ready(["cellar", "192.168.1.9"], now)
    names = x509.load_pem_x509_certificate(made.file.read_bytes()).extensions
    found = names.get_extension_for_class(x509.SubjectAlternativeName).value
    assert "cellar" in found.get_values_for_type(x509.DNSName)
    assert all(os.stat(f).st_mode & 0o077 == 0 for f in tmp_path.iterdir())
