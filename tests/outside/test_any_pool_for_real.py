"""Boxes drawn at random, made by setup.sh on a real kernel, looked at, and made once more.

Any family with any file system on disks of odd sizes, locked or not, with spares and fast tiers, names that
no folder can have, limits, people and groups: what is made is what was planned, is seen as such, and
gives everybody what the plan gives them. Sources: the tools of the machine themselves.
"""

import random
import shlex
from pathlib import Path
from typing import Any

import pytest

from kavrel.core.consistency import problems
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Account, Dataset, Grant, Group, Plan, Pool, Share
from kavrel.core.pools.families import FAMILIES
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.names import folders, pool_names
from kavrel.core.shares.parts import parts_of
from kavrel.formats.servers.files import fstab
from kavrel.formats.servers.setup import setup_script
from kavrel.rig.bare.setting_up import set_up
from tests.builders import GB, TODAY, disk, lab
from tests.conftest import needs
from tests.outside import uml
from tests.outside.test_pools_for_real import LAB_LOOK, is_seen_as_planned, on_kernel, standing

pytestmark = [
    pytest.mark.prove,
    needs("cryptsetup"),
    needs("lvcreate"),
    needs("mergerfs"),
    pytest.mark.skipif(not uml.can_run(), reason="no user-mode-linux with mdadm here"),
]
NAMES = ("data", "My Films", "größe", "a.b", "d'or", "x$y", "50% off", "back\\slash", "semi;colon", "#hash",
         "two  spaces", "-dash", 'q"uote', "ampers&and", "(paren)")  # fmt: skip
SYSTEMS = ("ext4", "xfs", "btrfs", "zfs")


def people(luck: random.Random) -> dict[str, Any]:
    accounts = tuple(Account(id=f"a{n}", login=f"kvu{n}", full_name=f"P {n}") for n in range(4))
    some = [tuple(a.id for a in accounts if luck.random() < 0.5) for _ in range(2)]
    groups = tuple(Group(id=f"g{n}", name=f"kvg{n}", members=m) for n, m in enumerate(some))
    return {"accounts": accounts, "groups": groups}


def data(pools: list[Pool], seed: int) -> dict[str, Any]:
    """Datasets in one another on these pools, some of them shared, and who may what."""
    luck = random.Random(seed)
    them = people(luck)
    sets: list[Dataset] = []
    shares: list[Share] = []
    grants: list[Grant] = []
    for pool in pools:
        mine: list[str] = []
        for number in range(luck.choice((1, 2, 3))):
            key = f"{pool.id}-d{number}"
            fields: dict[str, Any] = {"id": key, "pool": pool.id, "size_bytes": GB // 100}
            fields |= {"name": f"{luck.choice(NAMES)} {key}", "owner": luck.choice((None, "a0"))}
            if mine and luck.random() < 0.4:
                fields["parent"] = luck.choice(mine)
            if luck.random() < 0.4 and not (FAMILIES[pool.family].apart or pool.tier):
                fields["quota_bytes"] = 16_384_000
            mine.append(key)
            sets.append(Dataset(**fields))
            if luck.random() < 0.6:
                shares.append(Share(id=f"s-{key}", name=f"s {key}", dataset=key))
                for kind, those in (("account", them["accounts"]), ("group", them["groups"])):
                    for one in (o for o in those if luck.random() < 0.4):
                        right = luck.choice(("none", "read", "write"))
                        told = {"id": f"x{len(grants)}", "share": f"s-{key}", kind: one.id}
                        grants.append(Grant.model_validate(told | {"right": right}))
    return {"datasets": tuple(sets), "shares": tuple(shares), "grants": tuple(grants), **them}


def drawn(seed: int) -> Plan:
    """A box with wanted pools that the plan allows, over up to 15 disks."""
    luck = random.Random(seed)
    count = luck.randint(6, 15)
    sizes = [
        2_000_000_512 + 512 * luck.choice((0, luck.randrange(2_500_000))) for _ in range(count)
    ]
    base = lab()
    box = base.hosts[0].model_copy(update={"bays_35": count})
    disks = tuple(disk(n, serial=f"SN-{n}", capacity_bytes=s) for n, s in enumerate(sizes, 1))
    empty = lab(jobs=()).model_copy(
        update={
            "hosts": (box,),
            "links": (),
            "disks": disks,
            "sites": base.sites[:1],
            "exports": (),
        }
        | {"name": f"any {seed}"}
    )
    free = [d.id for d in disks]
    luck.shuffle(free)
    pools: list[Pool] = []
    plan = empty
    for number in range(8):
        family = FAMILIES[luck.choice([f for f in FAMILIES if not FAMILIES[f].card])]
        able = [s for s in SYSTEMS if s in family.filesystems]
        want = luck.randint(family.minimum, max(family.minimum, 6))
        ways = list(family.groupings(want))
        if not able or want > len(free) or not ways:
            continue
        widths, members, rest = luck.choice(ways), iter(free[:want]), free[want:]
        fields: dict[str, Any] = {
            "id": f"p{number}", "name": luck.choice((f"p{number}", f"The größe {number}!", f"p{number}.x-y")),
            "host": box.id, "family": family.id, "filesystem": luck.choice(able), "standing": False,
            "groups": [[next(members) for _ in range(w)] for w in widths],
        }  # fmt: skip
        if luck.random() < 0.3:
            fields |= {"encrypted": True, "unlock": luck.choice(("typed", "key_file"))}
        if rest and luck.random() < 0.25 and family.md_level and not family.nested:
            fields["spares"], rest = [rest[0]], rest[1:]
        elif rest and luck.random() < 0.3 and not FILESYSTEMS[fields["filesystem"]].subvolumes:
            fields |= {"tier": [rest[0]], "tier_mirrored": False}
            rest = rest[1:]
        tried = [*pools, Pool.model_validate(fields)]
        with_it = empty.model_copy(update={"pools": tuple(tried), **data(tried, seed)})
        if not problems(with_it):
            pools, plan, free = tried, with_it, rest
    assert pools
    return plan


MAY = """
may() {
  r=none; setpriv --reuid=$1 --regid=$1 --init-groups ls "$3" >/dev/null 2>&1 && r=read
  setpriv --reuid=$1 --regid=$1 --init-groups sh -c 'echo >"$0/of-$1"' "$3" $1 2>/dev/null && r=write
  rm -f "$3/of-$1"; echo "may $1 $2 $r"
}
"""
MAKES = (
    "^[+] (mkfs|wipefs|mdadm|pvcreate|mount|cryptsetup|mkdir|chown|chmod|setfacl|btrfs subvolume)"
)


@pytest.mark.parametrize("seed", [307, 395, 413])
def test_what_is_made_is_what_was_planned(seed: int, tmp_path: Path) -> None:
    plan = drawn(seed)
    after, index = standing(plan), Index(plan)
    assert not problems(after)
    assert fstab(after, "box", "r") == fstab(plan, "box", "r"), (
        "nothing is mounted otherwise once the plan knows that it stands"
    )
    names, at = pool_names(plan), folders(plan)
    asked = [
        word
        for p in plan.pools
        for word in ((names[p.id], "secret words") if p.encrypted else (names[p.id],))
    ]
    everybody = "\n".join(
        f"may {a.login} {d.id} {shlex.quote(at[d.id])}"
        for a in plan.accounts
        for d in plan.datasets
    )
    (tmp_path / "later.sh").write_text(setup_script(after, "box", "revision 2"), encoding="utf-8")
    said = on_kernel(
        plan,
        tmp_path,
        f"""{MAY}
go '{"".join(f"{a}!n" for a in asked).replace("!", chr(92))}' ''; echo "code $code"; grep LEFT /run/said
grep -E '^([+]|LEFT)' /run/said >/mnt/job/did
{LAB_LOOK}
echo ===; go '' ''; echo "code $code"; grep -E 'LEFT|{MAKES}' /run/said
cp /mnt/job/later.sh /mnt/job/setup.sh
echo ===; go '' ''; echo "code $code"; grep -E 'LEFT|{MAKES}' /run/said
echo ===
{everybody}
""",
    )
    made, again, stands, rights = said.split("===\n")
    assert made.split("\n") == ["code 0", ""], said
    # The stand-ins of the rig are told and answer just what the real ones here are and do.
    did = (tmp_path / "did").read_text(encoding="utf-8").replace("/dev/ubd", "/dev/sd")
    bare, _ = set_up(plan, "box", tmp_path, TODAY, {p.id for p in plan.pools})
    stood_in = [x for x in bare.said.splitlines() if x.startswith(("+", "LEFT"))]
    assert did.splitlines() == stood_in
    assert bare.differs == ()
    assert again.split("\n") == ["code 0", ""], said
    assert stands.split("\n") == ["code 0", ""], said
    is_seen_as_planned(tmp_path, plan)
    may = {tuple(x.split()[1:3]): x.split()[3] for x in rights.splitlines()}
    logins = {a.id: a.login for a in plan.accounts}
    parts = parts_of(index)
    for cell in access_matrix(index, TODAY):
        shared = index.shares[cell.share].dataset
        for each in (shared, *parts.get(shared, ())):
            if index.datasets[each].owner != cell.account:  # the server refuses an owner too
                assert may[logins[cell.account], each] == cell.right, (cell, each, said)
