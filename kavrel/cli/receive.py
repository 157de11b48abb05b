"""A stand-in mail server and webhook receiver on this machine alone, to try messages with."""

import asyncio
import email
import email.policy
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Thread
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from aiosmtpd.smtp import SMTP, Envelope, Session

LARGEST = 2**20


class _Mailbox:
    """Prints each mail that arrives; nothing is passed on."""

    async def handle_DATA(self, server: "SMTP", session: "Session", envelope: "Envelope") -> str:
        """Takes a mail."""
        content = envelope.content or b""
        raw = content if isinstance(content, bytes) else content.encode()
        mail = email.message_from_bytes(raw, policy=email.policy.default)
        body = mail.get_body(("plain",))
        click.echo(f"--- mail to {', '.join(envelope.rcpt_tos)}: {mail['Subject']}")
        click.echo(body.get_content().rstrip() if body else "(no text)")
        return "250 taken"


class _Hook(BaseHTTPRequestHandler):
    """Prints each call."""

    def do_POST(self) -> None:
        """Takes a call."""
        length = min(int(self.headers.get("content-length") or 0), LARGEST)
        text = self.rfile.read(length).decode("utf-8", "replace")
        signed = self.headers.get("kavrel-signature")
        click.echo(f"--- call of {self.path}, {'signed' if signed else 'not signed'}\n{text}")
        self.send_response(204)
        self.end_headers()

    def log_message(self, *args: Any) -> None:
        """Nothing beside the call."""


@click.command("receive")
@click.option("--mail", default=8325, show_default=True, type=click.IntRange(0, 65535))
@click.option("--web", default=8380, show_default=True, type=click.IntRange(0, 65535))
def receive(mail: int, web: int) -> None:
    """Take mail and calls on this machine and print them, to try messages with."""
    from aiosmtpd.smtp import SMTP

    async def run() -> None:
        loop = asyncio.get_running_loop()
        server = await loop.create_server(
            lambda: SMTP(_Mailbox(), hostname="receive.invalid"), "127.0.0.1", mail
        )
        port = server.sockets[0].getsockname()[1]
        hooks = ThreadingHTTPServer(("127.0.0.1", web), _Hook)
        Thread(target=hooks.serve_forever, daemon=True).start()
        click.echo(
            f"mail at 127.0.0.1:{port} (no TLS, no login), calls at http://127.0.0.1:{hooks.server_port}/"
        )
        async with server:
            await server.serve_forever()

    try:
        asyncio.run(run())
    except OSError as error:
        raise click.ClickException(f"a port cannot be had ({error.strerror})") from error
    except KeyboardInterrupt:
        click.echo("no more is taken")
