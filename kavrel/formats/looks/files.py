"""Files of servers that have readers of their own: they are kept as they stand, and read against a plan."""

import re
from collections.abc import Callable

from kavrel.formats.looks.listing import Listing, ListingReader, Notes


def _kept(kind: str) -> Callable[[Listing, Notes], None]:
    def read(listing: Listing, notes: Notes) -> None:
        before = notes.files.get(kind)
        notes.files[kind] = f"{before}\n{listing.text}" if before else listing.text
        listing.took(sum(1 for line in listing.text.splitlines() if line.strip()))

    return read


ENTRY = re.compile(r"(default:)?(user|group|mask|other):[^:]*:[r-][w-][x-]")


def read_links(listing: Listing, notes: Notes) -> None:
    """Names of devices by identifier, as /dev/disk has them."""
    for line in listing.text.splitlines():
        name, tab, target = line.partition("\t")
        if not tab:
            listing.puzzled(line)
            continue
        notes.aliases[name] = f"/dev/{target.rpartition('/')[2]}"
        listing.took()


def read_acl(listing: Listing, notes: Notes) -> None:
    """Owner, group and access list of shared folders, as getfacl has them. Source: getfacl(1)."""
    lists = notes.machine.setdefault("access", {})
    for block in re.split(r"\n\s*\n", listing.text):
        head = dict(re.findall(r"^# (file|owner|group): (.*)$", block, re.MULTILINE))
        if "file" not in head:
            if block.strip():
                listing.puzzled(block)
            continue
        entries = [
            line.partition("\t")[0].partition(" #")[0].strip()
            for line in block.splitlines()
            if line.strip() and not line.startswith("#")
        ]
        able = [e for e in entries if ENTRY.fullmatch(e)]
        for odd in set(entries) - set(able):
            listing.puzzled(odd)
        lists[_unquoted(head["file"])] = {
            "owner": head.get("owner", ""),
            "group": head.get("group", ""),
            "entries": tuple(able),
        }
        listing.took()


def _unquoted(name: str) -> str:
    """Getfacl writes what is not plain in a name as a backslash and three octal digits."""
    plain = re.sub(rb"\\([0-7]{3})", lambda m: bytes([int(m[1], 8) & 255]), name.encode())
    return plain.decode("utf-8", "replace").rstrip("/") or "/"


def _like(pattern: str) -> Callable[[str], bool]:
    shape = re.compile(pattern, re.MULTILINE)
    return lambda text: bool(shape.search(text))


TESTPARM = ListingReader(
    "testparm", "testparm -s", _kept("smb.conf"), _like(r"^\s*\[global\]\s*$"), ("shares",)
)
EXPORTS = ListingReader(
    "exports", "/etc/exports", _kept("exports"), _like(r"^/\S+\s+\S+\([\w,=.-]+\)"), ("exports",)
)
RSYNCD = ListingReader("rsyncd.conf", "/etc/rsyncd.conf", _kept("rsyncd.conf"), None, ("modules",))
JOBS = ListingReader(
    "lab-jobs.json",
    "/etc/lab-jobs.json",
    _kept("lab-jobs.json"),
    _like(r'^\{\s*"host":.*\s*"written_from":'),
)
NFT = ListingReader("nft", "nft list ruleset", _kept("nft"), _like(r"^table inet \w+ \{"))
TARGETS = ListingReader(
    "targets",
    "/sys/kernel/config/target",
    _kept("targets"),
    _like(r"^iscsi/[^/\s]+/tpgt_\d+/\S+(: | -> )"),
)
SCRIPTS = ListingReader("scripts", "sha256sum /usr/local/sbin/lab-job", _kept("scripts"))
FSTAB = ListingReader(
    "fstab",
    "/etc/fstab",
    _kept("fstab"),
    _like(r"^(UUID|LABEL|PARTUUID|/dev)\S*\s+/\S*\s+\w+\s+\S+"),
)
PASSWD = ListingReader(
    "passwd", "/etc/passwd", _kept("passwd"), _like(r"^root:[^:]*:0:0:"), ("accounts",)
)
GROUP = ListingReader("group", "/etc/group", _kept("group"), _like(r"^root:[^:]*:0:"), ("groups",))
DONE = ListingReader("setup.done", "/var/lib/kavrel/done", _kept("setup.done"))
LINKS = ListingReader("links", "find /dev/disk -type l", read_links)
ACL = ListingReader("getfacl", "getfacl -p", read_acl, _like(r"^# file: "))
