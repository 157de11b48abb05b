"""One zip for one host: every file it needs, a README in the order of work, and checksums."""

import hashlib
from collections.abc import Callable
from datetime import date
from inspect import signature
from itertools import groupby

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.works import ServiceRuns, bill
from kavrel.formats.lab_jobs import hosts_with_jobs
from kavrel.formats.samba import smb_conf, smb_hosts
from kavrel.formats.servers import files
from kavrel.formats.servers.packing import packed
from kavrel.formats.servers.setup import setup_script
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.template import render
from kavrel.formats.servers.units import units
from kavrel.formats.servers.ups import ups_files
from kavrel.formats.timers import timed_files

Maker = Callable[..., str]

# In the order of work: file, and the protocol that it needs, or none.
STEPS: tuple[tuple[str, str, Maker], ...] = (
    ("setup.sh", "", setup_script),
    ("fstab", "", files.fstab),
    ("exports", "nfs", files.nfs_exports),
    ("rsyncd.conf", "rsync", files.rsyncd_conf),
    ("rsyncd.secrets", "rsync", files.rsyncd_secrets),
    ("50-kavrel-sftp.conf", "sftp", files.sshd_sftp),
    ("vsftpd.conf", "ftp", files.vsftpd_conf),
    ("vsftpd.userlist", "ftp", files.vsftpd_userlist),
    ("kavrel-ftp.pam", "ftp", files.ftp_pam),
    ("target.json", "iscsi", files.target_json),
    ("nftables.conf", "", files.nftables_conf),
)
# What is no service: those say themselves how they are set up.
FIRST = {
    "setup.sh": "Read it, run it with --print, then run it: it asks before it wipes; it can be run again.",
    "fstab": "Append to /etc/fstab; then findmnt --verify and mount -a.",
}


BY_PAGE = "The box has firmware of its own: enter the same values in its web page."
UNIT = "Install in /etc/systemd/system; daemon-reload; enable --now mounts and timers."
NIGHT = {
    "lab-job": "Install as /usr/local/sbin/lab-job, mode 755. Its timers are below; take them or the "
    "crontab, not both.",
    "lab-jobs.json": "Install as /etc/lab-jobs.json; then lab-job list, and lab-job --show each.",
}


def _services(index: Index, host: str, today: date) -> dict[str, str]:
    """File name to how its service is set up, as the runbook has it."""
    found: dict[str, str] = {}
    for work in bill(index, host, today):
        if not isinstance(work, ServiceRuns) or work.by_hand:
            continue
        service = work.service
        places = "; ".join(f"{name.rpartition('/')[2]} as {at}" for name, at in service.files)
        minds = " ".join(service.minds)
        said = f"Install {service.package}, then {places}; check it ({service.check}), start it "
        found |= {name: f"{said}({service.start}). {minds}".strip() for name, _ in service.files}
    return found


def host_files(plan: Plan, host: str, origin: str, today: date) -> dict[str, tuple[str, str]]:
    """File name to its text and what to do with it, in the order of work."""
    box = Box(plan, host)
    todo = FIRST | _services(box.index, host, today)
    found: dict[str, tuple[str, str]] = {}
    for name, protocol, make in STEPS:
        if box.exports(protocol) if protocol else box.pools:
            more = (today,) if "today" in signature(make).parameters else ()
            found[name] = (make(plan, host, origin, *more), todo.get(name, BY_PAGE))
        if name == "fstab" and host in smb_hosts(plan):
            found["smb.conf"] = (smb_conf(plan, host, origin, today), todo.get("smb.conf", BY_PAGE))
    for name, text in ups_files(plan, host, origin).items():
        found[name] = (text, todo[name])
    for name, text in units(plan, host, origin).items():
        found[f"systemd/{name}"] = (text, UNIT)
    if host in hosts_with_jobs(plan):
        for name, text in timed_files(plan, host, origin, today).items():
            if name in NIGHT:
                found[name] = (text, NIGHT[name])
            else:
                found[f"systemd/{name}"] = (text, UNIT)
    return found


def bundle(plan: Plan, host: str, origin: str, today: date) -> bytes:
    """The zip's bytes."""
    found = host_files(plan, host, origin, today)
    by_text = groupby(found.items(), key=lambda one: one[1][1])
    steps = [{"files": [name for name, _ in some], "text": text} for text, some in by_text]
    readme = render(
        "bundle_readme.j2", host=Box(plan, host).host, plan=plan, origin=origin, steps=steps
    )
    contents = {"README.txt": readme, **{name: text for name, (text, _) in found.items()}}
    sums = "".join(
        f"{hashlib.sha256(text.encode()).hexdigest()}  {name}\n" for name, text in contents.items()
    )
    return packed({**contents, "SHA256SUMS": sums})
