"""The pools of setup.sh on a real kernel: md, LVM and LUKS of Linux 6.1 in user-mode-linux.

What the machine says afterwards has to be what the plan reckons with: level, members, bytes, mounts.
Sources: mdadm 4.2, LVM 2.03, cryptsetup 2.6, util-linux 2.38 themselves.
"""

import json
import re
from collections.abc import Sequence
from pathlib import Path
from shlex import quote
from typing import Any

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.paper.document import Section
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.plan import Dataset, Grant, Plan, Pool, Quota, Share
from kavrel.core.pools.families import FAMILIES
from kavrel.core.seen.drift import drift
from kavrel.core.seen.known import is_made_alike
from kavrel.core.seen.limited import Limits
from kavrel.core.shares.names import pool_roots
from kavrel.core.typed import commands
from kavrel.core.works.limits import DatasetLimited, limit_works
from kavrel.core.works.pools import ArrayRuns, FilesystemMade, works_of_pool
from kavrel.core.works.volumes import volumes_of
from kavrel.formats.lab_jobs import lab_jobs
from kavrel.formats.lab_jobs import script as lab_job
from kavrel.formats.lab_look import look_script
from kavrel.formats.looks.read import read_look
from kavrel.formats.readers import read_file
from kavrel.formats.servers.files import fstab
from kavrel.formats.servers.setup import setup_script
from tests.builders import GB, TODAY, disk, lab
from tests.conftest import needs
from tests.outside import uml
from tests.outside.debian import NotHere
from tests.outside.uml.zfs import loads_it, zfs_here

pytestmark = [
    pytest.mark.prove,
    needs("cryptsetup"),
    needs("lvcreate"),
    needs("sfdisk"),
    pytest.mark.skipif(not uml.can_run(), reason="no user-mode-linux with mdadm here"),
]
SETUP = (uml.HERE / "setup.sh").read_text(encoding="utf-8")


def plan_of(sizes: list[int], *pools: dict[str, object], of_bo: str = "pair") -> Plan:
    """Wanted pools on a box whose disks have these bytes; each with one dataset of the same name.

    What the account bo may fill is limited on the pool `of_bo`.
    """
    base = lab()
    box = base.hosts[0].model_copy(update={"bays_35": len(sizes)})
    disks = [disk(n, serial=f"SN-{n}", capacity_bytes=s) for n, s in enumerate(sizes, 1)]
    made = [
        Pool.model_validate({"host": box.id, "name": p["id"], "standing": False, **p})
        for p in pools
    ]
    fields = {
        "hosts": (box,),
        "links": (),
        "disks": disks,
        "pools": made,
        "datasets": [
            Dataset(
                id=f"{p.id}-data",
                name="data",
                pool=p.id,
                size_bytes=GB // 10,
                owner="ana",
                quota_bytes=QUOTAS.get(p.id),
            )
            for p in made
        ],
        "quotas": [
            Quota(id="of-bo", account="bo", dataset=f"{p.id}-data", bytes=8_192_000)
            for p in made
            if p.id == of_bo
        ],
        "shares": [
            Share(id=p.id, name=p.id, dataset=f"{p.id}-data") for p in made if p.id == of_bo
        ],
        "grants": [
            Grant(id="of-bo", share=p.id, account="bo", right="write")
            for p in made
            if p.id == of_bo
        ],
        "jobs": (),
    }
    return base.model_copy(update={**fields, "sites": base.sites[:1]})


def server_of(filesystem: str, **fields: object) -> Plan:
    """A box at 192.168.1.10 with a pool `one` on a single disk, and nothing shared yet."""
    one: dict[str, object] = {
        "id": "one",
        "family": "span",
        "filesystem": filesystem,
        "groups": [["box1"]],
    }
    base = plan_of([2_000_000_512], one)
    box = base.hosts[0].model_copy(update={"addressing": "static", "address": "192.168.1.10"})
    empty = {"hosts": (box,), "quotas": (), "shares": (), "grants": ()}
    return base.model_copy(update={**empty, **fields})


def on_kernel(
    plan: Plan, work: Path, script: str, seconds: int = 700, more: tuple[int, ...] = ()
) -> str:
    """What a script prints after the plan's setup.sh is there to `go`; `more` disks come behind its own."""
    (work / "setup.sh").write_text(setup_script(plan, "box", "revision 1"), encoding="utf-8")
    (work / "fstab").write_text(fstab(plan, "box", "revision 1"), encoding="utf-8")
    there = [p.model_copy(update={"standing": True}) for p in plan.pools]
    jobs = lab_jobs(plan.model_copy(update={"pools": there}), "box", "revision 1")
    (work / "lab-jobs.json").write_text(jobs, encoding="utf-8")
    (work / "lab-job").write_text(lab_job(), encoding="utf-8")
    (work / "lab-look").write_text(look_script(), encoding="utf-8")
    sizes = [*(d.capacity_bytes for d in plan.disks), *more]
    loaded = loads_it(zfs_or_skip()) if any(p.filesystem == "zfs" for p in plan.pools) else ""
    return uml.run(loaded + SETUP + script, sizes, work, seconds)


def zfs_or_skip() -> Path:
    """OpenZFS for that kernel, built where nobody has; skips, with the reason, where it cannot be."""
    try:
        return zfs_here()
    except NotHere as error:
        pytest.skip(f"no OpenZFS for the kernel in user space: {error}")


def standing(plan: Plan) -> Plan:
    """The same once it was made and read back: each file system by its UUID."""
    index = Index(plan)
    known = []
    for pool in plan.pools:
        uuids = tuple(v.uuid for v in volumes_of(index, pool))
        by = {"uuid": uuids[0]} if len(uuids) == 1 else {"branch_uuids": uuids}
        known.append(pool.model_copy(update={"standing": True, **by}))
    return plan.model_copy(update={"pools": tuple(known)})


QUOTAS = {"pair": 16_384_000, "row": 16_384_000, "chunks": 16_384_000}
LOOK = """
look() {
  cat /run/said | grep LEFT
  for array in $(ls /dev/md); do mdadm --detail --export /dev/md/$array | sed "s/^/$array /"; done
  for array in $(ls /dev/md); do echo "$array bytes $(blockdev --getsize64 /dev/md/$array)"; done
  lvs --noheadings --units b --nosuffix -o vg_name,lv_size 2>/dev/null | sed 's/^/lvm/'
  findmnt -n -l -b -o TARGET,FSTYPE,SOURCE,UUID,SIZE | grep /srv/ | sed 's/^/mounted /'
  for pool in /srv/*; do stat -c '%U:%G %a %n' $pool/data; done
}
"""


# lab-look looks at all of it, as any administrator would have it look.
LAB_LOOK = "python3 /mnt/job/lab-look --out /mnt/job/look.json"


def named_disks(document: dict[str, Any], first: int = 1) -> dict[str, Any]:
    """A look whose disks have the plan's serials, which those of this kernel do not; `first`: that of ubda."""
    for one in document["listings"]:
        if one["listing"] == "lsblk":
            tree = json.loads(one["said"])
            for n, d in enumerate(
                sorted(tree["blockdevices"], key=lambda d: str(d["path"])), first
            ):
                if d["path"].startswith("/dev/ubd") and n:
                    d["serial"] = f"SN-{n}"
            one["said"] = json.dumps(tree)
    return document


def is_seen_as_planned(work: Path, plan: Plan) -> None:
    """What lab-look gathered on that kernel is read as the pools that were planned."""
    document = named_disks(json.loads((work / "look.json").read_text()))
    reading = read_look(json.dumps(document).encode(), 0)
    others = [h for h in reading.heard if h.listing != "smartctl"]  # virtual disks tell nothing
    assert not [h for h in others if h.not_understood or h.why], reading.heard
    machine = reading.machine
    serials = {d.device: d.serial for d in machine.disks}
    by_id = {d.id: d.serial for d in plan.disks}
    roots = pool_roots(plan)
    for pool in plan.pools:
        (seen,) = [p for p in machine.pools if p.path == roots[pool.id]]
        there = sorted(sorted(serials[d] for d in g) for g in seen.groups)
        wanted = sorted(sorted(by_id[d] for d in g) for g in pool.groups)
        assert is_made_alike(Index(plan), pool, seen.family), (pool.id, seen)
        assert seen.filesystem == pool.filesystem
        assert there == wanted, (pool.id, seen)
        assert sorted(serials[d] for d in seen.spares) == sorted(by_id[d] for d in pool.spares)
        assert [serials[d] for d in seen.tier] == [by_id[d] for d in pool.tier]
        assert seen.encrypted == pool.encrypted, (pool.id, seen)
        # md makes a RAID 5 by rebuilding onto its last member: until then it lacks one, and says so.
        assert seen.state == "online" or (seen.state, seen.busy[:8]) == ("degraded", "recovery")
    # Beside the plan in which they stand nothing is missing, extra or otherwise, but the timers of its bundle.
    standing = tuple(p.model_copy(update={"standing": True}) for p in plan.pools)
    found = drift(Index(plan.model_copy(update={"pools": standing})), "box", machine)
    rows = [
        r
        for r in found.differences
        if r.collection == "pools" and r.field not in ("state", "start")
    ]
    assert rows == [], rows


def limits(document: Path, plan: Plan) -> list[tuple[str, str, str, str]]:
    """What a look says of limits against the plan."""
    machine = read_look(document.read_bytes(), 0).machine
    found = Limits(Index(plan), "box", machine)
    rows: list[tuple[str, str, str, str]] = [
        (r.verdict, r.name, r.planned, r.seen) for r in found.rows()
    ]
    assert found.unknown == []
    return rows


def words(said: str, *start: str) -> dict[str, str]:
    found = {}
    for line in said.splitlines():
        parts = line.split()
        if parts[: len(start)] == list(start) and len(parts) > len(start):
            key, _, value = " ".join(parts[len(start) :]).replace("=", " ", 1).partition(" ")
            found[key] = value
    return found


def is_as_planned(said: str, plan: Plan, pool: Pool) -> None:
    """What the machine says of a pool is what the plan reckons with: level, members, bytes, mount."""
    groups = [[plan.disks[int(d[3:]) - 1].capacity_bytes for d in g] for g in pool.groups]
    family = FAMILIES[pool.family]
    bytes_of_volume = family.volumes(groups)[0]
    for work in works_of_pool(Index(plan), pool):
        if isinstance(work, ArrayRuns):
            facts = words(said, work.name)
            assert facts["MD_LEVEL"] == f"raid{work.level}"
            assert facts["MD_DEVICES"] == str(len(work.members))
            if work.name == pool.id and not family.cuts:
                assert int(facts["bytes"]) == bytes_of_volume
        elif isinstance(work, FilesystemMade):
            mounted = next(x.split()[1:] for x in said.splitlines() if f"/srv/{pool.id} " in x)
            assert mounted[1] == pool.filesystem
            assert mounted[3] == work.identifier
    if family.cuts or pool.family == "span":
        assert int(words(said, "lvm")[pool.id]) == bytes_of_volume
    mounted = next(x.split()[1:] for x in said.splitlines() if f"/srv/{pool.id} " in x)
    below = family.ground(groups, pool.ashift, pool.record_kib * 1024, pool.encrypted)
    room = FILESYSTEMS[pool.filesystem].space(below)
    if pool.filesystem != "btrfs":  # XFS rounds its log up to whole stripes
        assert int(mounted[4]) == pytest.approx(room.total_bytes, rel=1e-3)
    assert f"ana:root 2770 /srv/{pool.id}/data" in said


def test_every_layout_is_what_the_plan_reckons_with(tmp_path: Path) -> None:
    two, three = 2_000_000_512, 3_000_000_512
    sizes = [two, two, two, two, two, three, three, two, two, two, two, two, two, two]
    ids = [f"box{n}" for n in range(1, 15)]
    plan = plan_of(
        sizes,
        {"id": "pair", "family": "mirror", "filesystem": "ext4", "groups": [ids[:2]]},
        {"id": "cut", "family": "slices1", "filesystem": "ext4", "groups": [ids[2:7]]},
        {"id": "row", "family": "span", "filesystem": "xfs", "groups": [ids[7:9]]},
        {
            "id": "locked",
            "family": "mirror",
            "filesystem": "ext4",
            "groups": [ids[9:11]],
            "spares": [ids[11]],
            "encrypted": True,
        },
        {"id": "chunks", "family": "copies2", "filesystem": "btrfs", "groups": [ids[12:14]]},
    )
    answers = "pair\\ncut\\nrow\\nlocked\\n secret words \\nchunks\\n"
    numbers = (w for w in limit_works(Index(plan), "box") if isinstance(w, DatasetLimited))
    project = next(w.project for w in numbers if w.root == "/srv/pair")
    said = on_kernel(
        plan,
        tmp_path,
        LOOK
        + f"""
go '{answers}' ''; echo "code $code"; look
{LAB_LOOK}
echo ===; go '' ''; echo "code $code"; grep -E '^[+] (mdadm|mkfs|wipefs|pvcreate|mount)' /run/said; look
echo ===; cp /mnt/job/fstab /etc/fstab; cat /etc/crypttab
umount /srv/*; vgchange -q -an; cryptsetup close locked-0
for array in /dev/md/*; do mdadm -q --stop $array; done
# The box starts again.
mdadm -q --assemble --scan; vgchange -q -ay
go '' ''; echo "code $code"; grep -E 'LEFT|^[+] (mdadm --create|mkfs|wipefs|pvcreate)' /run/said
uuid=$(sed -n 's/.* UUID=\\([^ ]*\\) .*/\\1/p' /etc/crypttab)
printf ' secret words ' | cryptsetup open --key-file - $(blkid -U $uuid) locked-0
mount -a; mount /srv/locked; findmnt -n -o TARGET | grep -c /srv/
as() {{ setpriv --reuid=$1 --regid=$1 --init-groups sh -c "$2" 2>/dev/null; }}
for pool in pair row chunks; do
  as ana "head -c 30000000 /dev/zero >/srv/$pool/data/much"
  echo "$pool filled $(stat -c %s /srv/$pool/data/much)"; rm /srv/$pool/data/much
done
as bo "head -c 30000000 /dev/zero >/srv/pair/data/of-bo"
echo "bo filled $(stat -c %s /srv/pair/data/of-bo)"
# Somebody lifts a limit, makes one wider, and sets one that nobody planned.
setquota -P {project} 0 0 0 0 /srv/pair; setquota -u bo 0 9999 0 0 /srv/pair; setquota -u ana 0 77 0 0 /srv/pair
python3 /mnt/job/lab-look --out /mnt/job/later.json
# Up to the least speed md never makes way for others: on a busy machine it would take hours by 100 kB/s.
echo ===; for limit in max min; do echo 900000 >/proc/sys/dev/raid/speed_limit_$limit; done
export LAB_JOBS=/mnt/job/lab-jobs.json LAB_JOB_STATE=/run/job-state
mdadm --wait /dev/md/pair; python3 /mnt/job/lab-job upkeep-scrub-pair; echo "whole $?"
dd if=/dev/urandom of=/dev/ubdb bs=1M seek=700 count=1 conv=notrunc oflag=direct 2>/dev/null
python3 /mnt/job/lab-job upkeep-scrub-pair; echo "spoiled $?"
""",
    )
    first, second, third, fourth = said.split("===\n")
    assert "code 0" in first, said
    assert "LEFT" not in first
    is_seen_as_planned(tmp_path, plan)
    for pool in plan.pools:
        is_as_planned(first, plan, pool)
    # Run again: it ends well, makes nothing, and all is as it was.
    assert second == first, second
    assert re.search(r"locked-0 UUID=[0-9a-f-]{36} none luks,noauto", third)
    # It puts together what is there, and waits for a passphrase; nobody is asked to wipe anything.
    assert "code 7" in third, third
    undone = [x for x in third.splitlines() if "LEFT" in x or x.startswith("+")]
    assert [("locked" in x) for x in undone] == [True, True], undone
    assert (
        "was made already and is not here: it needs its passphrase; nothing was wiped" in undone[0]
    )
    # After the start limits hold: of a folder by every file system, of an account on all of ext4.
    assert [x for x in third.splitlines() if x.isdigit()] == ["5"]
    filled = {x.split()[0]: int(x.split()[2]) for x in third.splitlines() if " filled " in x}
    assert filled["pair"] <= 16_384_000
    assert filled["row"] <= 16_384_000
    assert filled["chunks"] <= 16_384_000
    assert filled["bo"] <= 8_192_000
    assert min(filled.values()) > 7_000_000
    # Limits are seen: as planned at first, and then as they were changed.
    assert limits(tmp_path / "look.json", plan) == []
    assert sorted(limits(tmp_path / "later.json", plan)) == [
        ("different", "bo on data", "8.19 MB", "10.24 MB"),
        ("extra", "ana on /srv/pair", "no limit", "78.85 kB"),
        ("missing", "data", "16.38 MB", "no limit"),
    ]
    # The quarter's check compares both halves of a mirror, and says when they differ.
    assert "whole 0" in fourth, fourth
    assert "sectors differ between its disks" in fourth
    assert "spoiled 0" not in fourth


def test_after_the_boot_device_died_everything_is_put_together_and_everybody_is_himself(
    tmp_path: Path,
) -> None:
    """A new system gives out its numbers anew: what was of one must not become another's."""
    plan = plan_of(
        [2_000_000_512] * 7,
        layout("pair", "mirror", "ext4", range(1, 3)),
        layout("locked", "mirror", "xfs", range(3, 5), encrypted=True),
        layout("row", "span", "ext4", range(5, 6)),
        layout("chunks", "copies2", "btrfs", range(6, 8)),
    )
    later = setup_script(standing(plan), "box", "revision 2")
    (tmp_path / "later.sh").write_text(later, encoding="utf-8")
    said = on_kernel(
        plan,
        tmp_path,
        """
gone() { umount /srv/*; vgchange -q -an; cryptsetup close locked-0
  for array in /dev/md/*; do mdadm -q --stop "$array"; done
  rm -rf /dev/md /run/kavrel /var/lib/kavrel; : >/etc/crypttab; : >/etc/mdadm/mdadm.conf; }
tried() { echo "== $1"; echo "code $code"
  grep -E 'LEFT|^[+] (mdadm --create|mkfs|wipefs|pvcreate)' /run/said; }
go 'pair\\nlocked\\nsecret words\\nrow\\nchunks\\n' ''; tried made
setpriv --reuid=ana --regid=ana --clear-groups sh -c 'echo mine >/srv/pair/data/of-ana'
was="$(id ana) $(id bo) $(stat -c %u /srv/pair/data/of-ana)"
gone >/dev/null 2>&1; userdel ana; userdel bo; useradd -M other; number=$(id -u other)
go '' ''; tried silent
go 'secret words\\n' ''; tried taken
sed -i "s/^other:x:$number:[0-9]*/other:x:5000:5000/" /etc/passwd
sed -i 's/^other:x:[0-9]*/other:x:5000/' /etc/group
go '' ''; tried free
[ "$was" = "$(id ana) $(id bo) $(stat -c %u /srv/pair/data/of-ana)" ] && echo "everybody is himself"
stat -c '%U %a' /srv/pair/.kavrel-numbers
gone >/dev/null 2>&1; mdadm -q --assemble --scan --config=/dev/null --homehost=elsewhere
mv /dev/md /dev/md.elsewhere
go 'secret words\\n' ''; tried named; findmnt -n -l -o TARGET | grep -c /srv/
grep -c ARRAY /etc/mdadm/mdadm.conf; cat /etc/crypttab
gone >/dev/null 2>&1; cp /mnt/job/later.sh /mnt/job/setup.sh
go 'wrong words\n' ''; tried wrong
go 'secret words\n' ''; tried back; findmnt -n -l -o TARGET | grep -c /srv/
grep -c ARRAY /etc/mdadm/mdadm.conf; cat /etc/crypttab; ls /dev/md
""",
    )
    parts = dict(p.split("\n", 1) for p in said.split("== ")[1:])
    assert parts["made"].split("\n")[0] == "code 0", said
    assert parts["silent"].startswith("code 7")
    assert "locked was made already and is not here: it needs its passphrase" in parts["silent"]
    assert "account ana could not be made" in parts["silent"], "before its number is known"
    assert "keeps its list until everybody has his number" in parts["silent"]
    assert "which is that of other here: free it" in parts["taken"]
    assert parts["free"].splitlines() == ["code 0", "everybody is himself", "root 600"]
    # A start that knew nothing of them gave the arrays other names.
    assert parts["named"].splitlines()[:3] == ["code 0", "4", "2"]
    assert "none luks,noauto" in parts["named"]
    # The plan knows by now that they stand: they come back all the same, under their names.
    assert "needs all of its disks, or its passphrase; nothing was wiped" in parts["wrong"]
    assert parts["back"].splitlines()[:3] == ["code 0", "4", "2"], said
    assert "none luks,noauto" in parts["back"]
    assert {"pair", "locked"} <= set(parts["back"].split())


def test_what_the_restore_sheet_says_when_a_disk_dies_makes_each_pool_whole_again(
    tmp_path: Path,
) -> None:
    """Typed as it stands on the paper, with OLD and NEW and NUMBER as the person reads them off."""
    sizes = [1_000_000_000] * 2 + [1_200_000_000, 2_400_000_000, 2_600_000_000]
    sizes += (
        [1_000_000_000] * 4 + [1_200_000_000, 2_400_000_000] + [1_000_000_000] * 2
    )  # the last four are in no pool
    plan = plan_of(
        sizes,
        layout("pair", "mirror", "ext4", range(1, 3), encrypted=True),
        layout("mixed", "slices1", "xfs", range(3, 6)),
        layout("chunks", "copies2", "btrfs", range(6, 8)),
        layout("sealed", "copies2", "btrfs", range(8, 10), encrypted=True),
    )
    standing = [p.model_copy(update={"standing": True}) for p in plan.pools]
    there = plan.model_copy(update={"pools": tuple(standing)})
    sheet = restore_sheet(there, evaluate(there, TODAY), "revision 1")
    told = {s.title.removeprefix("a disk dies: pool "): s for s in sheet.sections}
    script = [
        r"go 'pair\nsecret words\nmixed\nchunks\nsealed\nsecret words\n' ''; echo code $code",
        "grep LEFT /run/said",
        "cat /mnt/job/fstab >>/etc/fstab",
        """cryptsetup() { printf 'secret words' | command cryptsetup -q --key-file - "$@"; }""",
        "echo 500000 >/proc/sys/dev/raid/speed_limit_min",
        "filled() { while grep -qE 'recovery|resync|check|DELAYED' /proc/mdstat; do sleep 1; done; }",
        "for pool in /srv/*; do head -c 9000000 /dev/urandom >$pool/data/mine; done; sync; filled",
        "sums=$(cat /srv/*/data/mine | md5sum)",
        "umount /srv/chunks; dd if=/dev/zero of=/dev/ubdg bs=1M count=100 2>/dev/null",
        "btrfs device scan -u >/dev/null 2>&1",  # the box starts without it
        "mount /dev/ubdf /srv/chunks 2>/dev/null && echo mounted whole",
    ]
    dies = {"pair": ("box 2", "b", "j"), "mixed": ("box 4", "d", "k"), "chunks": ("box 7", "g", "l"),
            "sealed": ("box 9", "i", "m")}  # fmt: skip
    for name, (label, old, new) in dies.items():
        for line in typed(told[name], label, f"/dev/ubd{old}", f"/dev/ubd{new}"):
            script += [f"{{ {line}; }} || echo 'FAILED {name}'", "filled"]
    script += [
        "echo 3 >/proc/sys/vm/drop_caches",
        'for pool in /srv/*; do cat $pool/data/mine; done | md5sum >/run/sums; echo "$sums" | cmp - /run/sums'
        " && echo everything is there",
        "for one in /dev/md/*; do echo array $one $(mdadm --detail $one | grep 'State :'); done",
        "for pool in chunks sealed; do btrfs device stats -c /srv/$pool >/dev/null && echo $pool well; done",
        "btrfs filesystem show | grep -E 'devid|MISSING'",
    ]
    said = on_kernel(plan, tmp_path, "\n".join(script))
    assert "code 0" in said, said
    assert "FAILED" not in said, said
    assert "mounted whole" not in said
    assert "everything is there" in said, said
    states = re.findall(r"^array \S+ State : (.*?) *$", said, re.M)
    assert len(states) == 3, said
    assert set(states) <= {"clean", "active"}, said
    assert "chunks well" in said, said
    assert "sealed well" in said, said
    assert "MISSING" not in said, said
    assert "path /dev/ubdl" in said, "the new disk has the place of the one that is gone"


def typed(section: Section, label: str, old: str, new: str) -> list[str]:
    """What a person types by a section of the sheet for one dead disk, the second of its file system."""
    own = next(f.how for f in section.facts if f.text.startswith(f"{label}:"))
    arrays = re.findall(r"mdadm (\S+) --add NEW(?:-part(\d+))?`", "\n".join(own))
    lines = [f"mdadm {a} --fail {old}{p} --remove {old}{p}" for a, p in arrays]
    lines += [one for how in own for one in commands(how)]
    for step in section.steps:
        lines = [c for m in step.minds for c in commands(m) if c.startswith("mount -o")] + lines
        text = step.text
        if text.startswith("if it still answers") and arrays:
            continue
        if re.match(r"(if it still|have all of|lock the|let the key|`(mdadm|btrfs) )", text):
            lines.append("; ".join(commands(text)))
    if label != "box 7":  # these were never away
        lines = [x for x in lines if not x.startswith("mount -o")]
    for word, read in (
        (r"NEW-part", new),
        ("NEW", new),
        ("OLD", old),
        ("NUMBER", "2"),
        ("SERIAL", "S2"),
    ):
        lines = [x.replace(word, read) for x in lines]
    return lines


@needs("snapraid")
@needs("mergerfs")
def test_a_dead_disk_below_parity_over_files_is_reckoned_back_and_everybody_opens_what_is_his(
    tmp_path: Path,
) -> None:
    """Typed as it stands on the paper; parity keeps no owner and no right, the sheet gives them back."""
    made = plan_of(
        [2_000_000_512] * 12,
        layout("kept", "parity1", "xfs", range(1, 3), range(3, 4)),
        layout("sealed", "parity1", "ext4", range(4, 6), range(6, 7), encrypted=True),
        layout("quick", "mirror", "ext4", range(9, 11), tier=["box11"]),
        of_bo="kept",
    )
    grants = (*made.grants, Grant(id="of-ana", share="kept", account="ana", right="read"))
    plan = made.model_copy(update={"quotas": (), "grants": grants})
    uuids = [v.uuid for v in volumes_of(Index(plan), plan.pools[0])]
    stand = [p.model_copy(update={"standing": True}) for p in plan.pools]
    stand[0] = stand[0].model_copy(
        update={"branch_uuids": uuids}
    )  # those of others only the box knows
    there = plan.model_copy(update={"pools": stand})
    sheet = restore_sheet(there, evaluate(there, TODAY), "revision 1")
    script = [
        r"go 'kept\nsealed\nsecret words\nquick\n' ''; echo code $code; grep LEFT /run/said",
        "cat /mnt/job/fstab >>/etc/fstab; mount -t tmpfs none /root; mkdir /run/bin",
        "printf '#!/bin/sh\nexec python3 /mnt/job/lab-job \"$@\"\n' >/run/bin/lab-job",
        "printf '#!/bin/sh\nexit 0\n' >/run/bin/systemctl; chmod 755 /run/bin/*",
        "data=/srv/kept/data; export PATH=/run/bin:$PATH"
        " LAB_JOBS=/mnt/job/lab-jobs.json LAB_JOB_STATE=/run/jobs",
        """cryptsetup() { printf 'secret words' | command cryptsetup -q --key-file - "$@"; }""",
        'as() { who=$1; shift; setpriv --reuid=$who --regid=$who --init-groups sh -c "$*"; }',
        'for n in 1 2 3 4; do as bo "mkdir $data/$n; head -c 90000 /dev/urandom >$data/$n/f"; done',
        "as ana 'head -c 90000 /dev/urandom >/srv/sealed/data/diary; chmod 600 /srv/sealed/data/diary'",
        "sums() { cat /srv/kept/data/*/f /srv/sealed/data/* | md5sum; }; before=$(sums)",
        "lab-job upkeep-parity-kept && lab-job upkeep-parity-sealed && echo parity",
    ]
    dies = (
        ("kept", "box 1", "a", "g"),
        ("sealed", "box 5", "e", "h"),
        ("quick", "box 11", "k", "l"),
    )
    for name, label, dead, new in dies:
        part = {"kept": "disk1", "sealed": "disk2", "quick": "fast"}[name]
        script += [
            f"umount /srv/{name} /srv/{name}-*",
            f"for one in /dev/mapper/*{name}*; do cryptsetup close $one; done",
            f"dd if=/dev/zero of=/dev/ubd{dead} bs=1M count=100 2>/dev/null",  # the box starts without it
            f"while read name device rest; do case $name in *{name}*)"
            " cryptsetup open $(blkid -U ${device#UUID=}) $name;; esac; done </etc/crypttab 2>/dev/null",
            f"for n in disk1 disk2 parity1 slow fast; do mount /srv/{name}-$n 2>/dev/null; done",
            f"findmnt /srv/{name}-{part} && echo 'STILL THERE'",
            f"CRYPT=$(grep -n '' /etc/crypttab | grep {name} | sed -n 2p | sed 's/^[0-9]*://')",
            f"UUID=$(grep ' /srv/{name}-{part} ' /etc/fstab | sed 's/UUID=\\([^ ]*\\).*/\\1/')",
        ]
        for line in reckoned(sheet.sections, name, label, f"/dev/ubd{new}"):
            failed = f"{{ echo 'FAILED {name}' {quote(line)}; cat /run/typed; }}"
            script.append(f"{{ {line} >/run/typed 2>&1; }} || {failed}")
    script += [
        "as ana 'echo new >/srv/quick/data/new'; cat /srv/quick-fast/data/new",
        'echo 3 >/proc/sys/vm/drop_caches; [ "$(sums)" = "$before" ] && echo everything is there',
        'for n in 1 2 3 4; do as bo "echo more >>$data/$n/f && echo new >$data/$n/g" || break; done',
        "[ -e $data/4/g ] && echo bo writes",
        "as ana 'cat /srv/kept/data/*/f >/dev/null' && echo ana reads",
        "as nobody 'ls /srv/kept/data/1 || ls /srv/sealed/data' 2>/dev/null && echo EXPOSED",
        "as ana 'cd /srv/sealed/data && cat diary >/dev/null && echo x >>diary' && echo ana has hers",
    ]
    said = on_kernel(plan, tmp_path, "\n".join(script), 400)
    assert "code 0" in said, said
    assert "\nparity" in said, said
    assert "FAILED" not in said, said
    assert "STILL" not in said, said
    for wanted in ("new\n", "everything is there", "bo writes", "ana reads", "ana has hers"):
        assert wanted in said, said
    assert "EXPOSED" not in said, said


def reckoned(sections: Sequence[Section], name: str, label: str, new: str) -> list[str]:
    """What a person types for one disk: section by section, with the words read off the box."""
    (dies,) = [s for s in sections if s.title == f"a disk dies: pool {name}"]
    (whose,) = [s for s in sections if s.title == "Whose it is"]
    (disk_,) = [f for f in dies.facts if f.text.startswith(f"{label}:")]
    people = [f for f in whose.facts if any(f"/srv/{name}/" in how for how in f.how)]
    folder = f"/srv/{name}-disk{1 if label in ('box 1', 'box 4') else 2}"
    lines: list[str] = (
        [c for how in disk_.how for c in commands(how)] if "fast tier" in disk_.text else []
    )
    for step in dies.steps[1:] if not lines else ():
        if step.text.startswith("make the new disk"):
            lines += [c for how in disk_.how for c in commands(how) if not c.startswith("grep")]
        elif step.text.startswith("give what came back"):
            lines += [
                c.replace(f"/srv/{name}/", f"{folder}/")
                for fact in people
                for how in fact.how
                for c in commands(how)
            ]
        else:
            lines += commands(step.text)
    lines = [x for x in lines if not x.startswith("grep") and "FOLDER" not in x]
    read = (
        (r"NEW", new),
        ("NUMBER", "$(echo $CRYPT | sed 's/.*UUID=//; s/ .*//')"),
        ("OPENED", "${CRYPT%% *}"),
        ("sh setup.sh", "go '' ''"),
    )
    for word, by in read:
        lines = [x.replace(word, by) for x in lines]
    return [re.sub(r"(-U |uuid=)UUID ", r"\1$UUID ", x) for x in lines]


def layout(
    id_: str, family: str, filesystem: str, *groups: range, **more: object
) -> dict[str, object]:
    named = [[f"box{n}" for n in g] for g in groups]
    return {"id": id_, "family": family, "filesystem": filesystem, "groups": named, **more}


def test_trees_and_parity_of_separate_disks_are_seen_as_planned(tmp_path: Path) -> None:
    plan = plan_of(
        [2_000_000_512] * 9,
        layout("many", "union", "ext4", range(1, 3)),
        layout("kept", "parity1", "xfs", range(3, 5), range(5, 6)),
        layout("quick", "mirror", "ext4", range(6, 8), tier=["box8"]),
        of_bo="",
    )
    index = Index(plan)
    known = [
        p.model_copy(
            update={"standing": True, "branch_uuids": [v.uuid for v in volumes_of(index, p)]}
        )
        for p in plan.pools
    ]
    stands = plan.model_copy(update={"pools": known})
    later_script = setup_script(stands, "box", "revision 2")
    (tmp_path / "later.sh").write_text(later_script, encoding="utf-8")
    said = on_kernel(
        plan,
        tmp_path,
        f"""
go 'many\\nkept\\nquick\\n' ''; echo "code $code"; grep LEFT /run/said
cp /run/kavrel/done /mnt/job/done
{LAB_LOOK}
findmnt -n -l -o TARGET,FSTYPE | grep /srv/
there() {{ findmnt -n -l -o TARGET,FSTYPE,UUID | grep /srv/ | sort; }}
there >/run/before; umount /srv/many /srv/kept /srv/quick; umount /srv/*
there | sed 's/^/still /'; cp /mnt/job/later.sh /mnt/job/setup.sh
go '' ''; echo "again $code"; grep -E 'LEFT|^[+] (mkfs|wipefs)' /run/said
there | diff /run/before - && echo "mounted again as before"
umount /srv/many-disk2 2>/dev/null || umount -l /srv/many-disk2
python3 /mnt/job/lab-look --out /mnt/job/later.json
""",
    )
    assert "code 0" in said, said
    assert "LEFT" not in said
    is_seen_as_planned(tmp_path, plan)
    # What was made is read back with the UUID of each part; from then on all of it is known by them.
    report = read_file("setup.done", (tmp_path / "done").read_bytes(), plan, "box")
    back = {p.item["id"]: p.item for p in report.proposals if p.collection == "pools"}
    assert {k: tuple(i["branch_uuids"]) for k, i in back.items()} == {
        p.id: tuple(p.branch_uuids) for p in known
    }
    assert fstab(stands, "box", "r") == fstab(plan, "box", "r")
    assert "still" not in said
    assert "again 0" in said, said
    assert "mounted again as before" in said, said
    # A branch that is not there any more is gone, and the tree is what it was.
    later = read_look((tmp_path / "later.json").read_bytes(), 0).machine
    (many,) = [p for p in later.pools if p.path == "/srv/many"]
    assert (many.state, many.gone) == ("degraded", ("/srv/many-disk2 (not mounted)",))


BY_ITSELF = {"encrypted": True, "unlock": "key_file"}
ODD = [2_000_000_512, 2_100_000_768, 2_500_000_256, 2_500_000_256, 3_000_000_512]
# Each starts within this kernel, which takes sixteen disks.
MORE = {
    "parity": (
        [2_000_000_512] * 15,
        layout("six", "raid6", "xfs", range(1, 5), **BY_ITSELF),
        layout("ten", "raid10", "ext4", range(5, 9)),
        layout("five", "raid5", "btrfs", range(9, 12), spares=["box12"]),
        layout("row", "stripe", "xfs", range(13, 15)),
        layout("lone", "single", "btrfs", range(15, 16), encrypted=True),
    ),
    "nested": (
        [*ODD, *[2_000_000_512] * 10],
        layout("cut", "slices2", "ext4", range(1, 6), **BY_ITSELF),
        layout("fifty", "raid50", "ext4", range(6, 9), range(9, 12)),
        layout("pairs", "striped_mirror", "xfs", range(12, 14), range(14, 16)),
    ),
    "copies": (
        [2_000_000_512] * 15,
        layout("sixty", "raid60", "xfs", range(1, 5), range(5, 9)),
        layout("three", "copies3", "btrfs", range(9, 12), **BY_ITSELF),
        layout("row", "copies10", "btrfs", range(12, 16)),
    ),
}


@pytest.mark.parametrize("which", MORE)
def test_it_comes_back_after_a_start_as_it_was_made(which: str, tmp_path: Path) -> None:
    sizes, *pools = MORE[which]
    plan = plan_of(sizes, *pools, of_bo="row" if which == "parity" else "")  # type: ignore[arg-type]
    locked = [p for p in plan.pools if p.encrypted]
    asked = [
        name for p in plan.pools for name in ([p.id, "secret words"] if p in locked else [p.id])
    ]
    said = on_kernel(
        plan,
        tmp_path,
        LOOK
        + f"""
go '{"".join(f"{a}!n" for a in asked).replace("!", chr(92))}' ''; echo "code $code"; look
cat /run/said | tail -5 | sed 's/^/said /'
{LAB_LOOK}
echo ===; go '' ''; echo "code $code"
grep -E '^[+] (mdadm|mkfs|wipefs|pvcreate|mount|cryptsetup|64)' /run/said; look
echo ===; cp /mnt/job/fstab /etc/fstab; ls -l /var/lib/kavrel/keys 2>/dev/null
as() {{ setpriv --reuid=$1 --regid=$1 --init-groups sh -c "$2" 2>/dev/null; }}
if [ -d /srv/row/data ]; then
  as bo "head -c 30000000 /dev/zero >/srv/row/data/of-bo"
  echo "bo filled $(stat -c %s /srv/row/data/of-bo)"; rm -f /srv/row/data/of-bo
fi
umount /srv/*; vgchange -q -an
for name in /dev/mapper/*-[0-9]; do cryptsetup close $name; done
vgchange -q -an
for turn in 1 2; do for array in /dev/md/*; do mdadm -q --stop $array 2>/dev/null; done; done
grep ^md /proc/mdstat | sed 's/^/still /'
echo ===; mdadm -q --assemble --scan; mdadm -q --assemble --scan; vgchange -q -ay
btrfs device scan >/dev/null
# As systemd-cryptsetup does at the start: what has a key file is opened, the rest waits.
grep -v ' none ' /etc/crypttab | while read -r name uuid file rest; do
  cryptsetup open --key-file $file $(blkid -U ${{uuid#UUID=}}) $name </dev/null
done
btrfs device scan >/dev/null
mount -a
go '' ''; echo "code $code"; look
""",
    )
    first, second, third, fourth = said.split("===\n")
    assert "code 0" in first, said
    for pool in plan.pools:
        is_as_planned(first, plan, pool)
    is_seen_as_planned(tmp_path, plan)
    assert [x for x in second.splitlines() if x in first] == second.splitlines(), second
    assert "still" not in third
    if any(p.opens_alone for p in plan.pools):
        assert re.search(r"^-rw-------\s+1 root root\s+64 ", third, re.MULTILINE), third
    # Account limits hold on XFS as well.
    for line in (x for x in third.splitlines() if x.startswith("bo filled") and plan.quotas):
        assert 7_000_000 < int(line.split()[2]) <= 8_192_000
    # After the start only what waits for a passphrase is not there, and says so.
    waiting = [p.id for p in plan.pools if p.waits]
    assert ("code 7" if waiting else "code 0") in fourth, fourth
    for pool in plan.pools:
        if pool.waits:
            why = "was made already and is not here: it needs its passphrase"
            assert f"pool {pool.id} {why}" in fourth
        else:
            is_as_planned(fourth, plan, pool)


def test_killed_at_any_call_and_run_again_it_ends_right(tmp_path: Path) -> None:
    plan = plan_of(
        [2_000_000_512, 2_000_000_512, 3_300_000_512, 3_300_000_512],
        {
            "id": "cut",
            "family": "slices1",
            "filesystem": "ext4",
            "groups": [["box1", "box2", "box3", "box4"]],
            "encrypted": True,
        },
    )
    said = on_kernel(
        plan,
        tmp_path,
        LOOK
        + """
runs=0; call=1; shims=/run/shims:
while :; do
  if [ $((call % 2)) = 1 ]; then echo $call >/run/kill-before; : >/run/kill-after
  else echo $call >/run/kill-after; : >/run/kill-before; fi
  if [ -e /run/kavrel/cut.begun ]; then answers='secret words\\n'; else answers='cut\\nsecret words\\n'; fi
  go "$answers" ''
  runs=$((runs + 1)); call=$((call + 1))
  [ $code = 0 ] && break
  [ $code = 137 ] || { echo "at $call: $code"; cat /run/said; break; }
  [ $call -lt 150 ] || break
done
echo "runs $runs of $call, code $code"; look
""",
    )
    assert "code 0" in said, said
    assert int(said.split("runs ")[1].split()[0]) > 15
    assert words(said, "cut-0")["MD_LEVEL"] == "raid5"
    assert words(said, "cut-1")["MD_LEVEL"] == "raid1"
    assert "ana:root 2770 /srv/cut/data" in said
