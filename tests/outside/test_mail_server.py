"""Messages through Debian's own mail server: Exim 4 takes them over TLS, with a login, and delivers them.

Sources: Exim 4.96 itself; RFC 5321, 5322, 3207 (STARTTLS), 4954 (AUTH) as it keeps them.
"""

import email
import email.policy
import os
import shutil
import subprocess
import time
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from tempfile import mkdtemp

import pytest

from kavrel.api.told.post import NotSent, post
from kavrel.store.certificate import Certificate
from kavrel.store.outbox import Way
from tests.api.test_told import message
from tests.conftest import free_port, needs, until_it_answers

pytestmark = [
    needs("exim4"),
    pytest.mark.skipif(os.geteuid() != 0, reason="Exim reads a configuration of ours as root only"),
]
CONFIGURATION = """
primary_hostname = localhost
daemon_smtp_ports = {port}
local_interfaces = <; 127.0.0.1
{tls}
spool_directory = {folder}/spool
log_file_path = {folder}/%slog
pid_file_path = {folder}/pid
exim_user = root
exim_group = root
never_users =
acl_smtp_rcpt = check
begin acl
check:
  deny  message = nobody of that name here
        local_parts = nobody-here
  {wants}
  accept
begin routers
here:
  driver = accept
  transport = box
begin transports
box:
  driver = appendfile
  directory = {folder}/boxes
  user = mail
  group = mail
  maildir_format
  envelope_to_add
  return_path_add
begin authenticators
plain:
  driver = plaintext
  public_name = PLAIN
  server_prompts = :
  server_condition = ${{if and {{{{eq{{$auth2}}{{lab}}}}{{eq{{$auth3}}{{pass phrase}}}}}}}}
  server_set_id = $auth2
"""
WAY = Way(
    id="post",
    kind="mail",
    name="post",
    works=True,
    place="ana@home.example",
    server="localhost",
    port=0,
    security="starttls",
    login="lab",
    secret="pass phrase",
    sender="lab@home.example",
    quiet_from="22:00",
    quiet_until="07:00",
    daily_at="08:00",
    heartbeat_day=None,
)


@dataclass(frozen=True)
class Server:
    """A running mail server and what it delivered."""

    port: int
    box: Path

    def way(self, **other: object) -> Way:
        return replace(WAY, port=self.port, **other)  # type: ignore[arg-type]

    def mails(self) -> list[email.message.EmailMessage]:
        """What lies in the box, once its log says that all that was taken is done with."""
        log, deadline = self.box.parent / "mainlog", time.monotonic() + 120
        while (said := log.read_text()).count(" <= ") > said.count("Completed"):
            assert time.monotonic() < deadline, said
        return [
            email.message_from_bytes(f.read_bytes(), policy=email.policy.default)
            for f in self.box.glob("new/*")
        ]


@pytest.fixture(params=["starttls", "tls"])
def server(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> Iterator[Server]:
    folder, port = Path(mkdtemp(prefix="mail")), free_port()
    own = Certificate(folder / "own")
    own.ready(["localhost"])
    monkeypatch.setenv("SSL_CERT_FILE", str(own.authority))
    tls = f"tls_advertise_hosts = *\ntls_certificate = {own.file}\ntls_privatekey = {own.key}"
    if request.param == "tls":
        tls += f"\ntls_on_connect_ports = {port}"
    # As a careful provider has it: only over TLS, and only for who has signed in.
    wants = (
        "deny  message = not without TLS\n        encrypted = \n  "
        "deny  message = sign in first\n        !authenticated = *"
    ).replace("encrypted = ", "!encrypted = *")
    text = CONFIGURATION.format(port=port, folder=folder, tls=tls, wants=wants)
    (folder / "exim.conf").write_text(text)
    (folder / "spool").mkdir()
    folder.chmod(0o755)
    (folder / "boxes").mkdir()
    (folder / "boxes").chmod(0o777)
    running = subprocess.Popen(
        ["exim4", "-bdf", "-odi", "-C", folder / "exim.conf"], stderr=subprocess.PIPE
    )
    until_it_answers(port)
    yield Server(port, folder / "boxes")
    running.terminate()
    running.communicate()
    shutil.rmtree(folder)


def test_debians_mail_server_takes_and_delivers_it(
    server: Server, request: pytest.FixtureRequest
) -> None:
    security = request.node.callspec.params["server"]
    way = server.way(security=security)
    body = "Zoë’s copy failed\n.\n..dots\nFrom here on\n" + "a very long line " * 200 + "\n"
    post(message("Lab: the nightly copy of Zoë’s 日本 failed", body), way)
    (mail,) = server.mails()
    assert mail["Subject"] == "Lab: the nightly copy of Zoë’s 日本 failed"
    assert mail["Envelope-to"] == "ana@home.example"
    assert mail["Message-ID"] == "<abc123@home.example>"
    assert mail["Auto-Submitted"] == "auto-generated"
    assert mail.get_content().replace("\r\n", "\n").rstrip() == body.rstrip()
    # A wrong login, a name that nobody has, a server that one does not trust: said, and nothing lands.
    with pytest.raises(NotSent, match="535"):
        post(message("x", "y"), replace(way, secret="another"))
    with pytest.raises(NotSent, match="nobody of that name"):
        post(message("x", "y"), replace(way, place="nobody-here@home.example"))
    with pytest.raises(NotSent, match="sign in first"):
        post(message("x", "y"), replace(way, login=""))
    with pytest.raises(NotSent, match="certificate verify failed"):
        post(message("x", "y"), replace(way, server="127.0.0.1"))
    assert len(server.mails()) == 1


@pytest.mark.parametrize("server", ["starttls"], indirect=True)
def test_what_was_to_be_encrypted_never_goes_in_the_clear(server: Server) -> None:
    """A login is not even tried without TLS: Exim would refuse it, and it would have been heard."""
    with pytest.raises(NotSent):
        post(message("x", "y"), server.way(security="none"))
    assert server.mails() == []
