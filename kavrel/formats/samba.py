"""smb.conf for one host, written so that a real smbd gives the access that the plan predicts.

Rights are resolved to accounts before they are written: smbd lets a write list win over a read
list, which is not the rule that an own grant overrides the groups'. Source: smb.conf(5).
"""

import shlex
from datetime import date

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Plan, Share
from kavrel.core.shares.access import Access, access_matrix
from kavrel.core.shares.names import folders

# What a server of ours speaks at the least; it never speaks SMB 1. Source: smb.conf(5), server min protocol.
OLDEST_DIALECT = {"modern": "SMB2_10", "strict": "SMB3_11", "old": "SMB2_10"}


def smb_hosts(plan: Plan) -> list[str]:
    """Ids of the hosts that serve at least one share, in plan order."""
    index = Index(plan)
    serving = {index.pools[index.datasets[s.dataset].pool].host for s in plan.shares}
    return [h.id for h in plan.hosts if h.id in serving]


def smb_conf(plan: Plan, host_id: str, revision: str, today: date = date.min) -> str:
    """The file's text for one host; it holds no password. What ran out by `today` gives nothing."""
    index = Index(plan)
    host = index.hosts[host_id]
    matrix = access_matrix(index, today)
    shares = [s for s in plan.shares if index.pools[index.datasets[s.dataset].pool].host == host_id]
    guests = any(s.guest != "none" for s in shares)
    lines = [
        f"# smb.conf of {_text(host.name)}, written by Kavrel from {_text(revision)}",
        f"# plan: {_text(plan.name)}",
        "# Rights are listed account by account: an own grant overrides the groups'.",
        "# Set passwords with: smbpasswd -a LOGIN",
        "",
        "[global]",
        "   server role = standalone server",
        f"   server string = {_text(host.name)}",
        f"   server min protocol = {OLDEST_DIALECT[host.smb]}",
        f"   map to guest = {'Bad User' if guests else 'Never'}",
        "   load printers = no",
        "   disable spoolss = yes",
        "   log file = /var/log/samba/%m.log",
        "   max log size = 1000",
    ]
    paths = folders(plan)
    for share in shares:
        cells = [c for c in matrix if c.share == share.id]
        lines += ["", f"[{share.name}]", *_section(index, share, cells, paths[share.dataset])]
    return "\n".join(lines) + "\n"


def _section(index: Index, share: Share, cells: list[Access], folder: str) -> list[str]:
    logins = {a.id: a.login for a in index.plan.accounts}

    def names(right: str) -> list[str]:
        return [logins[c.account] for c in cells if c.right == right]

    writers, readers, refused = names("write"), names("read"), names("none")
    home = "/%U" if share.home else ""
    lines = [f"   path = {folder}{home}"]
    if FILESYSTEMS[index.pools[index.datasets[share.dataset].pool].filesystem].by_name:
        # While it is locked an empty folder stands there: who syncs with it would delete what they have.
        look = f"mountpoint -q {shlex.quote(folder)}"
        lines += [f"   root preexec = {look}", "   root preexec close = yes"]
    if share.comment:
        lines.append(f"   comment = {_text(share.comment)}")
    if share.guest == "none":
        allowed = [*writers, *readers]
        # An empty list would let everybody in; a name that cannot exist lets nobody in.
        lines.append(f"   valid users = {' '.join(sorted(allowed)) or '-nobody-'}")
    elif refused:
        lines.append(f"   invalid users = {' '.join(refused)}")
    lines.append(f"   guest ok = {'no' if share.guest == 'none' else 'yes'}")
    if share.guest == "write":
        lines.append("   read only = no")
        if readers:
            lines.append(f"   read list = {' '.join(readers)}")
    else:
        lines.append("   read only = yes")
        if writers:
            lines.append(f"   write list = {' '.join(writers)}")
    if share.home:
        lines += ["   create mask = 0600", "   directory mask = 0700"]
    else:
        # What is made in a folder takes over its list, and its mask from here: all who may change it.
        digits = int(index.datasets[share.dataset].mode[-3:], 8)
        lines += [
            "   inherit acls = yes",
            f"   create mask = {digits & 0o666:04o}",
            f"   directory mask = {digits:04o}",
        ]
    if share.hidden:
        lines.append("   browseable = no")
    if share.pc_backups:
        lines += ["   vfs objects = catia fruit streams_xattr", "   fruit:time machine = yes"]
        quota = index.datasets[share.dataset].quota_bytes
        if quota:
            lines.append(f"   fruit:time machine max size = {quota // 2**20}M")
    elif share.recycle_days:
        lines += [
            "   vfs objects = recycle",
            "   recycle:repository = .bin/%U",
            "   recycle:keeptree = yes",
            "   recycle:versions = yes",
            # .bin is made by whoever deletes first: everybody needs a folder of their own in it.
            "   recycle:directory_mode = 01777",
            "   recycle:subdir_mode = 0700",
            f"   # empty .bin of what was moved there over {share.recycle_days} days ago every night,",
            "   # or the space never comes back; a file keeps its own date, so go by find -ctime",
        ]
    return lines


def _text(text: str) -> str:
    """Free text on one line: smbd substitutes % and continues lines that end in a backslash."""
    plain = " ".join(text.split())
    return plain.replace("%", " percent").rstrip("\\ ")
