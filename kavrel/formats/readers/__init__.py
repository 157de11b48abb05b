"""Server files read back: what was understood, what was not, and how it differs from the plan."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from inspect import signature

from kavrel.core.plan import Plan
from kavrel.core.registry import Registry
from kavrel.formats.readers.accounts import read_group, read_passwd
from kavrel.formats.readers.fstab import read_fstab
from kavrel.formats.readers.nfs import read_exports
from kavrel.formats.readers.report import Report, Unreadable, decoded
from kavrel.formats.readers.rsyncd import read_rsyncd
from kavrel.formats.readers.samba import read_smb_conf
from kavrel.formats.readers.setup_done import read_setup_done


@dataclass(frozen=True)
class Reader:
    """A kind of file that can be read back: named as it is on machines, with what it says."""

    id: str
    title: str
    read: Callable[..., Report]  # text, plan, host; and today, where rights end by their date


READERS: Registry[Reader] = Registry(
    (
        Reader("smb.conf", "smb.conf: shares over SMB", read_smb_conf),
        Reader("exports", "exports: over NFS", read_exports),
        Reader("rsyncd.conf", "rsyncd.conf: rsync modules", read_rsyncd),
        Reader("fstab", "fstab: what is mounted", read_fstab),
        Reader("passwd", "passwd: accounts", read_passwd),
        Reader("setup.done", "done: what setup.sh made", read_setup_done),
        Reader("group", "group: groups", read_group),
    )
)


def read_file(kind: str, content: bytes, plan: Plan, host: str, today: date = date.min) -> Report:
    """The report of a file of a host, against what holds on a day; raises Unreadable: it is no text."""
    if kind not in READERS:
        raise Unreadable(f"choose one of {', '.join(READERS)}")
    text, note = decoded(content)
    read = READERS[kind].read
    more = {"today": today} if "today" in signature(read).parameters else {}
    report = read(text, plan, host, **more)
    if note:
        report.lines.insert(0, note)
    return report


__all__ = ["READERS", "Reader", "Report", "Unreadable", "read_file"]
