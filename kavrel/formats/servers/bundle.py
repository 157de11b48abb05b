"""One zip for one host: every file it needs, a README in the order of work, and checksums."""

import hashlib
from collections.abc import Callable
from datetime import date
from inspect import signature

from kavrel.core.plan import Plan
from kavrel.formats.lab_jobs import hosts_with_jobs
from kavrel.formats.samba import smb_conf, smb_hosts
from kavrel.formats.servers import files
from kavrel.formats.servers.packing import packed
from kavrel.formats.servers.setup import setup_script
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.template import render
from kavrel.formats.servers.units import units
from kavrel.formats.servers.ups import TODO, ups_files
from kavrel.formats.timers import timed_files

Maker = Callable[..., str]

# In the order of work: file, protocol that it needs (or none), what to do with it.
STEPS: tuple[tuple[str, str, Maker, str], ...] = (
    (
        "setup.sh",
        "",
        setup_script,
        "Read it, run it with --print, then run it: it asks before it wipes; it can be run again.",
    ),
    ("fstab", "", files.fstab, "Append to /etc/fstab; then findmnt --verify and mount -a."),
    ("exports", "nfs", files.nfs_exports, "Install as /etc/exports; then exportfs -ra."),
    ("rsyncd.conf", "rsync", files.rsyncd_conf, "Install as /etc/rsyncd.conf."),
    (
        "rsyncd.secrets",
        "rsync",
        files.rsyncd_secrets,
        "Fill in the passwords, install as /etc/rsyncd.secrets, mode 600.",
    ),
    (
        "50-kavrel-sftp.conf",
        "sftp",
        files.sshd_sftp,
        "Install in /etc/ssh/sshd_config.d; sshd -t; reload.",
    ),
    ("vsftpd.conf", "ftp", files.vsftpd_conf, "Install as /etc/vsftpd.conf."),
    ("vsftpd.userlist", "ftp", files.vsftpd_userlist, "Install as /etc/vsftpd.userlist."),
    ("kavrel-ftp.pam", "ftp", files.ftp_pam, "Install as /etc/pam.d/kavrel-ftp."),
    (
        "target.json",
        "iscsi",
        files.target_json,
        "Fill in the secrets, install as /etc/rtslib-fb-target/saveconfig.json; targetctl restore.",
    ),
    (
        "nftables.conf",
        "",
        files.nftables_conf,
        "nft -c -f it, install as /etc/nftables.conf, reload.",
    ),
)


UNIT = "Install in /etc/systemd/system; daemon-reload; enable --now mounts and timers."
NIGHT = {
    "lab-job": "Install as /usr/local/sbin/lab-job, mode 755. Its timers are below; take them or the "
    "crontab, not both.",
    "lab-jobs.json": "Install as /etc/lab-jobs.json; then lab-job list, and lab-job --show each.",
}


def host_files(plan: Plan, host: str, origin: str, today: date) -> dict[str, tuple[str, str]]:
    """File name to its text and what to do with it, in the order of work."""
    box = Box(plan, host)
    found: dict[str, tuple[str, str]] = {}
    for name, protocol, make, text in STEPS:
        if box.exports(protocol) if protocol else box.pools:
            more = (today,) if "today" in signature(make).parameters else ()
            found[name] = (make(plan, host, origin, *more), text)
        if name == "fstab" and host in smb_hosts(plan):
            todo = "Install as /etc/samba/smb.conf; testparm; set passwords; start smbd."
            found["smb.conf"] = (smb_conf(plan, host, origin, today), todo)
    for name, text in ups_files(plan, host, origin).items():
        found[name] = (text, TODO.format(name.partition("/")[2]))
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
    steps = [{"file": name, "text": text} for name, (_, text) in found.items()]
    readme = render(
        "bundle_readme.j2", host=Box(plan, host).host, plan=plan, origin=origin, steps=steps
    )
    contents = {"README.txt": readme, **{name: text for name, (text, _) in found.items()}}
    sums = "".join(
        f"{hashlib.sha256(text.encode()).hexdigest()}  {name}\n" for name, text in contents.items()
    )
    return packed({**contents, "SHA256SUMS": sums})
