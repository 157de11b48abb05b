"""One zip for one host: every file it needs, a README in the order of work, and checksums."""

import hashlib
from collections.abc import Callable
from datetime import date
from inspect import signature
from itertools import groupby

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.typed import typed
from kavrel.core.works import ServiceRuns, bill
from kavrel.core.works.jobs import NightRuns, job_works
from kavrel.core.works.machine import Readied
from kavrel.core.works.served import ExportServed
from kavrel.core.works.set_up import is_set_up
from kavrel.formats.lab_look import look_script
from kavrel.formats.samba import smb_conf, smb_hosts
from kavrel.formats.servers import files
from kavrel.formats.servers.packing import packed
from kavrel.formats.servers.page import page_values
from kavrel.formats.servers.pc_tasks import pc_files
from kavrel.formats.servers.setup import setup_script
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.template import render
from kavrel.formats.servers.tenants import tenant_files
from kavrel.formats.servers.units import units
from kavrel.formats.servers.ups import ups_files
from kavrel.formats.timers import timed_files

Writes = Callable[..., str]

# In the order of work: file, and the protocol that it needs, or none.
STEPS: tuple[tuple[str, str, Writes], ...] = (
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
    "setup.sh": "Read it, run it with `--print`, then run it: it asks before it wipes; it can be run again.",
    "fstab": "Nothing new for /etc/fstab: keep the lines that it names; ZFS mounts its datasets itself.",
}


ON_IT = "Somebody works at it: set these up on it by hand, part after part."
TASKS = "Where each goes, and what sets it going, values.txt says under its task: scheduler."
BY_PAGE = "The box has firmware of its own: enter these values in its web page, part after part."
LOOK = (
    "Install as /usr/local/sbin/lab-look, mode 755: it prints what this box itself says, and changes "
    "nothing. Paste that on the Bench or in the Log, or send it (`lab-look --send`) with the box's token."
)
UNIT = (
    "In the place of fstab's lines, never with them: install in /etc/systemd/system; daemon-reload; "
    "enable --now. Where a paper says `mount FOLDER`, it is `systemctl start FOLDER` then."
)


def _services(index: Index, host: str, today: date) -> dict[str, str]:
    """File name to how its service is set up, as the runbook has it."""
    files: dict[str, str] = {}
    for work in bill(index, host, today):
        if not isinstance(work, ServiceRuns) or work.by_hand:
            continue
        service = work.service
        places = "; ".join(service.placed(n.rpartition("/")[2], at) for n, at in service.files)
        said = f"{service.first}{places}; {service.tried}. {' '.join(service.minds)}".strip()
        files |= {name: said[0].upper() + said[1:] for name, _ in service.files}
    return files


def host_files(plan: Plan, host: str, origin: str, today: date) -> dict[str, tuple[str, str]]:
    """File name to its text and what to do with it, in the order of work."""
    box = Box(plan, host)
    todo = FIRST | _services(box.index, host, today)
    files: dict[str, tuple[str, str]] = {}
    if box.host.closed:
        how = ON_IT if box.host.personal else BY_PAGE
        texts = pc_files(plan, host, origin, today) if box.host.personal else {}
        tasks = {name: (text, TASKS) for name, text in texts.items()}
        return {"values.txt": (page_values(plan, host, origin, today), how), **tasks}
    for name, protocol, make in STEPS:
        if box.exports(protocol) if protocol else is_set_up(box.index, host):
            more = (today,) if "today" in signature(make).parameters else ()
            files[name] = (make(plan, host, origin, *more), todo[name])
        if name == "fstab" and host in smb_hosts(plan):
            files["smb.conf"] = (smb_conf(plan, host, origin, today), todo["smb.conf"])
    for name, text in ups_files(plan, host, origin).items():
        files[name] = (text, todo[name])
    files |= tenant_files(plan, host, origin)
    for name, text in units(plan, host, origin).items():
        files[f"systemd/{name}"] = (text, todo.get(f"systemd/{name}", UNIT))
    files["lab-look"] = (look_script(), LOOK)
    night = next((w for w in job_works(box.index, host) if isinstance(w, NightRuns)), None)
    if night:
        said = f"Put {', '.join(night.placed)}. Look at each "
        said += f"(`lab-job --show NAME`), then start the timers ({typed(night.start)}), or take the crontab, "
        said += "not both."
        for name, text in timed_files(plan, host, origin, today).items():
            place = name if name in ("lab-job", "lab-jobs.json") else f"systemd/{name}"
            files[place] = (text, said)
    return files


def _by_hand(plan: Plan, host: str, today: date) -> tuple[list[str], list[str]]:
    """What no file of the bundle does, in the order of the works: before the files, and with them."""
    index = Index(plan)
    works = bill(index, host, today)
    first = [f"{w.what}: {w.by_hand}" for w in works if isinstance(w, Readied)]
    if index.hosts[host].closed:  # the rest is among its values
        return first, []
    # What an export wants of a hand, its service says.
    left = [w for w in works if w.by_hand and not isinstance(w, Readied | ExportServed)]
    return first, list(dict.fromkeys(f"{w.what}: {w.by_hand}" for w in left))


def bundle(plan: Plan, host: str, origin: str, today: date) -> bytes:
    """The zip's bytes."""
    files = host_files(plan, host, origin, today)
    by_text = groupby(files.items(), key=lambda one: one[1][1])
    steps = [{"files": [name for name, _ in some], "text": text} for text, some in by_text]
    first, left = _by_hand(plan, host, today)
    readme = render(
        "bundle_readme.j2",
        host=Box(plan, host).host,
        plan=plan,
        origin=origin,
        steps=steps,
        first=first,
        left=left,
    )
    contents = {"README.txt": readme, **{name: text for name, (text, _) in files.items()}}
    sums = "".join(
        f"{hashlib.sha256(text.encode()).hexdigest()}  {name}\n" for name, text in contents.items()
    )
    return packed({**contents, "SHA256SUMS": sums})
