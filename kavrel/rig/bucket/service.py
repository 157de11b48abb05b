"""The bucket service over HTTP: calls in, objects and XML out.

Source: S3's own reference of its operations, value from memory; a test drives all of it by a client library.
"""

import base64
import binascii
import hashlib
import re
import secrets
from collections.abc import Callable, Iterable, Mapping
from datetime import UTC, datetime
from email.utils import format_datetime
from itertools import islice
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl, quote, unquote
from xml.etree import ElementTree as ET

from starlette.requests import Request
from starlette.responses import FileResponse, Response
from starlette.types import Receive, Scope, Send

from kavrel.rig.bucket.objects import Bucket, Mode, Refused, Store, Upload, Version
from kavrel.rig.bucket.signed import Call, Key, May, Signed, unchunked, who

SPACE = "http://s3.amazonaws.com/doc/2006-03-01/"
NAME = re.compile(r"^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$")
LONGEST_KEY, MOST_LISTED, LARGEST_XML = 1024, 1000, 2**20
LARGEST = 256 * 2**20  # of one body: what is larger comes in parts
REGION = "us-east-1"


class Service:
    """An ASGI application. `now` is by which calls have to be signed; the store may live in another time."""

    def __init__(self, store: Store, keys: Iterable[Key], now: Callable[[], datetime]) -> None:
        self.store, self.now = store, now
        self.keys = {k.id: k for k in keys}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answers one call."""
        if scope["type"] != "http":
            return
        request = Request(scope, receive)
        try:
            answer = await self._answer(request)
        except Refused as e:
            answer = _error(e, request)
        await answer(scope, receive, send)

    async def _answer(self, request: Request) -> Response:
        raw = request.scope.get("raw_path") or quote(request.url.path).encode()
        path = raw.decode("latin-1")
        query = request.scope["query_string"].decode("latin-1")
        call = Call(request.method, path, query, dict(request.headers))
        signed = who(call, self.keys, self.now())
        bucket, _, key = path.lstrip("/").partition("/")
        asked = dict(parse_qsl(query, keep_blank_values=True))
        body = await self._body(request, signed)
        one = _Call(self.store, signed.key, request, asked, unquote(bucket), unquote(key), body)
        return one.answer()

    async def _body(self, request: Request, signed: Signed) -> bytes:
        content = bytearray()
        async for piece in request.stream():
            content += piece
            if len(content) > LARGEST:
                raise Refused(400, "EntityTooLarge", "more than 256 MiB come in parts")
        whole = bytes(content)
        if signed.body.startswith("STREAMING-"):
            return unchunked(whole, signed)
        if signed.body != "UNSIGNED-PAYLOAD" and hashlib.sha256(whole).hexdigest() != signed.body:
            raise Refused(
                400, "XAmzContentSHA256Mismatch", "the body is not the one that was signed"
            )
        return whole


class _Call:
    def __init__(
        self,
        store: Store,
        who_asks: Key,
        request: Request,
        asked: Mapping[str, str],
        bucket: str,
        key: str,
        body: bytes,
    ) -> None:
        self.store, self.by, self.request, self.asked = store, who_asks, request, asked
        self.name, self.key, self.body = bucket, key, body
        self.headers = request.headers

    def may(self, what: May) -> None:
        if what not in self.by.may:
            raise Refused(403, "AccessDenied", f"this key may not {what}")

    def answer(self) -> Response:
        """What the method asks for of all buckets, of one, or of an object."""
        method = self.request.method
        whose = "object" if self.key else "bucket" if self.name else "all"
        told = ANSWERS.get((method, whose))
        if told is None:
            raise Refused(405, "MethodNotAllowed", "that is not done here")
        may, subs, plain = told
        for sub, (needs, work) in subs.items():
            if sub in self.asked:
                self.may(needs)
                return work(self)
        known = {"x-id", "list-type", "prefix", "delimiter", "max-keys", "versionId", "partNumber"}
        odd = {k for k in self.asked if not k.startswith(("X-Amz-", "response-"))} - known - LIST
        if odd:
            raise Refused(501, "NotImplemented", f"the stand-in does not know {sorted(odd)[0]}")
        self.may(may)
        return plain(self)

    @property
    def bucket(self) -> Bucket:
        return self.store.bucket(self.name)

    # -- buckets -----------------------------------------------------------------------------------

    def buckets(self) -> Response:
        rows = [
            ("Bucket", [("Name", b.name), ("CreationDate", _iso(b.at))]) for b in self._sorted()
        ]
        return _xml("ListAllMyBucketsResult", [("Owner", [("ID", "lab")]), ("Buckets", rows)])

    def _sorted(self) -> list[Bucket]:
        return sorted(self.store.buckets.values(), key=lambda b: b.name)

    def make(self) -> Response:
        if not NAME.match(self.name):
            raise Refused(
                400, "InvalidBucketName", "small letters, digits, dots and hyphens, 3 to 63"
            )
        self.store.make(self.name, self.headers.get("x-amz-bucket-object-lock-enabled") == "true")
        return Response(headers={"location": f"/{self.name}"})

    def there(self) -> Response:
        return Response(headers={"x-amz-bucket-region": REGION} if self.bucket else {})

    def remove(self) -> Response:
        self.store.remove(self.name)
        return Response(status_code=204)

    def where(self) -> Response:
        return _xml("LocationConstraint", []) if self.bucket else Response()

    def versioning(self) -> Response:
        return _xml(
            "VersioningConfiguration", [("Status", "Enabled")] if self.bucket.versioned else []
        )

    def set_versioning(self) -> Response:
        on = _read(self.body).get("Status") == "Enabled"
        if self.bucket.lockable and not on:
            raise Refused(409, "InvalidBucketState", "a bucket with a lock keeps its versions")
        if not on and self.bucket.versioned:
            raise Refused(501, "NotImplemented", "the stand-in does not suspend versions")
        self.bucket.versioned = on
        return Response()

    def lock_rule(self) -> Response:
        bucket = self.bucket
        if not bucket.lockable:
            said = "this bucket has no object lock"
            raise Refused(404, "ObjectLockConfigurationNotFoundError", said)
        held = [("Mode", bucket.mode), ("Days", str(bucket.days))]
        rule = [("Rule", [("DefaultRetention", held)])] if bucket.days else []
        return _xml("ObjectLockConfiguration", [("ObjectLockEnabled", "Enabled"), *rule])

    def set_lock_rule(self) -> Response:
        given, bucket = _read(self.body), self.bucket
        if not bucket.versioned:
            raise Refused(409, "InvalidBucketState", "versions first")
        days = int(given["Days"]) if given.get("Days", "").isdecimal() else 0
        days = days or (int(given["Years"]) * 365 if given.get("Years", "").isdecimal() else 0)
        bucket.lockable, bucket.days = True, days
        bucket.mode = _mode(given.get("Mode", "COMPLIANCE"))
        return Response()

    def unknown(self) -> Response:
        raise Refused(501, "NotImplemented", "the stand-in does not do that")

    # -- lists -------------------------------------------------------------------------------------

    def objects(self) -> Response:
        second = self.asked.get("list-type") == "2"
        after = self.asked.get("continuation-token") or self.asked.get("start-after", "")
        after = after if second else self.asked.get("marker", "")
        rows, more, last = self._page(((v.key, v) for v in self.bucket.there()), after)
        # How many may be asked for at most; the answer says how many it is.
        head = [("Name", self.name), ("Prefix", self.asked.get("prefix", ""))]
        head += [("MaxKeys", str(self._most())), ("IsTruncated", str(more).lower())]
        head += [("KeyCount", str(len(rows)))] if second else []
        head += [("NextContinuationToken" if second else "NextMarker", last)] if more else []
        head += [("EncodingType", "url")] if self._encodes() else []
        return _xml("ListBucketResult", [*head, *(self._listed(row) for row in rows)])

    def _encodes(self) -> bool:
        return self.asked.get("encoding-type") == "url"

    def _named(self, text: str) -> str:
        """A key as it is listed: not all that may be in one may be in XML."""
        return quote(text, safe="/-_.~") if self._encodes() else text

    def _listed(self, row: Version | str) -> tuple[str, list[tuple[str, str]]]:
        if isinstance(row, str):
            return "CommonPrefixes", [("Prefix", self._named(row))]
        said = [("Key", self._named(row.key)), ("LastModified", _iso(row.at))]
        said += [("ETag", f'"{row.etag}"'), ("Size", str(row.size))]
        return "Contents", [*said, ("StorageClass", "STANDARD")]

    def versions(self) -> Response:
        pairs = (
            (key, v)
            for key in sorted(self.bucket.objects, key=lambda k: k.encode())
            for v in reversed(self.bucket.objects[key])
        )
        rows = [v for k, v in pairs if k.startswith(self.asked.get("prefix", ""))]
        whole = []
        for v in rows:
            newest = str(self.bucket.newest(v.key) is v).lower()
            said = [("Key", self._named(v.key)), ("VersionId", v.id), ("IsLatest", newest)]
            said.append(("LastModified", _iso(v.at)))
            sized = [] if v.mark else [("ETag", f'"{v.etag}"'), ("Size", str(v.size))]
            whole.append(("DeleteMarker" if v.mark else "Version", [*said, *sized]))
        head = [("Name", self.name), ("IsTruncated", "false")]
        head += [("EncodingType", "url")] if self._encodes() else []
        return _xml("ListVersionsResult", [*head, *whole])

    def _most(self) -> int:
        text = self.asked.get("max-keys", str(MOST_LISTED))
        if not text.isdecimal():
            raise Refused(400, "InvalidArgument", "max-keys is no number")
        return min(int(text), MOST_LISTED)

    def _page(
        self, pairs: Iterable[tuple[str, Version]], after: str
    ) -> tuple[list[Version | str], bool, str]:
        """Objects, or what several have in common up to the delimiter, and whether more follow."""
        prefix, delimiter = self.asked.get("prefix", ""), self.asked.get("delimiter", "")
        rows: dict[str, Version | str] = {}
        for key, version in pairs:
            if not key.startswith(prefix) or key <= after:
                continue
            head, cut, _ = key[len(prefix) :].partition(delimiter) if delimiter else ("", "", "")
            common = f"{prefix}{head}{cut}" if cut else ""
            if common and common <= after:
                continue
            rows.setdefault(common or key, common or version)
        most = self._most()
        page = dict(islice(rows.items(), most))
        return list(page.values()), len(rows) > most, next(reversed(page), "")

    def uploads(self) -> Response:
        rows = [
            ("Upload", [("Key", u.key), ("UploadId", i)]) for i, u in self.bucket.uploads.items()
        ]
        return _xml("ListMultipartUploadsResult", [("Bucket", self.name), *rows])

    # -- objects -----------------------------------------------------------------------------------

    def put(self) -> Response:
        copied = self.headers.get("x-amz-copy-source")
        content = self._copied(copied) if copied else self.body
        bucket, key = self.bucket, self._sound_key()
        newest = bucket.newest(key)
        if self.headers.get("if-none-match") == "*" and newest and not newest.mark:
            raise Refused(412, "PreconditionFailed", "an object of that key is there")
        file, etag = self._written(content, checked=not copied)
        made = self.store.put(bucket, key, file, etag, self._kept(), self._lock())
        if copied:
            said = [("ETag", f'"{etag}"'), ("LastModified", _iso(made.at))]
            return _xml("CopyObjectResult", said, _version(bucket, made))
        return Response(headers={"etag": f'"{etag}"', **_version(bucket, made)})

    def get(self) -> Response:
        found = self.store.get(self.bucket, self.key, self.asked.get("versionId", ""))
        headers = {
            "etag": f'"{found.etag}"',
            "last-modified": format_datetime(found.at.astimezone(UTC), usegmt=True),
            **found.kept,
            **_version(self.bucket, found),
        }
        if found.mode and found.until:
            headers["x-amz-object-lock-mode"] = found.mode
            headers["x-amz-object-lock-retain-until-date"] = _iso(found.until)
        assert found.file is not None
        return FileResponse(found.file, headers=headers)

    def delete(self) -> Response:
        gone = self.store.delete(
            self.bucket, self.key, self.asked.get("versionId", ""), self._bypasses(self.headers)
        )
        marked = {"x-amz-delete-marker": "true"} if gone.mark and self.bucket.versioned else {}
        return Response(status_code=204, headers={**marked, **_version(self.bucket, gone)})

    def delete_many(self) -> Response:
        rows: list[tuple[str, Any]] = []
        for asked in _parsed(self.body).iter(f"{{{SPACE}}}Object"):
            key, version = _text(asked, "Key"), _text(asked, "VersionId")
            said = [("Key", key), *([("VersionId", version)] if version else [])]
            try:
                self.store.delete(self.bucket, key, version, self._bypasses(self.headers))
                rows.append(("Deleted", said))
            except Refused as e:
                rows.append(("Error", [*said, ("Code", e.code), ("Message", str(e))]))
        return _xml("DeleteResult", rows)

    def retention(self) -> Response:
        found = self.store.get(self.bucket, self.key, self.asked.get("versionId", ""))
        if found.mode is None or found.until is None:
            raise Refused(404, "NoSuchObjectLockConfiguration", "no lock holds it")
        return _xml("Retention", [("Mode", found.mode), ("RetainUntilDate", _iso(found.until))])

    def set_retention(self) -> Response:
        found = self.store.get(self.bucket, self.key, self.asked.get("versionId", ""))
        if not self.bucket.lockable:
            raise Refused(400, "InvalidRequest", "this bucket has no object lock")
        given = _read(self.body)
        until = _moment(given.get("RetainUntilDate", ""))
        self.store.relock(found, _mode(given.get("Mode", "")), until, self._bypasses(self.headers))
        return Response()

    # -- in parts ----------------------------------------------------------------------------------

    def begin(self) -> Response:
        upload = secrets.token_hex(12)
        self.bucket.uploads[upload] = Upload(self._sound_key(), self._kept(), self._lock())
        said = [("Bucket", self.name), ("Key", self.key), ("UploadId", upload)]
        return _xml("InitiateMultipartUploadResult", said)

    def part(self) -> Response:
        upload, number = self._upload(), self.asked.get("partNumber", "")
        if not number.isdecimal() or not 1 <= int(number) <= 10_000:
            raise Refused(400, "InvalidArgument", "parts are numbered from 1 to 10,000")
        file, etag = self._written(self.body)
        before = upload.parts.get(int(number))
        upload.parts[int(number)] = (file, etag, len(self.body))
        if before:
            before[0].unlink(missing_ok=True)
        return Response(headers={"etag": f'"{etag}"'})

    def parts(self) -> Response:
        rows = [
            ("Part", [("PartNumber", str(n)), ("ETag", f'"{e}"'), ("Size", str(size))])
            for n, (_, e, size) in sorted(self._upload().parts.items())
        ]
        said = [("Bucket", self.name), ("Key", self.key), ("IsTruncated", "false")]
        return _xml("ListPartsResult", [*said, *rows])

    def join(self) -> Response:
        self._upload()
        rows = []
        for part in _parsed(self.body).iter(f"{{{SPACE}}}Part"):
            number = _text(part, "PartNumber")
            if not number.isdecimal():
                raise Refused(400, "MalformedXML", "a part has no number")
            rows.append((int(number), _text(part, "ETag").strip('"')))
        if not rows or rows != sorted(rows) or len({n for n, _ in rows}) < len(rows):
            raise Refused(400, "InvalidPartOrder", "parts come in order, each once")
        made = self.store.join(self.bucket, self.asked["uploadId"], rows)
        said = [("Bucket", self.name), ("Key", self.key), ("ETag", f'"{made.etag}"')]
        return _xml("CompleteMultipartUploadResult", said, _version(self.bucket, made))

    def abort(self) -> Response:
        for file, _, _ in self._upload().parts.values():
            file.unlink(missing_ok=True)
        del self.bucket.uploads[self.asked["uploadId"]]
        return Response(status_code=204)

    def _upload(self) -> Upload:
        upload = self.bucket.uploads.get(self.asked.get("uploadId", ""))
        if upload is None or upload.key != self.key:
            raise Refused(404, "NoSuchUpload", "no such upload goes on")
        return upload

    # -- what calls have in common -----------------------------------------------------------------

    def _sound_key(self) -> str:
        if len(self.key.encode()) > LONGEST_KEY:
            raise Refused(400, "KeyTooLongError", f"at most {LONGEST_KEY} bytes")
        return self.key

    def _written(self, content: bytes, checked: bool = True) -> tuple[Path, str]:
        etag = hashlib.md5(content, usedforsecurity=False)
        said = self.headers.get("content-md5") if checked else None
        if said is not None:
            try:
                same = base64.b64decode(said, validate=True) == etag.digest()
            except binascii.Error:
                raise Refused(400, "InvalidDigest", "Content-MD5 is none") from None
            if not same:
                raise Refused(400, "BadDigest", "the body is not what its sum says")
        file = self.store.file()
        try:
            file.write_bytes(content)
        except OSError as e:
            file.unlink(missing_ok=True)
            raise Refused(507, "InsufficientStorage", e.strerror or "it cannot be kept") from None
        return file, etag.hexdigest()

    def _copied(self, source: str) -> bytes:
        self.may("read")
        path, _, version = unquote(source).lstrip("/").partition("?versionId=")
        name, _, key = path.partition("/")
        found = self.store.get(self.store.bucket(name), key, version)
        assert found.file is not None
        return found.file.read_bytes()

    def _kept(self) -> dict[str, str]:
        own = ("content-type", "content-encoding", "content-disposition", "cache-control")
        return {k: v for k, v in self.headers.items() if k in own or k.startswith("x-amz-meta-")}

    def _lock(self) -> tuple[Mode, datetime] | None:
        mode = self.headers.get("x-amz-object-lock-mode")
        until = self.headers.get("x-amz-object-lock-retain-until-date")
        if not mode and not until:
            return None
        return _mode(mode or ""), _moment(until or "")

    def _bypasses(self, headers: Mapping[str, str]) -> bool:
        asks = headers.get("x-amz-bypass-governance-retention", "").lower() == "true"
        return asks and "bypass" in self.by.may


# -- XML -------------------------------------------------------------------------------------------


def _xml(
    name: str, rows: list[tuple[str, Any]], headers: Mapping[str, str] | None = None
) -> Response:
    root = ET.Element(name, {} if name == "Error" else {"xmlns": SPACE})
    _fill(root, rows)
    body = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return Response(body, media_type="application/xml", headers=headers)


def _fill(above: ET.Element, rows: list[tuple[str, Any]]) -> None:
    for name, value in rows:
        one = ET.SubElement(above, name)
        if isinstance(value, str):
            one.text = value
        else:
            _fill(one, value)


def _parsed(body: bytes) -> ET.Element:
    if len(body) > LARGEST_XML or b"<!" in body:
        raise Refused(400, "MalformedXML", "more than is read here")
    try:
        root = ET.fromstring(body)  # noqa: S314 - no declaration gets this far
    except ET.ParseError:
        raise Refused(400, "MalformedXML", "it is no XML") from None
    for one in root.iter():  # some clients leave the name space out
        if not one.tag.startswith("{"):
            one.tag = f"{{{SPACE}}}{one.tag}"
    return root


def _read(body: bytes) -> dict[str, str]:
    """The texts of all elements by their names."""
    return {e.tag.rpartition("}")[2]: (e.text or "").strip() for e in _parsed(body).iter()}


def _text(above: ET.Element, name: str) -> str:
    return above.findtext(f"{{{SPACE}}}{name}", "")


def _error(e: Refused, request: Request) -> Response:
    rows = [("Code", e.code), ("Message", str(e)), ("Resource", request.url.path)]
    answer = _xml("Error", rows)
    answer.status_code = e.status
    if request.method == "HEAD":
        return Response(status_code=e.status)
    return answer


# -- words -----------------------------------------------------------------------------------------


def _iso(at: datetime) -> str:
    return f"{at.astimezone(UTC):%Y-%m-%dT%H:%M:%S.000Z}"


def _moment(text: str) -> datetime:
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        raise Refused(400, "InvalidArgument", "until when is no time") from None
    return at if at.tzinfo else at.replace(tzinfo=UTC)


def _mode(text: str) -> Mode:
    if text == "COMPLIANCE":
        return "COMPLIANCE"
    if text == "GOVERNANCE":
        return "GOVERNANCE"
    raise Refused(400, "InvalidArgument", "a lock is COMPLIANCE or GOVERNANCE")


def _version(bucket: Bucket, version: Version) -> dict[str, str]:
    return {"x-amz-version-id": version.id} if bucket.versioned else {}


LIST = frozenset({"continuation-token", "start-after", "marker", "fetch-owner", "encoding-type"})
Work = Callable[[_Call], Response]
# By method and what it is about: what a key must be allowed, what a word of the query asks for, and else.
ANSWERS: Mapping[tuple[str, str], tuple[May, Mapping[str, tuple[May, Work]], Work]] = {
    ("GET", "all"): ("read", {}, _Call.buckets),
    ("PUT", "bucket"): (
        "bypass",
        {
            "versioning": ("bypass", _Call.set_versioning),
            "object-lock": ("bypass", _Call.set_lock_rule),
        },
        _Call.make,
    ),
    ("HEAD", "bucket"): ("read", {}, _Call.there),
    ("DELETE", "bucket"): ("bypass", {}, _Call.remove),
    ("GET", "bucket"): (
        "read",
        {
            "location": ("read", _Call.where),
            "versioning": ("read", _Call.versioning),
            "object-lock": ("read", _Call.lock_rule),
            "versions": ("read", _Call.versions),
            "uploads": ("read", _Call.uploads),
        },
        _Call.objects,
    ),
    ("POST", "bucket"): ("delete", {"delete": ("delete", _Call.delete_many)}, _Call.unknown),
    ("PUT", "object"): (
        "write",
        {"retention": ("write", _Call.set_retention), "uploadId": ("write", _Call.part)},
        _Call.put,
    ),
    ("GET", "object"): (
        "read",
        {"retention": ("read", _Call.retention), "uploadId": ("read", _Call.parts)},
        _Call.get,
    ),
    ("HEAD", "object"): ("read", {}, _Call.get),
    ("DELETE", "object"): ("delete", {"uploadId": ("write", _Call.abort)}, _Call.delete),
    ("POST", "object"): (
        "write",
        {"uploads": ("write", _Call.begin), "uploadId": ("write", _Call.join)},
        _Call.unknown,
    ),
}
