"""Every predicted SMB cell on a real smbd, over the folders as setup.sh leaves them.

The script and the server's file are those of the plan, run as root in namespaces with /etc and /srv
of their own; nothing is given by the test but the passwords and a file to read in each share.
Source: smbd, smbclient, useradd and setfacl of Debian; acl(5).
"""

import json
import os
import random
import shlex
import sys
from collections.abc import Iterator

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Account, Dataset, Grant, Group, Plan, Right, Share
from kavrel.core.shares.access import WIDTH, access_matrix
from kavrel.core.shares.names import folders
from kavrel.core.works.folders import folder_works, may_in
from kavrel.formats.samba import smb_conf, smb_hosts
from kavrel.rig.real.smb import VISITS
from tests.builders import GB, TODAY, lab
from tests.conftest import free_port, needs
from tests.outside.test_setup_whole import House, each_mounted, house
from tests.seeds import some

__all__ = ["house"]
pytestmark = [
    needs("unshare"),
    needs("smbd"),
    needs("smbclient"),
    needs("smbpasswd"),
    needs("setfacl"),
    pytest.mark.skipif(os.geteuid() != 0, reason="namespaces and accounts need root"),
    pytest.mark.xdist_group("samba"),
]


def cells(house: House, plan: Plan, host: str, *pools: str) -> dict[str, str]:
    """What everybody can really do after the plan's own script has run."""
    index, paths = Index(plan), folders(plan)
    for one in plan.disks:
        (house.folder / "by-id" / f"ata-X_{one.serial}").touch()
    house.pools(*pools)
    mine = [s for s in plan.shares if index.pools[index.datasets[s.dataset].pool].host == host]
    given = {
        "conf": smb_conf(plan, host, "revision 1", TODAY),
        "logins": [a.login for a in plan.accounts if a.works_on(TODAY)],
        "room": str(house.folder / "room" / "samba"),
        "port": free_port(),
        "shares": [
            *(
                {"id": s.id, "name": s.name, "folder": paths[s.dataset], "home": s.home}
                for s in mine
            ),
            *(
                {"id": f"{s.id}/{d.id}", "name": s.name, "folder": paths[d.id], "home": False}
                | {"below": paths[d.id].removeprefix(f"{paths[s.dataset]}/")}
                for s, d in inside(plan, mine)
            ),
        ],
    }
    (house.folder / "given.json").write_text(json.dumps(given), encoding="utf-8")
    visit = f"{sys.executable} {VISITS} <{shlex.quote(str(house.folder / 'given.json'))} 2>&1"
    ran = house.run(plan, host, after=each_mounted(plan, host) + visit, today=TODAY)
    line = next((x for x in ran.seen.splitlines() if x.startswith("CELLS ")), None)
    (house.folder / "visits").write_text(ran.said + ran.seen, encoding="utf-8")
    assert line, ran.said + ran.seen
    found: dict[str, str] = json.loads(line.removeprefix("CELLS "))
    return found


def inside(plan: Plan, shares: list[Share]) -> Iterator[tuple[Share, Dataset]]:
    """Datasets that lie in one that is shared, as far as the share goes down."""
    for share in shares:
        for dataset in plan.datasets:
            if dataset.parent == share.dataset and not share.home:
                yield share, dataset


def agree(house: House, plan: Plan, host: str, *pools: str) -> None:
    """Every cell is what the matrix says; what the server said stands beside those that are not."""
    found, expected = cells(house, plan, host, *pools), predicted(plan, host)
    wrong = {k: (found.get(k), v) for k, v in expected.items() if found.get(k) != v}
    # An owner whom nothing lets in makes files there all the same, and does not see those of others.
    owners = {
        f"{a.login} {s.id}/{d.id}"
        for s, d in inside(plan, list(plan.shares))
        for a in plan.accounts
        if a.id == d.owner
    }
    wrong = {k: v for k, v in wrong.items() if k not in owners}
    assert not wrong, f"{wrong}\n{(house.folder / 'visits').read_text(encoding='utf-8')}"
    assert found.keys() == expected.keys()


def predicted(plan: Plan, host: str) -> dict[str, str]:
    """What the matrix says of the same cells."""
    index = Index(plan)
    found: dict[str, str] = {}
    for cell in access_matrix(index, TODAY):
        share, account = index.shares[cell.share], index.accounts[cell.account]
        here = index.pools[index.datasets[share.dataset].pool].host == host
        if here and account.works_on(TODAY):
            found[f"{account.login} {share.id}"] = cell.right
    for share in plan.shares:
        if index.pools[index.datasets[share.dataset].pool].host == host and not share.home:
            found[f" {share.id}"] = share.guest
    # Through a share one gets as far down as the share and the folder there both let one.
    works = {key: w for w in folder_works(index, host, TODAY) for _, key in w.makes}
    mine = [s for s in plan.shares if index.pools[index.datasets[s.dataset].pool].host == host]
    for share, dataset in inside(plan, mine):
        for who in (*(a for a in plan.accounts if a.works_on(TODAY)), None):
            key = f"{who.login if who else ''} {share.id}"
            bits = may_in(index, works[dataset.id], who)
            able: Right = "write" if bits & 6 == 6 else "read" if bits & 4 else "none"
            found[f"{key}/{dataset.id}"] = min(able, found[key], key=WIDTH.__getitem__)
    return found


def test_the_demo_labs_people_get_what_its_matrix_says(house: House, demo: Plan) -> None:
    pools = {"heron": "ridge", "wren": "anvil", "dipper": "burrow"}
    for host in smb_hosts(demo):
        agree(house, demo, host, pools[host])


def somebody(luck: random.Random, seed: int) -> Plan:
    """A lab with random people, groups, shares, owners, homes, guests and datasets in one another."""
    accounts = tuple(Account(id=f"a{n}", login=f"kv{seed}u{n}", full_name="x") for n in range(5))
    groups = tuple(
        Group(
            id=f"g{n}",
            name=f"kv{seed}g{n}",
            members=tuple(a.id for a in accounts if luck.random() < 0.5),
        )
        for n in range(3)
    )
    datasets = tuple(
        Dataset(
            id=f"d{n}",
            name=f"data {n}",
            pool="main",
            size_bytes=GB,
            owner=luck.choice([None, "a0", "a1"]),
            parent="d0" if n in (3, 5) else None,
        )
        for n in range(6)  # the last one is offered by nothing: a part of what it lies in
    )
    shares = tuple(
        Share(
            id=f"s{n}",
            name=f"share {n}",
            # Two shares of one dataset may give different people different rights.
            dataset=f"d{min(n, 4)}",
            guest="none" if n == 2 else luck.choice(["none", "none", "read", "write"]),
            home=n == 2,
        )
        for n in range(6)
    )
    grants: list[Grant] = []
    for share in shares:
        for kind, things in (("account", accounts), ("group", groups)):
            for thing in things:
                if luck.random() < 0.4:
                    fields = {"id": f"x{len(grants)}", "share": share.id, kind: thing.id}
                    right = luck.choice(["none", "read", "write"])
                    grants.append(Grant.model_validate({**fields, "right": right}))
    return lab(
        datasets=datasets, accounts=accounts, groups=groups, shares=shares, grants=tuple(grants)
    )


@pytest.mark.parametrize("seed", range(1, 2))
def test_random_people_get_what_the_matrix_says(seed: int, house: House) -> None:
    plan = somebody(random.Random(seed), seed)
    agree(house, plan, "box", "main")


@pytest.mark.prove
@pytest.mark.parametrize("seed", some(range(97, 110)))
def test_many_random_labs(seed: int, house: House) -> None:
    plan = somebody(random.Random(seed), seed)
    agree(house, plan, "box", "main")
