"""The stand-in bucket service, driven by a general-purpose client library of the S3 protocol (boto3)."""

import io
import random
import socket
import threading
from collections.abc import Iterator
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import boto3
import pytest
import uvicorn
from botocore.auth import S3SigV4Auth
from botocore.awsrequest import AWSRequest
from botocore.client import Config
from botocore.credentials import Credentials
from botocore.exceptions import ClientError
from starlette.testclient import TestClient

from kavrel.rig import deeds
from kavrel.rig.bucket.objects import Store
from kavrel.rig.bucket.service import REGION, Service
from kavrel.rig.bucket.signed import LESSER, Key

pytestmark = pytest.mark.filterwarnings("ignore::DeprecationWarning:botocore")
KEYS = (Key("lab", "a-secret"), Key("lesser", "b-secret", LESSER))


class House:
    """The service, with a clock of its own that a test sets ahead."""

    def __init__(self, folder: Path) -> None:
        self.ahead = timedelta()
        self.store = Store(folder, lambda: datetime.now(UTC) + self.ahead)
        self.app = Service(self.store, KEYS, lambda: datetime.now(UTC))
        self.listener = socket.create_server(("127.0.0.1", 0))
        self.port = self.listener.getsockname()[1]
        config = uvicorn.Config(self.app, log_level="error", lifespan="off", log_config=None)
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(target=self.server.run, kwargs={"sockets": [self.listener]})
        self.thread.start()

    def client(self, key: Key = KEYS[0], secret: str = "") -> Any:
        return boto3.client(
            "s3",
            endpoint_url=f"http://127.0.0.1:{self.port}",
            region_name=REGION,
            aws_access_key_id=key.id,
            aws_secret_access_key=secret or key.secret,
            config=Config(
                signature_version="s3v4",
                retries={"max_attempts": 1},
                s3={"addressing_style": "path"},
            ),
        )

    def end(self) -> None:
        self.server.should_exit = True
        self.thread.join()
        self.listener.close()


@pytest.fixture
def house(tmp_path: Path) -> Iterator[House]:
    made = House(tmp_path)
    try:
        yield made
    finally:
        made.end()


def refused(work: Any, **words: Any) -> str:
    with pytest.raises(ClientError) as caught:
        work(**words)
    return str(caught.value.response["Error"]["Code"])


def test_objects_come_back_as_they_went_in_and_are_listed(house: House) -> None:
    s3 = house.client()
    s3.create_bucket(Bucket="copies")
    assert [b["Name"] for b in s3.list_buckets()["Buckets"]] == ["copies"]
    names = ["a b.txt", "deep/er/ä+?%41.bin", "deep/1", "deep/2", "z\u0001", "deep/er/x"]
    for n, name in enumerate(names):
        s3.put_object(Bucket="copies", Key=name, Body=bytes([n]) * (n + 1), Metadata={"n": str(n)})
    for n, name in enumerate(names):
        got = s3.get_object(Bucket="copies", Key=name)
        assert (got["Body"].read(), got["Metadata"]) == (bytes([n]) * (n + 1), {"n": str(n)})
    part = s3.get_object(Bucket="copies", Key="deep/er/x", Range="bytes=2-3")
    assert (part["Body"].read(), part["ResponseMetadata"]["HTTPStatusCode"]) == (b"\5\5", 206)
    assert s3.head_object(Bucket="copies", Key="deep/2")["ContentLength"] == 4
    pages = s3.get_paginator("list_objects_v2").paginate(
        Bucket="copies", PaginationConfig={"PageSize": 2}
    )
    listed = [o["Key"] for page in pages for o in page["Contents"]]
    assert listed == sorted(names, key=lambda n: n.encode())
    once = s3.list_objects_v2(Bucket="copies", Prefix="deep/", Delimiter="/")
    assert [o["Key"] for o in once["Contents"]] == ["deep/1", "deep/2"]
    assert [p["Prefix"] for p in once["CommonPrefixes"]] == ["deep/er/"]
    older = s3.list_objects(Bucket="copies", Marker="deep/1", MaxKeys=1)
    assert ([o["Key"] for o in older["Contents"]], older["IsTruncated"]) == (["deep/2"], True)
    s3.copy_object(Bucket="copies", Key="again", CopySource={"Bucket": "copies", "Key": names[1]})
    assert s3.get_object(Bucket="copies", Key="again")["Body"].read() == b"\1\1"
    assert refused(s3.put_object, Bucket="copies", Key="again", Body=b"", IfNoneMatch="*") == (
        "PreconditionFailed"
    )
    assert refused(s3.delete_bucket, Bucket="copies") == "BucketNotEmpty"
    s3.delete_object(Bucket="copies", Key="z\u0001")  # no XML can name it
    left = [*(n for n in names if n[0] != "z"), "again", "never"]
    gone = s3.delete_objects(Bucket="copies", Delete={"Objects": [{"Key": n} for n in left]})
    assert len(gone["Deleted"]) == len(left)
    s3.delete_bucket(Bucket="copies")
    assert refused(s3.list_objects_v2, Bucket="copies") == "NoSuchBucket"
    assert list(house.store.folder.iterdir()) == []


def test_a_large_object_comes_in_parts_and_from_a_stream(house: House) -> None:
    s3 = house.client()
    s3.create_bucket(Bucket="copies")
    content = random.Random(1).randbytes(11 * 2**20)
    s3.upload_fileobj(io.BytesIO(content), "copies", "image")
    back = io.BytesIO()
    s3.download_fileobj("copies", "image", back)
    assert back.getvalue() == content
    assert s3.head_object(Bucket="copies", Key="image")["ETag"].endswith('-2"')
    begun = s3.create_multipart_upload(Bucket="copies", Key="cut")["UploadId"]
    part = {"Bucket": "copies", "Key": "cut", "UploadId": begun}
    tag = s3.upload_part(PartNumber=2, Body=b"x", **part)["ETag"]
    assert s3.list_parts(**part)["Parts"][0]["PartNumber"] == 2
    wrong = {"Parts": [{"PartNumber": 1, "ETag": tag}]}
    assert refused(s3.complete_multipart_upload, MultipartUpload=wrong, **part) == "InvalidPart"
    assert [u["Key"] for u in s3.list_multipart_uploads(Bucket="copies")["Uploads"]] == ["cut"]
    s3.abort_multipart_upload(**part)
    assert refused(s3.list_parts, **part) == "NoSuchUpload"
    assert refused(s3.head_object, Bucket="copies", Key="cut") == "404"
    assert len(list(house.store.folder.iterdir())) == 1


def test_versions_stay_and_a_lock_holds_them_as_long_as_it_says(house: House) -> None:
    """A locked version is deleted by nobody before its time, and by those who may after it."""
    s3 = house.client()
    s3.create_bucket(Bucket="vault", ObjectLockEnabledForBucket=True)
    held = {"Mode": "COMPLIANCE", "Days": 30}
    s3.put_object_lock_configuration(
        Bucket="vault",
        ObjectLockConfiguration={
            "ObjectLockEnabled": "Enabled",
            "Rule": {"DefaultRetention": held},
        },
    )
    told = s3.get_object_lock_configuration(Bucket="vault")["ObjectLockConfiguration"]
    assert told["Rule"]["DefaultRetention"] == held
    assert s3.get_bucket_versioning(Bucket="vault")["Status"] == "Enabled"
    first = s3.put_object(Bucket="vault", Key="a", Body=b"good")["VersionId"]
    s3.put_object(Bucket="vault", Key="a", Body=b"encrypted by malware")
    s3.delete_object(Bucket="vault", Key="a")
    assert refused(s3.get_object, Bucket="vault", Key="a") == "NoSuchKey"
    rows = s3.list_object_versions(Bucket="vault")
    assert (len(rows["Versions"]), len(rows["DeleteMarkers"])) == (2, 1)
    one = {"Bucket": "vault", "Key": "a", "VersionId": first}
    assert s3.get_object(**one)["Body"].read() == b"good"
    assert refused(s3.delete_object, BypassGovernanceRetention=True, **one) == "AccessDenied"
    shorter = {"Mode": "COMPLIANCE", "RetainUntilDate": datetime.now(UTC) + timedelta(days=1)}
    assert refused(s3.put_object_retention, Retention=shorter, **one) == "AccessDenied"
    longer = {"Mode": "COMPLIANCE", "RetainUntilDate": datetime.now(UTC) + timedelta(days=60)}
    s3.put_object_retention(Retention=longer, **one)
    assert s3.get_object_retention(**one)["Retention"]["Mode"] == "COMPLIANCE"
    house.ahead = timedelta(days=31)
    assert refused(s3.delete_object, **one) == "AccessDenied"
    house.ahead = timedelta(days=61)
    s3.delete_object(**one)
    assert refused(s3.get_object, **one) == "NoSuchVersion"


def test_a_lesser_key_deletes_nothing_and_a_governed_lock_gives_way_to_who_may(
    house: House,
) -> None:
    s3, lesser = house.client(), house.client(KEYS[1])
    s3.create_bucket(Bucket="vault", ObjectLockEnabledForBucket=True)
    until = datetime.now(UTC) + timedelta(days=9)
    made = lesser.put_object(
        Bucket="vault", Key="a", Body=b"1", ObjectLockMode="GOVERNANCE", ObjectLockRetainUntilDate=until
    )  # fmt: skip
    one = {"Bucket": "vault", "Key": "a", "VersionId": made["VersionId"]}
    assert lesser.get_object(**one)["ObjectLockMode"] == "GOVERNANCE"
    assert refused(lesser.delete_object, Bucket="vault", Key="a") == "AccessDenied"
    assert refused(lesser.delete_object, BypassGovernanceRetention=True, **one) == "AccessDenied"
    assert refused(lesser.create_bucket, Bucket="other") == "AccessDenied"
    off = {"VersioningConfiguration": {"Status": "Suspended"}}
    assert refused(lesser.put_bucket_versioning, Bucket="vault", **off) == "AccessDenied"
    assert refused(s3.put_bucket_versioning, Bucket="vault", **off) == "InvalidBucketState"
    assert refused(s3.delete_object, **one) == "AccessDenied"
    s3.delete_object(BypassGovernanceRetention=True, **one)


def test_who_does_not_sign_or_signs_wrongly_gets_nothing(house: House) -> None:
    s3 = house.client()
    s3.create_bucket(Bucket="copies")
    s3.put_object(Bucket="copies", Key="a", Body=b"1")
    other = house.client(secret="wrong")
    assert refused(other.get_object, Bucket="copies", Key="a") == "SignatureDoesNotMatch"
    nobody = house.client(Key("nobody", "x"))
    assert refused(nobody.list_buckets) == "InvalidAccessKeyId"
    browser = TestClient(house.app, base_url=f"http://127.0.0.1:{house.port}")
    bare = browser.get("/copies/a")
    assert (bare.status_code, b"AccessDenied" in bare.content) == (403, True)
    address = s3.generate_presigned_url("get_object", {"Bucket": "copies", "Key": "a"}, 60)
    assert browser.get(address).content == b"1"
    assert browser.get(address.replace("/a?", "/b?")).status_code == 403
    assert browser.put(address, content=b"2").status_code == 403


def signed(house: House, method: str, path: str, body: bytes, **headers: str) -> Any:
    """A call signed by the library, so that only what is odd in it is refused."""
    asked = AWSRequest(method, f"http://127.0.0.1:{house.port}{path}", data=body, headers=headers)
    S3SigV4Auth(Credentials("lab", "a-secret"), "s3", REGION).add_auth(asked)
    client = TestClient(house.app, base_url=f"http://127.0.0.1:{house.port}")
    return client.request(method, path, content=body, headers=dict(asked.headers))


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "code"),
    [
        ("PUT", "/Up", b"", 400, "InvalidBucketName"),
        ("PUT", "/copies/" + "k" * 1025, b"", 400, "KeyTooLongError"),
        ("POST", "/copies?delete", b"<Delete><Object>", 400, "MalformedXML"),
        ("POST", "/copies?delete", b"<!DOCTYPE x [<!ENTITY a 'b'>]><Delete/>", 400, "MalformedXML"),
        ("GET", "/copies?policy", b"", 501, "NotImplemented"),
        ("GET", "/copies?max-keys=many", b"", 400, "InvalidArgument"),
        ("POST", "/copies/a", b"", 501, "NotImplemented"),
        ("PATCH", "/copies/a", b"", 405, "MethodNotAllowed"),
        ("PUT", "/copies/a?partNumber=x&uploadId=1", b"", 404, "NoSuchUpload"),
        ("PUT", "/copies/a?retention", b"<Retention><Mode>X</Mode></Retention>", 404, "NoSuchKey"),
    ],
)
def test_what_it_does_not_do_is_said_in_the_words_of_the_protocol(
    house: House, method: str, path: str, body: bytes, status: int, code: str
) -> None:
    house.client().create_bucket(Bucket="copies")
    answer = signed(house, method, path, body)
    assert (answer.status_code, f"<Code>{code}</Code>" in answer.text) == (status, True), (
        answer.text
    )


def test_a_body_that_is_cut_or_changed_on_its_way_is_not_kept(house: House) -> None:
    house.client().create_bucket(Bucket="copies")
    headers = {"Content-MD5": "1B2M2Y8AsgTpgAmY7PhCfg=="}  # of nothing
    assert b"BadDigest" in signed(house, "PUT", "/copies/a", b"x", **headers).content
    asked = AWSRequest("PUT", f"http://127.0.0.1:{house.port}/copies/a", data=b"good")
    S3SigV4Auth(Credentials("lab", "a-secret"), "s3", REGION).add_auth(asked)
    client = TestClient(house.app, base_url=f"http://127.0.0.1:{house.port}")
    done = client.put("/copies/a", content=b"evil", headers=dict(asked.headers))
    assert b"XAmzContentSHA256Mismatch" in done.content
    assert list(house.store.folder.iterdir()) == []


@pytest.mark.parametrize("renewed", [True, False])
@pytest.mark.parametrize("locked", [0, 3, 30])
def test_what_the_rig_s_malware_can_delete_is_what_a_locked_bucket_lets_go(
    house: House, locked: int, renewed: bool
) -> None:
    """The rule by which the rig wipes a bucket, held against the service's locks."""
    s3 = house.client()
    s3.create_bucket(Bucket="vault", ObjectLockEnabledForBucket=True)
    house.store.bucket("vault").days = locked
    ages = (40, 29, 10, 2, 0)
    made = {}
    for before, age in zip((*ages[:1], *ages), (*ages, 0), strict=False):
        house.ahead += timedelta(days=before - age)
        made[age] = s3.put_object(Bucket="vault", Key=f"point-{age}", Body=b"1")["VersionId"]
        if renewed and locked:  # each run locks anew what its points still need
            until = house.store.now() + timedelta(days=locked)
            lock = {"Mode": "COMPLIANCE", "RetainUntilDate": until}
            for old, version in made.items():
                s3.put_object_retention(
                    Bucket="vault", Key=f"point-{old}", VersionId=version, Retention=lock
                )
    gone = set()
    for age, version in made.items():
        with suppress(ClientError):
            s3.delete_object(Bucket="vault", Key=f"point-{age}", VersionId=version)
            gone.add(age)
    assert gone == {a for a in ages if not deeds.held_by_lock(locked, renewed, a)}
