"""Brings a message to where it belongs: a mail server, a webhook, or the page that fetches it."""

import hashlib
import hmac
import json
from datetime import UTC, datetime
from email.headerregistry import Address
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime
from urllib.parse import urlsplit

from kavrel.store.outbox import Message, Way

SECONDS = 20.0
LONGEST_SUBJECT = 140


class NotSent(RuntimeError):
    """The other side refused, or nobody answered; the text says why."""


def one_line(text: str) -> str:
    """Text that fits a header: no line ends, no control characters."""
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())[:LONGEST_SUBJECT]


def letter(message: Message, way: Way) -> EmailMessage:
    """The message as mail (RFC 5322), marked as made by a machine (RFC 3834)."""
    mail = EmailMessage(policy=SMTP)
    local, _, domain = way.sender.rpartition("@")
    mail["From"] = Address("Kavrel", local, domain)
    to_local, _, to_domain = way.place.rpartition("@")
    mail["To"] = Address("", to_local, to_domain)
    mail["Subject"] = one_line(message.subject)
    mail["Date"] = format_datetime(datetime.fromtimestamp(message.made_at, UTC))
    mail["Message-ID"] = f"<{message.mark}@{domain}>"
    mail["Auto-Submitted"] = "auto-generated"
    mail.set_content(message.body, cte="quoted-printable")
    return mail


def _mail(message: Message, way: Way) -> None:
    import smtplib
    import ssl

    secure = ssl.create_default_context()
    try:
        if way.security == "tls":
            server: smtplib.SMTP = smtplib.SMTP_SSL(
                way.server, way.port, timeout=SECONDS, context=secure
            )
        else:
            server = smtplib.SMTP(way.server, way.port, timeout=SECONDS)
        with server:
            if way.security == "starttls":
                server.starttls(context=secure)
            if way.login:
                server.login(way.login, way.secret)
            # Not by send_message: it would put a ">" before a line that begins with "From ".
            refused = server.sendmail(way.sender, [way.place], letter(message, way).as_bytes())
    except (smtplib.SMTPException, OSError, ValueError) as error:
        raise NotSent(one_line(str(error)) or type(error).__name__) from error
    if refused:
        raise NotSent(f"refused for {', '.join(refused)}")


def called(message: Message, way: Way) -> tuple[bytes, dict[str, str]]:
    """Body and headers of a webhook's call; with a secret it is signed (HMAC-SHA-256, RFC 2104)."""
    body = json.dumps(
        {
            "mark": message.mark,
            "plan": message.plan_id,
            "made_at": datetime.fromtimestamp(message.made_at, UTC).isoformat(),
            "subject": message.subject,
            "text": message.body,
        },
        ensure_ascii=False,
    ).encode()
    headers = {"Content-Type": "application/json", "User-Agent": "kavrel"}
    if way.secret:
        mark = hmac.new(way.secret.encode(), body, hashlib.sha256).hexdigest()
        headers["Kavrel-Signature"] = f"sha256={mark}"
    return body, headers


def _webhook(message: Message, way: Way) -> None:
    import urllib.error
    import urllib.request

    class NoWayOn(urllib.request.HTTPRedirectHandler):
        """A webhook that sends us elsewhere is not followed."""

        def redirect_request(self, *args: object, **more: object) -> None:
            """Nowhere."""

    body, headers = called(message, way)
    if urlsplit(way.place).scheme not in ("http", "https"):
        raise NotSent("a webhook's address begins with https:// or http://")
    request = urllib.request.Request(way.place, body, headers, method="POST")  # noqa: S310
    opener = urllib.request.build_opener(NoWayOn, urllib.request.ProxyHandler({}))
    try:
        with opener.open(request, timeout=SECONDS) as answer:
            if not 200 <= answer.status < 300:
                raise NotSent(f"answered {answer.status}")
    except urllib.error.HTTPError as error:
        error.close()
        raise NotSent(f"answered {error.code}") from error
    except (OSError, ValueError) as error:
        raise NotSent(one_line(str(error)) or type(error).__name__) from error


def post(message: Message, way: Way) -> None:
    """Sends it; raises NotSent. What is for the page waits there until a page fetches it."""
    if way.kind == "mail":
        _mail(message, way)
    elif way.kind == "webhook":
        _webhook(message, way)
