"""An S3 tenant's files: a unit that systemd takes, an environment that a shell reads, a policy that holds.

Sources: systemd.exec(5); the policy language of the S3 protocol, value from memory.
"""

import json
import subprocess
from pathlib import Path
from typing import Any

import pytest

from kavrel.core.edit import checked
from kavrel.core.plan import Export, Network, Plan
from kavrel.formats.servers.bundle import host_files
from kavrel.formats.servers.template import in_quotes, unit_path
from kavrel.formats.servers.tenants import tenant_files
from tests.builders import TB, TODAY, lab
from tests.conftest import needs


def with_tenant(**more: Any) -> Plan:
    fields = {
        "id": "t", "name": "vault", "protocol": "s3", "dataset": "files", "may": "write",
        "accounts": ("ana",), "size_bytes": TB, "port": 9000, "console_port": 9001,
        "buckets": ("one", "two"), **more,
    }  # fmt: skip
    near = Network(id="lan", name="LAN", site="home", range="192.168.1.0/24")
    made = {"exports": (Export.model_validate(fields),), "networks": (near,)}
    return checked(lab().model_copy(update=made))


def files(plan: Plan) -> dict[str, str]:
    return {n: text for n, (text, _) in tenant_files(plan, "box", "r").items()}


def allowed(policy: dict[str, Any], action: str, resource: str) -> bool:
    """As the language says: an explicit denial counts, else a statement that allows it."""

    def fits(statement: dict[str, Any]) -> bool:
        near = any(
            resource == r or (r.endswith("*") and resource.startswith(r[:-1]))
            for r in statement["Resource"]
        )
        return near and f"s3:{action}" in statement["Action"]

    told = [s["Effect"] for s in policy["Statement"] if fits(s)]
    return "Allow" in told and "Deny" not in told


def test_the_lesser_key_writes_and_deletes_nothing_that_is_held() -> None:
    policy = json.loads(files(with_tenant())["s3/s3-vault-policy.json"])
    thing = "arn:aws:s3:::one/a"
    assert allowed(policy, "PutObject", thing)
    assert allowed(policy, "GetObject", thing)
    assert allowed(policy, "ListBucket", "arn:aws:s3:::two")
    for never in ("DeleteObjectVersion", "BypassGovernanceRetention"):
        assert not allowed(policy, never, thing)
    for never in ("PutBucketVersioning", "DeleteBucket", "PutLifecycleConfiguration"):
        assert not allowed(policy, never, "arn:aws:s3:::one")
    assert not allowed(policy, "GetObject", "arn:aws:s3:::other/a")
    reads = json.loads(files(with_tenant(may="read"))["s3/s3-vault-policy.json"])
    assert allowed(reads, "GetObject", thing)
    assert not allowed(reads, "PutObject", thing)
    assert not allowed(reads, "DeleteObject", thing)


def test_it_is_reached_from_where_the_firewall_lets_in_and_from_nowhere_else() -> None:
    plan = with_tenant()
    made = files(plan)
    unit = made["s3/s3-vault.service"].splitlines()
    (near,) = [x for x in unit if x.startswith("IPAddressAllow=")]
    networks = near.removeprefix("IPAddressAllow=localhost ").split()
    assert networks == ["192.168.1.0/24", "fe80::/10"]
    policy = json.loads(made["s3/s3-vault-policy.json"])
    assert policy["Statement"][0]["Condition"] == {"IpAddress": {"aws:SourceIp": networks}}
    found = host_files(plan, "box", "r", TODAY)
    assert {n for n in found if n.startswith("s3/")} == set(made)


@needs("systemd-analyze")
@pytest.mark.parametrize("folder", ["", 'o dd 100% "x"', "$HOME `id`"])
def test_systemd_and_a_shell_read_what_was_written(tmp_path: Path, folder: str) -> None:
    made = files(with_tenant(secured=True))
    place = f"/srv/{folder or 'main/files'}"
    unit = made["s3/s3-vault.service"].replace(unit_path("/srv/main/files"), unit_path(place))
    (tmp_path / "s3-vault.service").write_text(
        unit.replace("/usr/local/sbin/s3-serve", "/bin/true")
    )
    said = subprocess.run(
        ["systemd-analyze", "verify", "--man=no", str(tmp_path / "s3-vault.service")],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert [x for x in said.stderr.splitlines() if "s3-vault" in x] == []
    env = made["s3/s3-vault.env"].replace("/srv/main/files", in_quotes(place))
    (tmp_path / "env").write_text(env)
    read = subprocess.run(
        ["sh", "-c", f'. {tmp_path}/env; printf "%s|" "$S3_FOLDER" "$S3_BUCKETS" "$S3_ADDRESS"'],
        capture_output=True, text=True, check=True, env={"HOME": "/root"},
    )  # fmt: skip
    assert read.stdout == f"{place}|one two|:9000|"
    assert env.count("SET-ME") == 2
