"""The papers that people keep. A new one is a line in `PAPERS`; a paper of one host says which."""

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from inspect import signature

from kavrel.core.evaluate import Evaluation
from kavrel.core.index import Index
from kavrel.core.moves.shuffle import shuffle
from kavrel.core.paper.document import Document
from kavrel.core.paper.labels import cable_tags, tray_labels
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import Plan
from kavrel.formats import plan_file
from kavrel.formats.calendar import week_ics
from kavrel.formats.disks_csv import disks_csv
from kavrel.formats.document_markdown import document_markdown
from kavrel.formats.lab_jobs import hosts_with_jobs, lab_jobs, script
from kavrel.formats.lab_look import look_script
from kavrel.formats.run_sheet_markdown import run_sheet_markdown
from kavrel.formats.samba import smb_conf, smb_hosts
from kavrel.formats.servers import files
from kavrel.formats.servers.bundle import bundle
from kavrel.formats.servers.page import page_values
from kavrel.formats.servers.setup import setup_script
from kavrel.formats.servers.site import hosts_set_up, hosts_with, hosts_with_works
from kavrel.formats.timers import crontab, timers_zip


class NoPaper(ValueError):
    """Raised where a paper cannot be written for a plan; the text says why."""


@dataclass(frozen=True)
class Occasion:
    """What a paper is written from: `origin` names the revision, `stamp` is the aware moment.

    `address` is of the plan's page where it is served: codes on paper open it.
    """

    plan: Plan
    evaluation: Evaluation
    origin: str
    stamp: datetime
    address: str = ""


@dataclass(frozen=True)
class Paper:
    """One paper. `hosts` gives the ids of the hosts that get one of their own; None: the plan's."""

    name: str
    media: str
    about: str
    write: Callable[[Occasion, str], str | bytes]
    hosts: Callable[[Plan], Sequence[str]] | None = None

    def on(self, occasion: Occasion, host: str | None = None) -> bytes:
        """The paper's bytes; raises NoPaper where there is none for this host."""
        chosen = ""
        if self.hosts is not None:
            able = self.hosts(occasion.plan)
            chosen = host or (able[0] if able else "")
            if chosen not in able:
                raise NoPaper(f"this host serves nothing that needs {self.name}")
        text = self.write(occasion, chosen)
        return text.encode() if isinstance(text, str) else text


def _open(hosts: Callable[[Plan], Sequence[str]]) -> Callable[[Plan], Sequence[str]]:
    """Of these hosts those that take files: firmware of its own has a web page."""

    def able(plan: Plan) -> Sequence[str]:
        shut = {h.id for h in plan.hosts if h.closed}
        return [h for h in hosts(plan) if h not in shut]

    return able


def _shut(plan: Plan) -> Sequence[str]:
    return [h.id for h in plan.hosts if h.closed and h.id in hosts_with_works(plan)]


def _served(name: str, protocol: str, about: str, make: Callable[..., str]) -> Paper:
    """A file of the hosts that serve over a protocol; `make` may ask for the day as well."""
    dated = "today" in signature(make).parameters

    def write(o: Occasion, host: str) -> str:
        more = (o.evaluation.today,) if dated else ()
        return make(o.plan, host, o.origin, *more)

    return Paper(
        name,
        "application/json" if name.endswith(".json") else "text/plain",
        about,
        write,
        _open(hosts_with(protocol)),
    )


def _pdf(paper: Document, o: Occasion, name: str) -> bytes:
    from kavrel.formats.sheet_pdf import document_pdf  # the PDF maker loads slowly

    return document_pdf(paper, o.stamp, o.address, name)


def _stickers(size: str) -> Paper:
    """Tray labels, then cable tags, on A4 sheets of stickers of one size (mm)."""

    def write(o: Occasion, _: str) -> bytes:
        from kavrel.formats.sheet_pdf import labels_pdf

        labels = [*tray_labels(o.plan), *cable_tags(o.plan)]
        return labels_pdf(labels, size, o.origin, o.stamp, o.address)

    about = f"tray labels and cable tags for stickers of {size.replace('x', ' x ')} mm on A4"
    return Paper(f"labels-{size}.pdf", "application/pdf", about, write)


PAPERS: Mapping[str, Paper] = {
    p.name: p
    for p in (
        Paper(
            "runbook.md",
            "text/markdown",
            "the runbook as Markdown, with tick boxes",
            lambda o, _: document_markdown(runbook(o.plan, o.evaluation, o.origin)),
        ),
        Paper(
            "run-sheet.md",
            "text/markdown",
            "the shuffle step by step, with tick boxes, dangers and ways back",
            lambda o, _: run_sheet_markdown(o.plan.name, shuffle(Index(o.plan)), o.origin),
        ),
        Paper(
            "if-something-happens.md",
            "text/markdown",
            "for whoever must restore without you: where things are, steps, tick boxes",
            lambda o, _: document_markdown(restore_sheet(o.plan, o.evaluation, o.origin)),
        ),
        Paper(
            "runbook.pdf",
            "application/pdf",
            "the runbook to print",
            lambda o, _: _pdf(runbook(o.plan, o.evaluation, o.origin), o, "runbook"),
        ),
        Paper(
            "if-something-happens.pdf",
            "application/pdf",
            "the same sheet to print, with codes that open each part on a telephone",
            lambda o, _: _pdf(restore_sheet(o.plan, o.evaluation, o.origin), o, "restore-sheet"),
        ),
        *(_stickers(size) for size in ("70x37", "99x38", "48x25")),
        Paper(
            "plan.json",
            "application/json",
            "the plan itself; reading it back gives the same plan",
            lambda o, _: plan_file.dump(o.plan),
        ),
        Paper(
            "schema.json",
            "application/schema+json",
            "the JSON Schema of the plan file",
            lambda o, _: json.dumps(plan_file.schema(), indent=1) + "\n",
        ),
        Paper(
            "disks.csv",
            "text/csv",
            "the drive list for a spreadsheet",
            lambda o, _: disks_csv(o.plan),
        ),
        Paper(
            "week.ics",
            "text/calendar",
            "jobs and what is due, for a calendar",
            lambda o, _: week_ics(o.plan, o.evaluation, o.stamp),
        ),
        Paper(
            "crontab",
            "text/plain",
            "the jobs of one host for cron, with guards where cron has no words",
            lambda o, host: crontab(o.plan, host, o.origin, o.evaluation.today),
            hosts_with_jobs,
        ),
        Paper(
            "lab-job",
            "text/x-python",
            "the script that cron and timers start, for /usr/local/sbin of every box",
            lambda o, _: script(),
        ),
        Paper(
            "lab-look",
            "text/x-python",
            "the script that prints what a box itself says, to paste, send or keep",
            lambda o, _: look_script(),
        ),
        Paper(
            "lab-jobs.json",
            "application/json",
            "what that script has to know of one host's jobs, for /etc",
            lambda o, host: lab_jobs(o.plan, host, o.origin),
            hosts_with_jobs,
        ),
        Paper(
            "timers.zip",
            "application/zip",
            "the same jobs as systemd timers, odd nights included; with the script and its file",
            lambda o, host: timers_zip(o.plan, host, o.origin, o.evaluation.today),
            hosts_with_jobs,
        ),
        Paper(
            "smb.conf",
            "text/plain",
            "the file server's configuration; it holds no password",
            lambda o, host: smb_conf(o.plan, host, o.origin, o.evaluation.today),
            _open(smb_hosts),
        ),
        Paper(
            "setup.sh",
            "text/x-shellscript",
            "makes wanted pools, datasets, quotas and accounts; asks before it wipes, can be run again",
            lambda o, host: setup_script(o.plan, host, o.origin, o.evaluation.today),
            _open(hosts_set_up),
        ),
        _served("exports", "nfs", "what NFS offers, and to whom", files.nfs_exports),
        _served("rsyncd.conf", "rsync", "the rsync daemon's modules", files.rsyncd_conf),
        _served("rsyncd.secrets", "rsync", "a stub: mode 600, no password", files.rsyncd_secrets),
        _served("50-kavrel-sftp.conf", "sftp", "sshd: shuts SFTP accounts in", files.sshd_sftp),
        _served("vsftpd.conf", "ftp", "FTP as the last resort", files.vsftpd_conf),
        _served("vsftpd.userlist", "ftp", "who may sign in over FTP", files.vsftpd_userlist),
        _served("kavrel-ftp.pam", "ftp", "how FTP asks for passwords", files.ftp_pam),
        _served("target.json", "iscsi", "the targets, as LIO restores them", files.target_json),
        Paper(
            "fstab",
            "text/plain",
            "what is mounted: by UUID, and a start goes on without what is dead or pulled out",
            lambda o, host: files.fstab(o.plan, host, o.origin),
            _open(hosts_set_up),
        ),
        Paper(
            "nftables.conf",
            "text/plain",
            "the firewall: only what is served, only to those it is served to",
            lambda o, host: files.nftables_conf(o.plan, host, o.origin),
            _open(hosts_set_up),
        ),
        Paper(
            "values.txt",
            "text/plain",
            "what is entered in the web page of a box whose firmware is its own",
            lambda o, host: page_values(o.plan, host, o.origin, o.evaluation.today),
            _shut,
        ),
        Paper(
            "bundle.zip",
            "application/zip",
            "all files of one host with a README in the order of work, units and checksums",
            lambda o, host: bundle(o.plan, host, o.origin, o.evaluation.today),
            hosts_with_works,
        ),
    )
}
