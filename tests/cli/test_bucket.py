"""The stand-in bucket service as a command: a plan's buckets, for as long as it runs."""

import re
import signal
import subprocess
import sys
from pathlib import Path

import boto3
import pytest
from botocore.client import Config
from botocore.exceptions import ClientError

from kavrel.core.plan import Plan
from kavrel.formats.plan_file import dump

pytestmark = pytest.mark.filterwarnings("ignore::DeprecationWarning:botocore")


def test_a_plans_buckets_stand_there_until_it_ends(demo: Plan, tmp_path: Path) -> None:
    file = tmp_path / "plan.json"
    file.write_text(dump(demo))
    command = [sys.executable, "-m", "kavrel.cli", "bucket", str(file), "--port", "0"]
    server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, bufsize=1)
    assert server.stdout
    try:
        said = [server.stdout.readline() for _ in range(len(demo.buckets) + 3)]
        name = re.search(r"^bucket (\S+) ", said[0])
        at = re.search(r"http://\S+:\d+", said[-1])
        secret = re.search(r"^key lesser, secret (\S+):", said[-2])
        assert name
        assert at
        assert secret
        assert f"locked for {demo.buckets[0].locked_days} days" in said[0]
        s3 = boto3.client(
            "s3",
            endpoint_url=at[0],
            region_name="us-east-1",
            aws_access_key_id="lesser",
            aws_secret_access_key=secret[1],
            config=Config(retries={"max_attempts": 1}, s3={"addressing_style": "path"}),
        )
        s3.put_object(Bucket=name[1], Key="a", Body=b"1")
        assert s3.get_object(Bucket=name[1], Key="a")["ObjectLockMode"] == "COMPLIANCE"
        with pytest.raises(ClientError):
            s3.delete_object(Bucket=name[1], Key="a")
    finally:
        server.send_signal(signal.SIGINT)
        rest, _ = server.communicate(timeout=90)
    assert rest.endswith("what was in them is gone\n")
    assert server.returncode == 0
