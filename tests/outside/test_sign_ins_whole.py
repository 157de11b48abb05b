"""Every predicted cell over SFTP, FTP and rsync on real servers, over folders as setup.sh leaves them.

Sources: sshd, sftp, vsftpd, rsync, PAM and setfacl of Debian; their manual pages.
"""

import json
import os
import random
import shlex
import sys
from pathlib import Path
from typing import Any

import pytest

from kavrel.core.consistency import problems
from kavrel.core.index import Index
from kavrel.core.plan import Account, Dataset, Export, Grant, Opening, Plan, Share
from kavrel.core.shares.names import folders
from kavrel.core.shares.reach import reach
from kavrel.formats.servers.bundle import host_files
from tests.builders import GB, TODAY, lab
from tests.conftest import free_port, needs
from tests.outside.test_setup_whole import House, each_mounted, house
from tests.seeds import some

__all__ = ["house"]
pytestmark = [
    needs("unshare"),
    needs("sshd"),
    needs("vsftpd"),
    needs("rsync"),
    needs("setfacl"),
    pytest.mark.skipif(os.geteuid() != 0, reason="namespaces and accounts need root"),
]
VISITS = Path(__file__).parent / "sign_ins.py"
PLACES = {
    "50-kavrel-sftp.conf": "/etc/ssh/sshd_config.d/50-kavrel-sftp.conf",
    "vsftpd.conf": "/etc/vsftpd.conf",
    "vsftpd.userlist": "/etc/vsftpd.userlist",
    "kavrel-ftp.pam": "/etc/pam.d/kavrel-ftp",
    "rsyncd.conf": "/etc/rsyncd.conf",
}


def offered() -> Plan:
    """Five people, three of them let in somewhere; one has run out."""
    people = (
        *(Account(id=n, login=f"kv{n}", full_name=n) for n in ("ana", "bo", "cy", "dee")),
        Account(id="late", login="kvlate", full_name="late", expires_on=TODAY),
    )
    data = tuple(
        Dataset(id=n, name=n, pool="main", size_bytes=GB) for n in ("files", "scans", "tree")
    )
    inner = Dataset(id="inner", name="inner", pool="main", size_bytes=GB, parent="tree")
    near = ("127.0.0.1",)
    exports = (
        Export(id="in", protocol="sftp", name="inbox", dataset="files", accounts=("ana", "late")),
        Export(
            id="out", protocol="sftp", name="outbox", dataset="inner", accounts=("bo",), may="read"
        ),
        Export(
            id="scan",
            protocol="ftp",
            name="scan",
            dataset="scans",
            accounts=("cy", "late"),
            port=free_port(),
            secured=True,
        ),
        Export(
            id="sync",
            protocol="rsync",
            name="sync",
            dataset="files",
            accounts=("dee",),
            clients=near,
        ),
        Export(
            id="look",
            protocol="rsync",
            name="look",
            dataset="inner",
            accounts=("ana", "dee"),
            clients=near,
            may="read",
        ),
    )
    grant = Grant(id="g", share="share", account="bo", right="read")
    opened = Opening(id="o", host="box", port=exports[2].port or 21, purpose="the scanner")
    return lab(
        accounts=people,
        datasets=(*data, inner),
        exports=exports,
        grants=(grant,),
        openings=(opened,),
    )


def agree(house: House, plan: Plan) -> str:
    """Everybody really gets what the plan says, at every export; what was seen on the way."""
    index, paths = Index(plan), folders(plan)
    house.pools("main")
    texts = host_files(plan, "box", "revision 1", TODAY)
    logins = [a.login for a in plan.accounts if a.works_on(TODAY)]
    secrets = "".join(f"{x}:Correct-horse-9\n" for x in logins)
    # What is left to the hand: its address on the internet, which RFC 5737 keeps for examples.
    served = {
        n: t.replace("#pasv_address=SET-ME", "pasv_address=203.0.113.9")
        for n, (t, _) in texts.items()
    }
    given = {
        "files": {place: served[name] for name, place in PLACES.items() if name in texts}
        | {"/etc/rsyncd.secrets": secrets},
        "fstab": texts["fstab"][0],
        "logins": logins,
        "room": str(house.folder / "room" / "signs"),
        "exports": [
            {
                "id": e.id,
                "protocol": e.protocol,
                "name": e.name,
                "folder": paths[e.dataset],
                "port": e.port,
                "secured": e.secured,
            }
            for e in plan.exports
        ],
    }
    (house.folder / "given.json").write_text(json.dumps(given), encoding="utf-8")
    visit = f"{sys.executable} {VISITS} <{shlex.quote(str(house.folder / 'given.json'))} 2>&1"
    ran = house.run(plan, after=each_mounted(plan, "box") + visit, today=TODAY)
    line = next((x for x in ran.seen.splitlines() if x.startswith("CELLS ")), None)
    assert line, ran.said + ran.seen
    found = json.loads(line.removeprefix("CELLS "))
    expected = {f"{login} {e.id}": "none" for login in logins for e in plan.exports}
    for one in reach(index, (), TODAY):
        if one.subject_kind == "account":
            expected[f"{one.name} {one.thing}"] = one.right
    for export in plan.exports:
        if export.protocol == "rsync":  # by address and by account: the accounts are told apart
            mine = (index.accounts[a] for a in export.accounts)
            expected |= {f"{a.login} {export.id}": export.may for a in mine if a.works_on(TODAY)}
    wrong = {k: (found.get(k), v) for k, v in expected.items() if found.get(k) != v}
    assert not wrong, f"{wrong}\n{ran.said}\n{ran.seen}"
    return ran.seen


def test_who_signs_in_gets_what_the_plan_says_and_nobody_else_anything(house: House) -> None:
    seen = agree(house, offered())
    # Whoever comes from the internet is sent to the address that leads there.
    assert "FTP kvcy is sent to 227 Entering Passive Mode (203,0,113,9," in seen


def anybody(seed: int) -> Plan:
    """People, folders in one another, shares with grants, and exports that some of them sign in at."""
    luck = random.Random(seed)
    people = tuple(
        Account(id=f"a{n}", login=f"kv{seed}u{n}", full_name="x", enabled=n != 4) for n in range(5)
    )
    data: list[Dataset] = []
    for n in range(5):
        above = luck.choice(data).id if data and luck.random() < 0.5 else None
        owner = luck.choice((None, None, "a0", "a1"))
        data.append(
            Dataset(
                id=f"d{n}", name=f"data {n}", pool="main", size_bytes=GB, parent=above, owner=owner
            )
        )
    shares = tuple(Share(id=f"s{n}", name=f"share {n}", dataset=f"d{n}") for n in range(3))
    grants = [
        Grant(
            id=f"g{s.id}{a.id}",
            share=s.id,
            account=a.id,
            right=luck.choice(("none", "read", "write")),
        )
        for s in shares
        for a in people
        if luck.random() < 0.3
    ]
    base = lab(
        accounts=people,
        datasets=tuple(data),
        shares=shares,
        grants=tuple(grants),
        groups=(),
        jobs=(),
    )
    plan, ftp = base, free_port()
    for n in range(7):
        protocol = luck.choice(("sftp", "sftp", "ftp", "rsync"))
        fields: dict[str, Any] = {
            "id": f"e{n}", "protocol": protocol, "name": f"e{n}", "dataset": luck.choice(data).id,
            "accounts": tuple(a.id for a in people if luck.random() < 0.5),
            "may": luck.choice(("read", "write")),
        }  # fmt: skip
        fields |= {"clients": ("127.0.0.1",)} if protocol == "rsync" else {}
        fields |= {"port": ftp, "secured": seed % 2 == 0} if protocol == "ftp" else {}
        with_it = plan.model_copy(update={"exports": (*plan.exports, Export(**fields))})
        # Whoever is shut in at one export cannot be told from a visitor of another over the same folder.
        over = {e.dataset for e in plan.exports if e.protocol == protocol == "sftp"}
        if fields["accounts"] and fields["dataset"] not in over and not problems(with_it):
            plan = with_it
    return plan


@pytest.mark.prove
@pytest.mark.parametrize("seed", some(range(1, 13)))
def test_random_people_sign_in_and_get_what_the_plan_says(seed: int, house: House) -> None:
    agree(house, anybody(seed))
