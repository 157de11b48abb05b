"""Server files read back: what was understood, what was not, and how it differs from the plan."""

from collections.abc import Callable, Mapping

from kavrel.core.plan import Plan
from kavrel.formats.readers.accounts import read_group, read_passwd
from kavrel.formats.readers.fstab import read_fstab
from kavrel.formats.readers.nfs import read_exports
from kavrel.formats.readers.report import Report, Unreadable, decoded
from kavrel.formats.readers.rsyncd import read_rsyncd
from kavrel.formats.readers.samba import read_smb_conf

Reader = Callable[[str, Plan, str], Report]
READERS: Mapping[str, Reader] = {
    "smb.conf": read_smb_conf,
    "exports": read_exports,
    "rsyncd.conf": read_rsyncd,
    "fstab": read_fstab,
    "passwd": read_passwd,
    "group": read_group,
}


def read_file(kind: str, content: bytes, plan: Plan, host: str) -> Report:
    """The report of a file of a host; raises Unreadable where it is no text."""
    if kind not in READERS:
        raise Unreadable(f"choose one of {', '.join(READERS)}")
    text, note = decoded(content)
    report = READERS[kind](text, plan, host)
    if note:
        report.lines.insert(0, note)
    return report


__all__ = ["READERS", "Report", "Unreadable", "read_file"]
