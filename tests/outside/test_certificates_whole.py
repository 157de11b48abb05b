"""Certificates, the account of a server and the places of repositories, as setup.sh really makes them.

Sources: openssl-req(1), openssl-x509(1), useradd(8), setfacl(1), of Debian.
"""

import os

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Account, Export, Plan
from kavrel.core.works import CertificateThere, KerberosThere, RepositoryThere, bill
from kavrel.formats.servers.bundle import host_files
from tests.builders import TODAY, job, lab
from tests.conftest import needs
from tests.outside.test_setup_whole import House, house

__all__ = ["house"]
pytestmark = [
    needs("unshare"),
    needs("openssl"),
    needs("setfacl"),
    pytest.mark.skipif(os.geteuid() != 0, reason="namespaces and accounts need root"),
]
FTP, KEY = "/etc/ssl/certs/vsftpd.pem", "/etc/ssl/private/vsftpd.key"
S3_KEY = "/etc/s3/s3-vault.key"


def served() -> Plan:
    """FTP and S3 with TLS on one box, whose tool also takes a repository by SFTP and one by root."""
    ana = Account(id="ana", login="kvana", full_name="ana")
    exports = (
        Export(
            id="f", protocol="ftp", name="scan", dataset="scans", accounts=("ana",), secured=True
        ),
        Export(
            id="s", protocol="s3", name="vault", dataset="vault", accounts=("ana",), secured=True,
            port=9000, size_bytes=10**9, buckets=("chunks",),
        ),
        Export(id="i", protocol="sftp", name="in", dataset="files", accounts=("ana",)),
    )  # fmt: skip
    base = lab()
    data = (
        *base.datasets,
        *(base.datasets[0].model_copy(update={"id": n, "name": n}) for n in ("scans", "vault")),
    )
    jobs = (
        job("b", kind="backup", target_pool="main", datasets=("far-files",)),
        job("c", kind="backup", target_pool="main", datasets=("far-files",), lands_in="i", lands_as="ana"),
    )  # fmt: skip
    far = base.datasets[0].model_copy(
        update={"id": "far-files", "name": "far files", "pool": "second"}
    )
    box = base.hosts[0].model_copy(update={"address": "192.168.1.5", "vpn_address": "100.64.0.5"})
    return lab(
        accounts=(ana,),
        groups=(),
        grants=(),
        hosts=(box, *base.hosts[1:]),
        datasets=(*data, far),
        exports=exports,
        jobs=jobs,
    )


LOOK = f"""
for name in box 192.168.1.5 100.64.0.5 other; do
  case $name in [0-9]*) how=-checkip ;; *) how=-checkhost ;; esac
  openssl x509 -noout $how $name -in {FTP}
done
openssl x509 -noout -fingerprint -in {FTP}
openssl verify -CAfile {FTP} {FTP}
stat -c '%n %U:%G %a' {FTP} {KEY} {S3_KEY} /srv/main/b /srv/main/files/c
getfacl -p /srv/main/vault | grep s3
as() {{
  setpriv --reuid=$1 --regid=$1 --init-groups sh -c "$2" >/dev/null 2>&1 || {{ echo "$1 may not"; return; }}
  echo "$1 may"
}}
as s3-vault 'echo x >/srv/main/vault/object && cat {S3_KEY}'
as kvana 'cat {S3_KEY}'
as kvana 'ls /srv/main/vault'
as kvana 'echo x >/srv/main/files/c/chunk'
as s3-vault 'ls /srv/main/files/c'
"""


def test_servers_have_a_certificate_an_account_and_tools_a_place(house: House) -> None:
    plan = served()
    house.pools("main")
    script = f"sh {house.folder}/setup.sh >{house.folder}/again 2>&1; echo @CODE $?@\n"
    first = house.run(plan, after=f"{LOOK}{script}{LOOK}", today=TODAY)
    assert (first.code, first.left) == (0, []), first.said
    seen, code, again = first.seen.split("@")
    said = seen.splitlines()
    assert [x.rpartition(" does ")[2] for x in said[:4]] == [
        *["match certificate"] * 3,
        "NOT match certificate",
    ]
    assert said[5:] == [
        f"{FTP}: OK",
        f"{FTP} root:root 644",
        f"{KEY} root:root 600",
        f"{S3_KEY} root:s3-vault 640",
        "/srv/main/b root:root 700",
        "/srv/main/files/c kvana:kvana 2700",
        "user:s3-vault:rwx",
        "default:user:s3-vault:rwx",
        "s3-vault may",
        "kvana may not",
        "kvana may not",
        "kvana may",
        "s3-vault may not",
    ]
    # Once more: the same certificate, the same people, and nobody is told anything.
    assert code == "CODE 0"
    assert again.strip() == seen.strip()
    said_again = (house.folder / "again").read_text(encoding="utf-8")
    assert "openssl req" not in said_again
    assert "LEFT" not in said_again


OWN = f"""
mkdir -p /etc/ssl/private
brought() {{
  openssl req -x509 -newkey rsa:2048 -nodes -days $1 -subj /CN=own -addext subjectAltName=$2 \\
    -keyout {KEY} -out {FTP} 2>/dev/null
}}
{{}}
sum {KEY} >/srv/sum
"""


@pytest.mark.parametrize(
    ("does", "said"),
    [
        ("brought 300 DNS:box,IP:192.168.1.5,IP:100.64.0.5", []),
        ("brought 20 DNS:box,IP:192.168.1.5,IP:100.64.0.5", ["ends within 30 days"]),
        ("brought 300 DNS:box,IP:192.168.1.6,IP:100.64.0.5", ["not for IP:192.168.1.5"]),
        (f"brought 300 DNS:box,IP:192.168.1.5,IP:100.64.0.5; rm {FTP}", ["is missing and the other"]),
        (
            "brought 300 DNS:box,IP:192.168.1.5,IP:100.64.0.5;"
            f"openssl genpkey -algorithm ed25519 >{KEY}",
            ["not the key of certificate"],
        ),
    ],
    ids=["good", "old", "other", "alone", "pair"],
)  # fmt: skip
def test_what_somebody_brought_stays_and_what_is_wrong_with_it_is_said(
    does: str, said: list[str], house: House
) -> None:
    house.pools("main")
    ran = house.run(
        served(), before=OWN.replace("{}", does), after=f"sum {KEY}; cat /srv/sum", today=TODAY
    )
    told = ran.left
    assert len(told) == len(said), ran.said
    assert all(word in one for word, one in zip(said, told, strict=True))
    now, before = ran.seen.splitlines()[-2:]
    assert now == before


def test_kerberos_is_of_the_hand_at_both_ends_and_in_every_paper() -> None:
    base = lab()
    nfs = Export(
        id="n", protocol="nfs", name="n", dataset="files", clients=("10.0.0.9",), secured=True
    )
    plan = base.model_copy(update={"exports": (nfs,)})
    (work,) = [w for w in bill(Index(plan), "box", TODAY) if isinstance(w, KerberosThere)]
    assert "nfs/" in work.by_hand
    plain = plan.model_copy(update={"exports": (nfs.model_copy(update={"secured": False}),)})
    assert not [w for w in bill(Index(plain), "box", TODAY) if isinstance(w, KerberosThere)]
    readme = host_files(plan, "box", "revision 1", TODAY)
    assert "krb5p" in readme["exports"][0]


def test_works_of_a_closed_box_name_no_file_of_its_own() -> None:
    plan = served()
    box = plan.hosts[0].model_copy(update={"kind": "bought_box"})
    shut = plan.model_copy(update={"hosts": (box, *plan.hosts[1:])})
    found = bill(Index(shut), "box", TODAY)
    assert not [w for w in found if isinstance(w, CertificateThere | RepositoryThere)]
    values = host_files(shut, "box", "revision 1", TODAY)["values.txt"][0]
    assert "encrypted on the way" in values
