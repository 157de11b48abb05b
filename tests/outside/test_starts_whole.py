"""A whole box set up by its bundle that starts again and lives a night, with all of its disks and without some.

A kernel in user space starts Debian's own systemd and udev over it: what puts pools together, opens and
mounts them, starts timers and tells of failures is what does so on a real machine.
Sources: systemd 252, udev, mdadm 4.2, cryptsetup 2.6, LVM 2.03, smbd 4.17 themselves.
"""

import io
import json
import re
import zipfile
from pathlib import Path

import pytest

from kavrel.core.edit import checked
from kavrel.core.index import Index
from kavrel.core.paper.machines import served_again, unlocking
from kavrel.core.plan import Export, Grant, Job, Plan, Retention, Share
from kavrel.core.seen.drift import drift
from kavrel.core.typed import commands
from kavrel.core.works import ServiceRuns, bill
from kavrel.core.works.jobs import NightRuns
from kavrel.formats.looks.read import read_look
from kavrel.formats.servers.bundle import bundle
from tests.builders import TODAY, daily, job
from tests.conftest import needs
from tests.outside import uml
from tests.outside.test_pools_for_real import layout, named_disks, plan_of, zfs_or_skip

pytestmark = [
    pytest.mark.prove,
    pytest.mark.whole_box,
    needs("cryptsetup"),
    needs("lvcreate"),
    needs("smbd"),
    pytest.mark.skipif(not uml.can_start_whole(), reason="no user-mode-linux with systemd here"),
]
DISK = 1_000_000_512
# Mail to root lands in the job's folder.
MAIL = r"""
printf '#!/bin/sh\ncat >>/job/mails\n' >/usr/local/sbin/post; chmod 755 /usr/local/sbin/post
ln -sf /usr/local/sbin/post /usr/sbin/sendmail
"""
# What a start ended with.
STATE = """
echo "state $(systemctl is-system-running)"; systemctl --failed --no-legend --plain | sed 's/^/failed /'
findmnt -n -l -o TARGET | grep ^/srv/ | sort | sed 's/^/mounted /'
night() { # each job's own time comes, one after another as they are due; then how it ended
  # Chores on Sundays weeks away are left out: the clock would jump there.
  for unit in $(systemctl list-timers --no-legend 'lab-*' | awk '{print $NF}' | grep -v upkeep); do
    at=$(systemctl list-timers --no-legend "${unit%.service}.timer" | awk '{print $2" "$3" "$4}')
    ended=$(systemctl show -P ExecMainExitTimestampMonotonic $unit)
    date -s "@$(($(date -d "$at" +%s) - 1))" >/dev/null
    while [ "$(systemctl show -P ExecMainExitTimestampMonotonic $unit)" = "$ended" ]; do sleep 2; done
    while systemctl list-jobs --no-legend | grep -q lab-; do sleep 2; done # the mail, where it failed
    began=$(systemctl show -P ExecMainStartTimestamp $unit | cut -d' ' -f3 | cut -d: -f1,2) # plans name minutes
    echo "ran $unit at $began: $(systemctl show -P Result $unit)"
  done
}
"""
# A disk that is there half a minute late, after two nights in which the box was off.
SLOW = """
cat >/etc/systemd/system/slow.service <<'UNIT'
[Unit]
DefaultDependencies=no
Before=srv-row.mount
[Service]
Type=oneshot
ExecStart=sleep 30
[Install]
WantedBy=srv-row.mount
UNIT
systemctl enable slow; touch -d '-2 days' /var/lib/systemd/timers/stamp-lab-*
"""


def points_of(dataset: str) -> Job:
    """A job that takes a point each night and keeps five days of them."""
    kept = Retention(all_days=5)
    return job("snaps", datasets=(dataset,), schedule=daily("02:00"), retention=kept)


def a_box() -> Plan:
    """One of each way that a pool comes back: md, LUKS opened by a key file, Btrfs over two disks, LVM."""
    plan = plan_of(
        [DISK] * 6,
        layout("pair", "mirror", "ext4", range(1, 3)),
        layout("locked", "span", "ext4", range(3, 4), encrypted=True, unlock="key_file"),
        layout("chunks", "copies2", "btrfs", range(4, 6)),
        layout("row", "span", "xfs", range(6, 7)),
    )
    told = {"datasets": ("pair-data",), "target_pool": "row", "retention": Retention()}
    jobs = (
        points_of("chunks-data"),
        job("copy", "mirror", schedule=daily("03:00"), catch_up=True, **told),
    )
    named = tuple(d.model_copy(update={"name": d.id}) for d in plan.datasets)
    # The last one hangs on a cable: no start waits for what can be pulled out.
    (box,) = plan.hosts
    outside = {
        "hosts": (box.model_copy(update={"ports_usb": 1}),),
        "disks": (*plan.disks[:-1], plan.disks[-1].model_copy(update={"bay": "usb-1"})),
    }
    return checked(plan.model_copy(update={"jobs": jobs, "datasets": named, **outside}))


def a_house_of_doors() -> Plan:
    """A pool that waits for its passphrase, one that does not and one of several, behind three protocols.

    NFS has a test of its own: this kernel's root cannot be exported, and its helpers wait for a network.
    """
    plan = plan_of(
        [DISK] * 4,
        layout("locked", "span", "ext4", range(1, 2), encrypted=True, unlock="typed"),
        layout("open", "span", "ext4", range(2, 3)),
        layout("wide", "union", "ext4", range(3, 5)),
    )
    lan = ("192.168.1.0/24",)
    exports = (
        Export(id="free", protocol="sftp", name="free", dataset="open-data", accounts=("ana",)),
        Export(
            id="sealed", protocol="sftp", name="sealed", dataset="locked-data", accounts=("bo",)
        ),
        Export(
            id="tenant",
            secured=True,
            protocol="s3",
            name="tenant",
            dataset="locked-data",
            accounts=("ana",),
            size_bytes=10**8,
            port=9000,
            buckets=("kept",),
        ),
        Export(
            id="r", protocol="rsync", name="r", dataset="wide-data", accounts=("ana",), clients=lan
        ),
    )
    shares = tuple(Share(id=p, name=p, dataset=f"{p}-data") for p in ("locked", "wide"))
    grants = tuple(Grant(id=s.id, share=s.id, account="ana", right="write") for s in shares)
    fields = {"exports": exports, "shares": shares, "grants": grants, "quotas": ()}
    named = tuple(d.model_copy(update={"name": d.id}) for d in plan.datasets)
    return checked(plan.model_copy(update={**fields, "datasets": named}))


def unpacked(plan: Plan, folder: Path, host: str = "box") -> None:
    with zipfile.ZipFile(io.BytesIO(bundle(plan, host, "revision 1", TODAY))) as files:
        files.extractall(folder)


def set_up(plan: Plan, answers: str, by_units: bool = False) -> str:
    """The bundle's README as somebody does it, step after step; with units of mounts, or with fstab."""
    lines = ["cd /job/bundle", f"printf '{answers}' | sh setup.sh; echo \"setup $?\""]
    for work in bill(Index(plan), "box", TODAY):
        if isinstance(work, ServiceRuns) and work.service.files:
            service = work.service
            if work.key == "service/mounts" and by_units:
                lines += UNITS_OF_MOUNTS
                continue
            if work.key == "service/firewall":
                continue  # this kernel has no inet tables; tests/outside/test_doors_whole.py has
            for name, place in service.files:
                how = "cat" if service.appended else "install -m 600"
                lines.append(f"{how} {name} {'>>' if service.appended else ''}{place}")
            tried = f"{{ {service.check}; }} >/dev/null 2>&1"
            if service.asks:  # a moment after it was started
                lines += [
                    service.start,
                    f"for n in 1 2 3 4 5 6 7 8 9; do {tried} && break; sleep 1; done",
                ]
            lines += [f"{tried}; echo check $?", "" if service.asks else service.start]
        elif isinstance(work, NightRuns):
            lines += [
                "install -m 755 lab-job lab-look /usr/local/sbin; cp lab-jobs.json /etc/lab-jobs.json",
                "cp systemd/lab-* /etc/systemd/system",
                work.start,
            ]
    return "\n".join(lines) + "\n"


# As its own words have it, with a server of nobody's choice.
TENANT = r"""
mkdir -p /etc/s3
install -m 600 s3/s3-tenant.env /etc/s3/; sed -i s/SET-ME/words/ /etc/s3/*
cp s3/s3-tenant.service /etc/systemd/system
cat >/usr/local/sbin/s3-serve <<'END'
#!/bin/sh
# It can do nothing without its folder and its key.
echo object >"$S3_FOLDER/object" && grep -q PRIVATE "$S3_CERTIFICATE_KEY" && exec sleep 1000000
END
chmod 755 /usr/local/sbin/s3-serve
systemctl daemon-reload; systemctl enable --now s3-tenant; echo "tenant $(systemctl is-active s3-tenant)"
"""
UNITS_OF_MOUNTS = (
    "cp systemd/*.mount /etc/systemd/system; systemctl daemon-reload",
    "for one in systemd/*.mount; do grep -q WantedBy $one && systemctl enable --now ${one##*/}; done",
)


def said(text: str, start: str) -> list[str]:
    return [x.removeprefix(f"{start} ") for x in text.splitlines() if x.startswith(f"{start} ")]


def test_a_box_set_up_by_its_bundle_comes_back_by_itself_and_without_disks_too(
    tmp_path: Path,
) -> None:
    plan = a_box()
    unpacked(plan, tmp_path / "bundle")
    box = uml.Whole(tmp_path, [d.capacity_bytes for d in plan.disks])
    made = box.start(
        MAIL
        + set_up(plan, r"pair\nlocked\nsecret words\nchunks\nrow\n")
        + "echo dear >/srv/pair/pair-data/letter; echo dear >/srv/chunks/chunks-data/letter\n"
        + SLOW
    )
    assert said(made, "setup") == ["0"], made
    assert set(said(made, "check")) == {"0"}, made
    # It was off for two nights, and its disk takes its time: what was missed waits for it, and tells nobody.
    # Nothing has failed, all is mounted as it was, and the next night goes by itself.
    again = box.start(
        "until [ $(systemctl show -P ExecMainExitTimestampMonotonic lab-copy) != 0 ]; do sleep 3; done\n"
        "echo missed $(systemctl show -P Result lab-copy) $(find /srv/row -name letter)\n"
        "systemctl disable slow; systemctl is-active lab-snaps | sed 's/^/other /'\n"
        + STATE
        + "night; find /srv/chunks/.points /srv/row -name letter | sed 's/^/there /'\n"
        + "for pool in pair chunks; do systemctl start lab-upkeep-scrub-$pool\n"
        + "echo scrubbed $pool $(systemctl show -P Result lab-upkeep-scrub-$pool); done\n"
        + "python3 /usr/local/sbin/lab-look --out /job/look.json\n"
    )
    assert said(again, "missed") == ["success /srv/row/copy/pair-data/letter"], again
    assert said(again, "other") == ["inactive"]
    assert said(again, "state") == ["running"], again
    roots = [f"/srv/{p.id}" for p in plan.pools]
    assert said(again, "mounted") == sorted(roots)
    assert sorted(said(again, "ran")) == [  # which of them is first depends on the hour of the day
        "lab-copy.service at 02:00: success",
        "lab-snaps.service at 01:00: success",
    ]
    # Nobody planned a scrub, and the bundle that made the pools brought one for each that can have it.
    assert said(again, "scrubbed") == ["pair success", "chunks success"], again
    there = said(again, "there")
    assert (
        len([x for x in there if x.startswith("/srv/chunks/.points/chunks-data/lab-snaps-")]) == 1
    )
    assert [x for x in there if x.startswith("/srv/row/") and "pair-data/" in x], there
    # What it says of itself is the plan, its timers too; but for its memory, and the system disk.
    document = json.loads((tmp_path / "look.json").read_text(encoding="utf-8"))
    machine = read_look(json.dumps(named_disks(document, first=0)).encode(), 0).machine
    standing = tuple(p.model_copy(update={"standing": True}) for p in plan.pools)
    found = drift(Index(plan.model_copy(update={"pools": standing})), "box", machine)
    assert [(d.collection, d.name, d.field) for d in found.differences] == [
        ("hosts", "box", "memory"),
        ("disks", "/dev/ubda", "disk"),
    ]
    assert not (tmp_path / "mails").exists()
    # Its boot device dies: a new one, fstab, setup.sh, the bundle's other files, as the sheet has it.
    box.new_system()
    anew = box.start(MAIL + set_up(plan, r"secret words\n"))
    assert said(anew, "setup") == ["0"], anew
    assert not [
        x for x in anew.splitlines() if x.startswith(("+ mkfs", "+ wipefs", "+ mdadm --create"))
    ]
    back = box.start(
        STATE
        + "night; cat /srv/*/*-data/letter | sed 's/^/there /'\n"
        + "rm /etc/systemd/system.conf.d/patience.conf\n"
    )
    assert said(back, "state") == ["running"], back
    assert said(back, "mounted") == sorted(roots)
    assert [x.partition(": ")[2] for x in said(back, "ran")] == ["success", "success"]
    assert said(back, "there") == ["dear", "dear"]
    # One disk of the array, one of Btrfs' two and the only one of a pool are dead: it starts all the same.
    less = box.start(
        STATE + "night; systemd-analyze | sed 's/^/took /'; ls -A /srv/row\n", without=(1, 4, 6)
    )
    assert said(less, "mounted") == ["/srv/locked", "/srv/pair"], less
    assert sorted(said(less, "ran")) == [
        "lab-copy.service at 02:00: exit-code",
        "lab-snaps.service at 01:00: exit-code",
    ]
    minutes = re.search(r"took .* = 1min (\d+)|took .*in 1min (\d+)", less)
    assert minutes, "a minute and a half, as the paper says"
    mails = (tmp_path / "mails").read_text(encoding="utf-8")
    assert "nothing is mounted at /srv/chunks: refused" in mails
    assert "nothing is mounted at /srv/row: refused" in mails
    assert "DegradedArray event on /dev/md/pair" in mails


def test_what_is_locked_waits_and_all_else_comes_back_by_units_and_the_sheet_opens_it(
    tmp_path: Path,
) -> None:
    """Units in the place of fstab: for file systems, a tree over several, what SFTP accounts see."""
    plan = a_house_of_doors()
    unpacked(plan, tmp_path / "bundle")
    box = uml.Whole(tmp_path, [d.capacity_bytes for d in plan.disks])
    answers = r"locked\nsecret words\nopen\nwide\n"
    first = "systemctl enable --now ssh\n" + set_up(plan, answers, by_units=True)
    made = box.start(f"{first}cd /job/bundle; {TENANT}")
    assert said(made, "setup") == ["0"], made
    assert set(said(made, "check")) == {"0"}, made
    assert said(made, "tenant") == ["active"], made
    opened = "\n".join(commands("; ".join(unlocking(Index(plan), plan.pools[0])))) + "\n"
    assert "cryptsetup open" in opened
    tenant = "echo tenant $(systemctl is-active s3-tenant)\n"
    again = box.start(
        STATE
        + "echo patience $(journalctl -b | grep -c 'Timed out waiting for device')\n"
        + tenant
        + "ls -A /srv/locked /srv/sftp/sealed/files | sed 's/^/lies /'\n"
        + opened.replace("cryptsetup", "printf 'secret words' | cryptsetup --key-file -").replace(
            "mount /", "systemctl start /"
        )
        + "\n".join(served_again(Index(plan), {"locked"}))
        + f"; {tenant}"
        + STATE.replace("state", "then").replace("mounted", "opened")
        + 'for door in 445 873 22; do ss -ltnH | grep -q ":$door " && echo "door $door"; done\n'
    )
    assert said(again, "state") == ["running"], again
    free = ["/srv/open", "/srv/sftp/free/files", "/srv/wide", "/srv/wide-disk1", "/srv/wide-disk2"]
    assert said(again, "mounted") == free
    # For no disk that is not there it waited the minute and a half of systemd's patience.
    assert said(again, "patience") == ["0"], again
    # Nothing lies where the data will be, for anybody to see or to fill.
    assert [x for x in said(again, "lies") if x and not x.startswith("/")] == []
    assert said(again, "then") == ["running"]
    # Given up with the mount it has not failed, so nothing names it: the sheet does.
    assert said(again, "tenant") == ["inactive", "active"], again
    assert set(said(again, "opened")) == {*free, "/srv/locked", "/srv/sftp/sealed/files"}
    assert said(again, "door") == ["445", "873", "22"]


ZFS_HERE = r"""
# The package of Debian as it is unpacked, and what its scripts do then.
(cd HOME/root && cp -a lib/. usr/lib/. /usr/lib/ && cp -a sbin/. usr/sbin/. /usr/sbin/ && cp -a etc/. /etc/)
there=/usr/lib/modules/$(uname -r); rm $there; cp -as /usr/lib/uml/modules/$(uname -r) $there
mkdir $there/extra; cp HOME/modules/*.ko $there/extra; depmod; ldconfig; udevadm control --reload
systemctl daemon-reload
systemctl preset $(sed -n 's/^enable //p' HOME/root/lib/systemd/system-preset/50-zfs.preset | grep -v zed)
systemctl start zfs.target; echo "zfs $(cat /sys/module/zfs/version)"
"""


# Names of volumes come late, as on a box that has many: what looks for them meanwhile leaves them out.
SLOW_NAMES = """echo 'KERNEL=="zd*", PROGRAM="/bin/sleep 10"' >/etc/udev/rules.d/59-slow.rules\n"""
LUNS = "cat /sys/kernel/config/target/core/iblock_*/*/udev_path | sed 's/^/lun /'\n"


def a_box_of_zfs() -> Plan:
    """Pools that open by themselves, by a key on the system disk and by hand; SFTP into two of them."""
    plan = plan_of(
        [DISK] * 4,
        layout("open", "mirror", "zfs", range(1, 3)),
        layout("keyed", "single", "zfs", range(3, 4), encrypted=True, unlock="key_file"),
        layout("typed", "single", "zfs", range(4, 5), encrypted=True, unlock="typed"),
    )
    exports = tuple(
        Export(id=p, protocol="sftp", name=p, dataset=f"{p}-data", accounts=(who,))
        for p, who in (("open", "ana"), ("typed", "bo"))
    ) + tuple(
        Export(
            id=f"lun-{p}",
            protocol="iscsi",
            name=f"lun-{p}",
            dataset=f"{p}-data",
            may="write",
            clients=("iqn.2026-01.home.lab:desk",),
            size_bytes=100_007_936,
            thick=False,
        )
        for p in ("keyed", "typed")
    )
    told = {"datasets": ("open-data",), "target_pool": "keyed", "retention": Retention(all_days=5)}
    jobs = (points_of("open-data"), job("copy", "replication", schedule=daily("03:00"), **told))
    named = tuple(d.model_copy(update={"name": d.id}) for d in plan.datasets)
    return checked(
        plan.model_copy(update={"jobs": jobs, "datasets": named, "exports": exports, "quotas": ()})
    )


def test_pools_of_zfs_come_back_by_debians_units_with_their_keys_and_the_jobs_run(
    tmp_path: Path,
) -> None:
    """Source: zfsutils-linux 2.1.11 of Debian 12: its units import, load and mount."""
    here = ZFS_HERE.replace("HOME", str(zfs_or_skip()))
    plan = a_box_of_zfs()
    unpacked(plan, tmp_path / "bundle")
    box = uml.Whole(tmp_path, [d.capacity_bytes for d in plan.disks])
    answers = r"open\nkeyed\nsecret words\ntyped\nsecret words\n"
    answers_anew = r"secret words\nsecret words\n"
    made = box.start(
        f"systemctl enable --now ssh\n{here}{MAIL}{set_up(plan, answers)}"
        "echo dear >/srv/open/open-data/letter; echo dear >/srv/keyed/keyed-data/letter\n"
        "echo dear >/srv/typed/typed-data/letter\n" + SLOW_NAMES
    )
    assert said(made, "setup") == ["0"], made
    assert set(said(made, "check")) == {"0"}, made
    opened = "\n".join(commands("; ".join(unlocking(Index(plan), plan.pools[2])))) + "\n"
    assert "zfs load-key" in opened
    again = box.start(
        STATE
        + "ls -A /srv/typed /srv/sftp/typed/files | sed 's/^/lies /'\n"
        + LUNS
        + "night; zfs list -H -t snapshot -o name | sed 's/^/point /'\n"
        + opened.replace("zfs load-key", "printf 'secret words' | zfs load-key")
        + "\n".join(served_again(Index(plan), {"typed"}))
        + "\n"
        + STATE.replace("state", "then").replace("mounted", "opened")
        + LUNS.replace("lun ", "then-lun ")
        + "cat /srv/*/*-data/letter /srv/sftp/*/files/letter | sed 's/^/there /'\n"
        + "python3 /usr/local/sbin/lab-look --out /job/look.json\n"
    )
    assert said(again, "state") == ["running"], again
    roots = [f"/srv/{p}{d}" for p in ("keyed", "open") for d in ("", f"/{p}-data")]
    assert said(again, "mounted") == sorted([*roots, "/srv/sftp/open/files"]), again
    assert [x for x in said(again, "lies") if x and not x.startswith("/")] == []
    assert [x.partition(": ")[2] for x in said(again, "ran")] == ["success", "success"], again
    assert [x for x in said(again, "point") if x.startswith("keyed/copy/open-data@lab-copy-")], (
        again
    )
    assert said(again, "lun") == ["/dev/zvol/keyed/keyed-data/lun-keyed"], again
    assert said(again, "then") == ["running"], again
    assert said(again, "then-lun")[1:] == ["/dev/zvol/typed/typed-data/lun-typed"], again
    assert "/srv/sftp/typed/files" in said(again, "opened"), again
    assert said(again, "there") == ["dear"] * 5, again
    assert not (tmp_path / "mails").exists()
    # What it says of itself is the plan, its timers too; but for its memory, and the system disk.
    document = json.loads((tmp_path / "look.json").read_text(encoding="utf-8"))
    machine = read_look(json.dumps(named_disks(document, first=0)).encode(), 0).machine
    standing = tuple(p.model_copy(update={"standing": True}) for p in plan.pools)
    found = drift(Index(plan.model_copy(update={"pools": standing})), "box", machine)
    assert [(d.collection, d.name, d.field) for d in found.differences] == [
        ("hosts", "box", "memory"),
        ("disks", "/dev/ubda", "disk"),
    ]
    # Its boot device dies: setup.sh takes the pools in where no other system's number is on them, asks for
    # both keys, and all is there at once; and after the next start as before.
    box.new_system()
    anew = box.start(
        f"systemctl enable --now ssh\n{here}{MAIL}{set_up(plan, answers_anew)}"
        "cat /srv/*/*-data/letter | sed 's/^/there /'\n"
    )
    assert said(anew, "setup") == ["0"], anew
    assert set(said(anew, "check")) == {"0"}, anew
    assert said(anew, "there") == ["dear"] * 3, anew
    assert not re.findall(r"^[+] (?:zpool create|zfs create|wipefs).*", anew, re.MULTILINE)
    # Without a disk of the mirror, and the only one of another pool, it starts all the same.
    less = box.start(
        STATE + "night; zpool list -H -o name,health | sed 's/^/pool /'\n"
        "cat /srv/open/open-data/letter | sed 's/^/there /'\n",
        without=(2, 3),
    )
    assert said(less, "state") == ["running"], less
    assert [x.split() for x in said(less, "pool")] == [["open", "DEGRADED"], ["typed", "ONLINE"]]
    assert said(less, "mounted") == ["/srv/open", "/srv/open/open-data", "/srv/sftp/open/files"]
    assert [x.partition(": ")[2] for x in sorted(said(less, "ran"))] == ["exit-code", "success"]
    assert said(less, "there") == ["dear"], less
    assert "no such pool" in (tmp_path / "mails").read_text(encoding="utf-8")
