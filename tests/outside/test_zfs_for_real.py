"""ZFS itself: OpenZFS 2.1 in the kernel in user space runs what setup.sh, lab-job and the restore sheet say.

Source: OpenZFS 2.1.11 of Debian 12, its module and its tools. Its disks are /dev/ubda ..., which its tools take
as they are: a real disk gets a partition table of theirs first.
"""

import json
import re
from pathlib import Path

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.plan import Plan, Retention
from kavrel.core.pools.pool import pool_states
from kavrel.core.seen.drift import drift
from kavrel.core.typed import commands
from kavrel.formats.lab_jobs import lab_jobs
from kavrel.formats.looks.read import read_look
from kavrel.formats.servers.setup import setup_script
from tests.builders import TODAY, daily, job
from tests.outside import uml
from tests.outside.test_pools_for_real import (
    LAB_LOOK,
    is_seen_as_planned,
    layout,
    limits,
    named_disks,
    on_kernel,
    plan_of,
)

pytestmark = [
    pytest.mark.prove,
    pytest.mark.skipif(not uml.can_run(), reason="no user-mode-linux with mdadm here"),
]
TWO = 2_000_000_512
# As systemd's units do at a start, in their order: zfs-import-cache, kavrel-keys of the bundle, zfs-mount.
STARTS = """
starts_again() {
  zpool export -a || echo "BUSY"
  zpool import -c /run/cache -aN; cat /run/keys | while read one; do $one; done; zfs mount -a
}
keeps_cache() { cp /etc/zfs/zpool.cache /run/cache; }
as() { setpriv --reuid=$1 --regid=$1 --init-groups sh -c "$2" 2>/dev/null; }
"""


def asked(plan: Plan) -> str:
    """What is typed while pools are made: the name of each, and a passphrase where it is locked."""
    words = [w for p in plan.pools for w in ([p.id, "secret words"] if p.encrypted else [p.id])]
    return "".join(f"{w}\\n" for w in words)


def test_every_layout_is_what_the_plan_reckons_with_and_comes_back_after_a_start(
    tmp_path: Path,
) -> None:
    plan = plan_of(
        [TWO] * 15,
        layout("pair", "mirror", "zfs", range(1, 3), spares=["box3"]),
        layout("lone", "single", "zfs", range(4, 5)),
        layout("one", "raidz1", "zfs", range(5, 8), encrypted=True),
        layout("two", "raidz2", "zfs", range(8, 12), encrypted=True, unlock="key_file"),
        layout("pairs", "striped_mirror", "zfs", range(12, 14), range(14, 16)),
    )
    said = on_kernel(
        plan,
        tmp_path,
        STARTS
        + f"""
go '{asked(plan)}' ''; echo "code $code"; grep LEFT /run/said
{LAB_LOOK}
zfs list -Hp -o name,available,used,mountpoint | sed 's/^/room /'
zpool list -Hp -o name,size | sed 's/^/size /'
stat -c '%U:%G %a %n' /srv/*/data
echo ===; go '' ''; echo "code $code"; grep -E 'LEFT|^[+] (zpool|zfs create|wipefs|ch|setfacl)' /run/said
echo ===; echo zfs load-key two >/run/keys; keeps_cache; starts_again
go '' ''; echo "code $code"; grep -E 'LEFT|^[+] (zpool|zfs create|wipefs)' /run/said
zfs list -H -o name,mounted | sed 's/^/there /'; ls -A /srv/one
go 'wrong words\n' ''; echo "refused $code"; go 'secret words\n' ''; echo "opened $code"; ls -A /srv/one
# Near a limit each write waits for what it could take at the worst, 24 times itself, and this one is small.
echo 1 >/sys/module/zfs/parameters/spa_asize_inflation
as ana "head -c 30000000 /dev/urandom >/srv/pair/data/mine"; echo "filled $(stat -c %s /srv/pair/data/mine)"
rm /srv/pair/data/mine; zpool sync
# What an account may fill is counted when a turn of writing ends: more than that only until then.
as bo "head -c 9000000 /dev/urandom >/srv/pair/data/bo"; zpool sync
as bo "echo >/srv/pair/data/more" || echo "bo is full"
as ana "echo >/srv/pair/data/hers" && echo "ana goes on"
zfs set quota=none userquota@bo=9999k userquota@ana=77k pair/data
python3 /mnt/job/lab-look --out /mnt/job/later.json
""",
        300,
    )
    first, second, third = said.split("===\n")
    assert "code 0" in first, said
    assert "LEFT" not in first
    is_seen_as_planned(tmp_path, plan)
    rooms = {x.split()[1]: x.split()[2:] for x in first.splitlines() if x.startswith("room ")}
    for state in pool_states(Index(plan)).values():
        there = sum(map(int, rooms[state.pool.id][:2]))
        assert there == pytest.approx(state.layout.usable_bytes, abs=4_000_000), state.pool.id
        assert f"ana:root 2770 /srv/{state.pool.id}/data" in first
    assert second == "code 0\n", second
    # What waits for a passphrase is not there after a start, and nothing is made in its stead.
    assert "BUSY" not in third, third
    assert "code 7" in third, third
    assert [x for x in third.splitlines() if x.startswith("LEFT")] == [
        "LEFT: pool one is locked: nobody looked into it",
        "LEFT: /srv/one/data is not mounted: nobody looked who may do what in it",
    ]
    # Whoever sits there opens it as the script asks for its passphrase.
    assert "refused 7\nopened 0\n.kavrel-numbers\ndata\n" in third, third
    mounted = {x.split()[1]: x.split()[2] for x in third.splitlines() if x.startswith("there ")}
    assert {k for k, v in mounted.items() if v == "no"} == {"one", "one/data"}
    (filled,) = re.findall(r"^filled (\d+)$", third, re.MULTILINE)
    assert 14_000_000 < int(filled) <= 16_384_000
    assert "bo is full\nana goes on\n" in third, third
    assert limits(tmp_path / "look.json", plan) == []
    seen = named_disks(json.loads((tmp_path / "later.json").read_text()))
    machine = read_look(json.dumps(seen).encode(), 0).machine
    rows = [r for r in drift(Index(stands(plan)), "box", machine).differences if r.field == "quota"]
    assert sorted((r.verdict, r.name, r.planned, r.seen) for r in rows) == [
        ("different", "bo on data", "8.19 MB", "10.24 MB"),
        ("different", "data", "16.38 MB", "none"),
        ("extra", "ana on pair/data", "no limit", "78.85 kB"),
    ]


def stands(plan: Plan) -> Plan:
    """The same once its pools stand."""
    return plan.model_copy(
        update={"pools": tuple(p.model_copy(update={"standing": True}) for p in plan.pools)}
    )


def test_killed_at_any_call_and_run_again_it_ends_right(tmp_path: Path) -> None:
    plan = plan_of(
        [TWO] * 4,
        layout("pair", "mirror", "zfs", range(1, 3)),
        layout("lock", "mirror", "zfs", range(3, 5), encrypted=True, unlock="key_file"),
    )
    said = on_kernel(
        plan,
        tmp_path,
        """
runs=0; call=1; shims=/run/shims:
while :; do
  echo $call >/run/kill-after; : >/run/kill-before
  [ $((call % 2)) = 0 ] || { echo $call >/run/kill-before; : >/run/kill-after; }
  answers=
  for pool in pair lock; do
    [ -e /run/kavrel/$pool.begun ] || zpool list $pool >/dev/null 2>&1 || answers="$answers$pool\\n"
  done
  zpool list lock >/dev/null 2>&1 || answers="${answers}secret words\\n"
  go "$answers" ''
  runs=$((runs + 1)); call=$((call + 1))
  [ $code = 0 ] && break
  [ $code = 137 ] || { echo "at $call: $code"; cat /run/said; break; }
  [ $call -lt 150 ] || break
done
echo "runs $runs of $call, code $code"; zpool list -H -o name,health; stat -c '%U:%G %a %n' /srv/*/data
zfs get -H -o value quota pair/data; zfs load-key -n lock && echo opens
""",
    )
    assert "code 0" in said, said
    assert int(said.split("runs ")[1].split()[0]) > 15
    assert "lock\tONLINE\npair\tONLINE\n" in said, said
    assert "ana:root 2770 /srv/lock/data\nana:root 2770 /srv/pair/data\n" in said
    assert "16384000\n" not in said  # in words, as its tools have it
    assert "15.6M\n" in said
    assert "opens" in said


def test_after_the_boot_device_died_pools_are_taken_in_by_hand_and_everybody_is_himself(
    tmp_path: Path,
) -> None:
    """ZFS lets in what another system had only when it is told to; the key file went with the old system."""
    plan = plan_of(
        [1_000_000_000] * 2,
        layout("pair", "single", "zfs", range(1, 2)),
        layout("lock", "single", "zfs", range(2, 3), encrypted=True, unlock="key_file"),
    )
    (tmp_path / "later.sh").write_text(
        setup_script(stands(plan), "box", "revision 2"), encoding="utf-8"
    )
    said = on_kernel(
        plan,
        tmp_path,
        STARTS
        + f"""
tried() {{ echo "== $1"; echo "code $code"; grep -E 'LEFT|^[+] (zpool create|wipefs|zfs create)' /run/said; }}
zgenhostid -f 11111111; go '{asked(plan)}' ''; tried made
as ana 'echo mine >/srv/pair/data/of-ana'; was="$(id ana) $(id bo) $(stat -c %u /srv/pair/data/of-ana)"
# The old system is gone in the midst of its work: nothing was exported.
zpool sync; mkdir /run/kept; for n in a b; do cp --sparse=always /dev/ubd$n /run/kept/$n; done
zpool export -a; for n in a b; do dd if=/run/kept/$n of=/dev/ubd$n bs=1M conv=sparse 2>/dev/null; done
userdel ana; userdel bo; rm -rf /run/kavrel /var/lib/kavrel; zgenhostid -f 22222222
cp /mnt/job/later.sh /mnt/job/setup.sh
go '' ''; tried silent
zpool import -f pair; zpool import -f lock
go 'wrong words\n' ''; tried wrong; ls /var/lib/kavrel/keys 2>/dev/null
go 'secret words\n' ''; tried back; stat -c '%a %n' /var/lib/kavrel/keys/lock.key
go '' ''; tried whole
[ "$was" = "$(id ana) $(id bo) $(stat -c %u /srv/pair/data/of-ana)" ] && echo "everybody is himself"
zpool status -x
""",
    )
    parts = dict(p.split("\n", 1) for p in said.split("== ")[1:])
    assert parts["made"].startswith("code 0"), said
    for later in ("silent", "wrong", "back", "whole"):
        assert "create" not in parts[later], said
        assert "wipefs" not in parts[later], said
    for pool in ("pair", "lock"):
        way = f"zpool import {pool}, with -f where the system that had it is gone"
        assert f"pool {pool} stands by the plan and is not here: {way}" in parts["silent"], said
    assert "account ana could not be made" in parts["silent"], "before its number is known"
    not_it = "pool lock waits at each start: what opens it is not in /var/lib/kavrel/keys/lock.key"
    assert not_it in parts["wrong"], "a passphrase that does not open it is no key of it"
    assert "keys/lock.key\n" not in parts["wrong"].replace(not_it, "")
    # With the key at hand it is opened and mounted at once, and all in it looked at.
    assert parts["back"].startswith("code 0\n"), said
    assert "600 /var/lib/kavrel/keys/lock.key" in parts["back"]
    assert parts["whole"] == "code 0\neverybody is himself\nall pools are healthy\n", said


def test_copies_go_on_after_a_cut_come_back_and_a_dead_disk_is_made_good_by_the_sheet(
    tmp_path: Path,
) -> None:
    """The jobs of the plan with the real lab-job, locked and open, and the sheet's lines as they stand."""
    made = plan_of(
        [TWO] * 7,
        layout("main", "raidz1", "zfs", range(1, 4), encrypted=True, unlock="key_file"),
        layout("second", "mirror", "zfs", range(4, 6)),
        layout("third", "single", "ext4", range(7, 8)),
        of_bo="",
    )
    jobs = (
        job("snap", datasets=("main-data",), retention=Retention(all_days=2)),
        job("copy", "replication", datasets=("main-data",), target_pool="second",
            schedule=daily("02:00"), retention=Retention(all_days=3), resumable=True),
        job("raw", "replication", datasets=("main-data",), target_pool="second", encrypted=True,
            schedule=daily("03:00"), retention=Retention(all_days=3)),
        job("on", "mirror", datasets=("main-data",), target_pool="third", reads_from="copy",
            schedule=daily("04:00"), retention=Retention()),
    )  # fmt: skip
    sets = tuple(d.model_copy(update={"name": d.pool}) for d in made.datasets)
    plan = made.model_copy(update={"jobs": jobs, "datasets": sets})
    there = stands(plan)
    told = json.loads(lab_jobs(there, "box", "revision 1"))["jobs"]
    (plain,), (locked,), (onward,) = (told[j]["pairs"] for j in ("copy", "raw", "on"))
    assert plain[0] == locked[0] == "main/main"
    sheet = restore_sheet(there, evaluate(there, TODAY), "revision 1")
    dies = next(s for s in sheet.sections if s.title == "a disk dies: pool main")
    typed = [c for s in dies.steps for c in commands(s.text) if c.startswith("zpool")]
    assert any("replace" in c for c in typed), typed
    mend = "\n".join(
        f"{{ {c.replace('OLD', '$OLD').replace('NEW', '/dev/ubdf')}; }} >/run/typed 2>&1"
        " || { echo FAILED; cat /run/typed; }"
        for c in typed
    )
    fetched = {j.id: j.fetch for j in evaluate(there, TODAY).jobs}

    def back(job_id: str) -> str:
        """What is typed to have the newest point of a job back in its place, and its job's next run."""
        typed = [c for line in fetched[job_id] for c in commands(line) if "zfs list" not in c]
        point = f"$(zfs list -H -o name -t snapshot -r second/{job_id} | tail -1 | cut -d@ -f2)"
        lines = [f"POINT={point}; echo lost >/srv/main/main/diary"]
        for c in typed:
            words = c.replace("POINT", "$POINT").replace("sh setup.sh", "go '' ''; [ $code = 0 ]")
            words = words.replace("zfs load-key", "printf 'secret words\\n' | zfs load-key")
            lines.append(
                f"{{ {words}; }} >/run/typed 2>&1 || {{ echo 'FAILED {c}'; cat /run/typed; }}"
            )
        return "\n".join(
            [*lines, f"does '2026-01-1{len(job_id)} 02:00' {job_id}", "cat /srv/main/main/diary"]
        )

    said = on_kernel(
        plan,
        tmp_path,
        STARTS
        + f"""
go '{asked(plan)}' ''; echo "code $code"; grep LEFT /run/said
export LAB_JOBS=/mnt/job/lab-jobs.json LAB_JOB_STATE=/run/job-state
job() {{ python3 /mnt/job/lab-job "$@"; }}
does() {{ date -s "$1" >/dev/null; shift; for one; do job $one || echo "$one fails"; done; }}
opens() {{ printf 'secret words\n' | zfs load-key -L prompt {locked[1]}; }}
live=/srv/main/main; echo day 1 >$live/diary; head -c 3000000 /dev/urandom >$live/bulk
does '2026-01-01 02:00' snap copy raw
echo day 2 >$live/diary; does '2026-01-02 02:00' snap copy raw
echo "== tried"; for one in snap copy raw; do job try $one || echo "$one not tried"; done
opens; job try raw; zfs unload-key {locked[1]}
zfs get -H -o value mounted {plain[1]} {locked[1]}
echo "== cut"; head -c 40000000 /dev/urandom >$live/bulk; echo day 3 >$live/diary
point=main/main@lab-copy-20260103T020000Z; zfs snapshot $point
zfs send -i @$(zfs list -H -o name -t snapshot main/main | grep lab-copy | head -1 | cut -d@ -f2) $point |
  head -c 20000000 | zfs receive -s -u -o readonly=on {plain[1]} 2>&1 | grep -c resum
zfs get -H -o value receive_resume_token {plain[1]} | head -c 2; echo
does '2026-01-04 02:00' copy; zfs get -H -o value receive_resume_token {plain[1]}
does '2026-01-09 02:00' snap copy raw
echo "== there"; zfs list -H -t snapshot -o name | sort
zfs get -H -o name,value readonly,encryption,keystatus {plain[1]} {locked[1]}
echo "== on"; does '2026-01-09 04:00' on; cmp $live/bulk {onward[1]}/bulk && echo it went on
zfs unmount {plain[1]}; does '2026-01-09 05:00' on; cmp $live/bulk {onward[1]}/bulk && echo it is still there
echo "== back"
cmp $live/bulk $(zfs get -H -o value mountpoint {plain[1]})/bulk && echo same
echo "== copy back"; {back("copy")}
echo "== raw back"; {back("raw")}
zfs get -H -o name,property,value encryptionroot,keylocation,keystatus,mounted main/main {locked[1]}
opens; job try raw; zfs unload-key {locked[1]}
keeps_cache; echo zfs load-key main >/run/keys; starts_again; zfs get -H -o value mounted main/main
echo "== dies"; sums=$(cat $live/* | md5sum)
zpool export main; blkdiscard -f /dev/ubdb 2>/dev/null
zpool import -d /dev main; zfs load-key main 2>/dev/null; zfs mount -a
zpool status main | grep -c DEGRADED
OLD=$(zpool status main | awk '/UNAVAIL|FAULTED/ {{ print $1; exit }}')
zpool export second; blkdiscard -f /dev/ubdf 2>/dev/null
{mend}
zpool wait -t resilver main; zpool status -x main
[ "$(cat $live/* | md5sum)" = "$sums" ] && echo "all is there"
""",
    )
    part = dict(p.split("\n", 1) for p in said.split("== ")[1:])
    assert said.startswith("code 0\n== tried\n"), said
    assert " fails" not in said, said
    assert "FAILED" not in said, said
    # A copy that no start has mounted yet is looked into all the same, and left so; a locked one says why not.
    snap, copy, locked_copy, opened, *rest = part["tried"].splitlines()
    assert snap.startswith("2 files, 3.0 MB") and snap.endswith("2 as they are live")  # noqa: PT018
    assert copy.startswith("2 files, 3.0 MB")
    assert f"{locked[1]} is locked: its points can be looked into only while its key" in locked_copy
    assert opened == "raw not tried"
    assert rest[0].startswith("2 files, 3.0 MB")
    assert rest[1:] == ["no", "no"]
    # What a cut left is gone on with, and the state it brings is whole.
    assert part["cut"] == "1\n1-\n-\n"
    points = [x for x in part["there"].splitlines() if "@" in x]
    assert [p[: p.rindex("-")] for p in points] == [
        "main/main@lab-copy", "main/main@lab-raw", "main/main@lab-snap",
        "second/copy/main@lab-copy", "second/raw/main@lab-raw",
    ], "three days after the last run only what was just made is kept"  # fmt: skip
    assert part["there"].splitlines()[len(points) :] == [
        f"{plain[1]}\ton", f"{plain[1]}\toff", f"{plain[1]}\t-",
        f"{locked[1]}\ton", f"{locked[1]}\taes-256-gcm", f"{locked[1]}\tunavailable",
    ]  # fmt: skip
    # Who reads a copy that no start has mounted mounts it first: an empty folder is no state of anything.
    assert part["on"] == "it went on\nit is still there\n"
    assert part["back"] == "same\n"
    assert part["copy back"] == "day 3\n"
    after = part["raw back"].splitlines()
    assert after[:2] == ["day 3", "main/main\tencryptionroot\tmain"]
    assert after[9].startswith("2 files")
    assert after[-1] == "yes", "it opens with its pool at the next start"
    assert part["dies"].endswith("pool 'main' is healthy\nall is there\n"), part["dies"]
    assert int(part["dies"].split()[0]) > 0, "it was degraded"
