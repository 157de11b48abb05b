"""Who asks: the signature, version 4, that each call to a bucket carries in a header or in its address.

Source: AWS Signature Version 4, as its client libraries do it; a test has one of those sign.
"""

import hashlib
import hmac
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal
from urllib.parse import parse_qsl, quote

from kavrel.rig.bucket.objects import Refused

May = Literal["read", "write", "delete", "bypass"]
ALL: frozenset[May] = frozenset({"read", "write", "delete", "bypass"})
LESSER: frozenset[May] = frozenset({"read", "write"})
SKEW = timedelta(minutes=15)
NAME = "AWS4-HMAC-SHA256"
STAMP = "%Y%m%dT%H%M%SZ"
EMPTY = hashlib.sha256(b"").hexdigest()


@dataclass(frozen=True)
class Key:
    """An access key: who has its secret may this."""

    id: str
    secret: str
    may: frozenset[May] = ALL


@dataclass(frozen=True)
class Call:
    """A call as it came over the wire."""

    method: str
    path: str  # as sent, its percent signs and all
    query: str
    headers: Mapping[str, str]


@dataclass(frozen=True)
class Signed:
    """Whose call it is, what it says of its body, and how pieces of that body are signed."""

    key: Key
    body: str
    stamp: str
    scope: str
    signature: str
    sign: Callable[[str], str]


def who(call: Call, keys: Mapping[str, Key], now: datetime) -> Signed:
    """Whose call it is; refuses what is not signed, or not rightly."""
    query = parse_qsl(call.query, keep_blank_values=True)
    in_address = dict(query)
    if "X-Amz-Signature" in in_address:
        given = {
            "Credential": in_address.get("X-Amz-Credential", ""),
            "SignedHeaders": in_address.get("X-Amz-SignedHeaders", ""),
            "Signature": in_address["X-Amz-Signature"],
        }
        query = [(k, v) for k, v in query if k != "X-Amz-Signature"]
        stamp, body = in_address.get("X-Amz-Date", ""), "UNSIGNED-PAYLOAD"
        try:
            lasts = timedelta(seconds=int(in_address.get("X-Amz-Expires", "")))
        except ValueError:
            raise Refused(403, "AccessDenied", "how long the address holds is no number") from None
    else:
        kind, _, rest = call.headers.get("authorization", "").partition(" ")
        if kind != NAME:
            raise Refused(403, "AccessDenied", "the call is not signed")
        given = {k.strip(): v for k, _, v in (p.partition("=") for p in rest.split(","))}
        stamp, lasts = call.headers.get("x-amz-date", ""), SKEW
        body = call.headers.get("x-amz-content-sha256", EMPTY)
    at = _moment(stamp)
    if not at - SKEW <= now <= at + lasts:
        raise Refused(403, "RequestTimeTooSkewed", "its time is not that of the service")
    name, _, scope = given.get("Credential", "").partition("/")
    key, parts = keys.get(name), scope.split("/")
    if key is None:
        raise Refused(403, "InvalidAccessKeyId", "no such key is known")
    if len(parts) != 4 or parts[0] != stamp[:8] or parts[2:] != ["s3", "aws4_request"]:
        raise Refused(403, "AuthorizationHeaderMalformed", "the scope of its key is another")
    signing = _signing_key(key.secret, parts)

    def sign(text: str) -> str:
        return hmac.new(signing, text.encode(), hashlib.sha256).hexdigest()

    names = given.get("SignedHeaders", "")
    if "host" not in names.split(";"):
        raise Refused(403, "AccessDenied", "whom it calls is not signed")
    whole = _canonical(call, query, names, body)
    wanted = sign("\n".join((NAME, stamp, scope, hashlib.sha256(whole.encode()).hexdigest())))
    if not hmac.compare_digest(wanted, given.get("Signature", "")):
        raise Refused(403, "SignatureDoesNotMatch", "the signature is another")
    return Signed(key, body, stamp, scope, wanted, sign)


def _moment(stamp: str) -> datetime:
    try:
        return datetime.strptime(stamp, STAMP).replace(tzinfo=UTC)
    except ValueError:
        raise Refused(403, "AccessDenied", "it says no time") from None


def _signing_key(secret: str, parts: list[str]) -> bytes:
    key = f"AWS4{secret}".encode()
    for part in parts:
        key = hmac.new(key, part.encode(), hashlib.sha256).digest()
    return key


def _canonical(call: Call, query: list[tuple[str, str]], names: str, body: str) -> str:
    pairs = sorted((quote(k, safe="-_.~"), quote(v, safe="-_.~")) for k, v in query)
    headers = "".join(
        f"{name}:{' '.join(call.headers.get(name, '').split())}\n" for name in names.split(";")
    )
    asked = "&".join(f"{k}={v}" for k, v in pairs)
    return "\n".join((call.method, call.path or "/", asked, headers, names, body))


def unchunked(content: bytes, signed: Signed) -> bytes:
    """A body that came in signed pieces, or in plain ones with a sum behind them. Refuses what is not whole."""
    whole, before, rest = b"", signed.signature, content
    pieces_signed = signed.body.startswith(f"STREAMING-{NAME}-PAYLOAD")
    while True:
        head, found, rest = rest.partition(b"\r\n")
        length, _, more = head.partition(b";chunk-signature=")
        try:
            size = int(length, 16)
        except ValueError:
            size = -1
        if not found or size < 0 or len(rest) < size:
            raise Refused(400, "IncompleteBody", "the body ends too early")
        piece, rest = rest[:size], rest[size:].removeprefix(b"\r\n")
        if pieces_signed:
            said = (f"{NAME}-PAYLOAD", signed.stamp, signed.scope, before, EMPTY)
            text = "\n".join((*said, hashlib.sha256(piece).hexdigest()))
            before = signed.sign(text)
            if not hmac.compare_digest(before, more.decode("latin-1")):
                raise Refused(403, "SignatureDoesNotMatch", "a piece of the body is another")
        whole += piece
        if size == 0:
            return whole
