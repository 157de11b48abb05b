"""smb.conf read back into shares and grants. Source: smb.conf(5)."""

import re
from datetime import date
from typing import Any

from kavrel.core.index import Index
from kavrel.core.plan import Plan, Right, Share
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.names import folders
from kavrel.formats.readers.report import ReadItem, Report, printable
from kavrel.formats.readers.sections import Entry, sections, truth

# Other names of the same parameter.
ALIASES = {
    "directory": "path",
    "public": "guestok",
    "writeable": "writable",
    "writeok": "writable",
}
KNOWN = {
    "path",
    "comment",
    "guestok",
    "readonly",
    "writable",
    "validusers",
    "invalidusers",
    "writelist",
    "readlist",
    "vfsobjects",
    "createmask",
    "directorymask",
    "browseable",
    "inheritacls",
    "rootpreexec",
    "rootpreexecclose",
}
GLOBAL = {
    "serverrole",
    "serverstring",
    "serverminprotocol",
    "maptoguest",
    "loadprinters",
    "disablespoolss",
    "logfile",
    "maxlogsize",
    "workgroup",
    "security",
}


def read_smb_conf(text: str, plan: Plan, host: str, today: date = date.min) -> Report:
    """Shares of the file against those that the plan has on this host."""
    report = Report(kind="smb.conf")
    seen: set[str] = set()
    for name, entries in sections(text, report):
        if name.lower() in ("", "global"):
            _global(entries, report)
        elif name.lower() in ("homes", "printers", "print$"):
            for entry in entries:
                report.say(
                    entry.number, entry.text, "not understood", f"[{name}] is not planned here"
                )
        else:
            seen.add(name.casefold())
            _share(name, entries, plan, host, report, today)
    index = Index(plan)
    for share in plan.shares:
        home = index.pools[index.datasets[share.dataset].pool].host
        if home == host and share.name.casefold() not in seen:
            report.differences.append(f"share {share.name} is in the plan and not in the file")
    return report


def _global(entries: list[Entry], report: Report) -> None:
    for entry in entries:
        if entry.key == "serverminprotocol" and entry.value.upper() in ("NT1", "CORE", "LANMAN1"):
            report.say(entry.number, entry.text, "understood", "SMB 1 is on")
            report.differences.append("the server speaks SMB 1, the plan never does")
        elif entry.key == "include":
            report.say(entry.number, entry.text, "not understood", "another file is included")
        elif entry.key in GLOBAL:
            report.say(entry.number, entry.text, "understood")
        else:
            report.say(entry.number, entry.text, "not understood", "not planned here")


def _names(value: str) -> list[str]:
    quoted = re.findall(r'"([^"]*)"|([^\s,]+)', value)
    return [a or b for a, b in quoted]


def let_in(text: str) -> dict[str, dict[str, Right] | None]:
    """Share by name to who may do what in it, a group with its @; None: everybody who can sign in."""
    result: dict[str, dict[str, Right] | None] = {}
    for name, entries in sections(text, Report(kind="smb.conf")):
        got = {ALIASES.get(e.key, e.key): e.value for e in entries}
        read_only = truth(got.get("readonly", "yes"))
        if "writable" in got:
            read_only = not truth(got["writable"])
        writes, reads = set(_names(got.get("writelist", ""))), set(_names(got.get("readlist", "")))
        shut = {n.lstrip("@+&") for n in _names(got.get("invalidusers", ""))}
        if "validusers" not in got and not writes | reads:
            result[name] = None
            continue
        who = _names(got["validusers"]) if "validusers" in got else sorted(writes | reads)
        result[name] = {
            f"@{bare}" if word[0] in "@+&" else bare: "write"
            if word in writes or (not read_only and word not in reads)
            else "read"
            for word in who
            if (bare := word.lstrip("@+&")) not in shut and word != "-nobody-"
        }
    return result


def _share(
    name: str, entries: list[Entry], plan: Plan, host: str, report: Report, today: date
) -> None:
    got: dict[str, str] = {}
    recycle = 0
    for entry in entries:
        key = ALIASES.get(entry.key, entry.key)
        if key.startswith(("recycle:", "fruit:")) or key in KNOWN:
            got[key] = entry.value
            report.say(entry.number, entry.text, "understood")
        elif key == "include":
            report.say(entry.number, entry.text, "not understood", "another file is included")
        else:
            report.say(entry.number, entry.text, "not understood", "not planned here")
    if "recycle" in got.get("vfsobjects", ""):
        recycle = 7
    path = got.get("path", "").rstrip("/")
    home = path.endswith(("/%U", "/%u", "/%S"))
    folder = path.rpartition("/")[0] if home else path
    dataset = next((d for d, f in folders(plan).items() if f == folder), None)
    if dataset is None:
        report.differences.append(
            f"share {name} is at {path or 'no path'}, where the plan has no dataset: add one first"
        )
        return
    read_only = truth(got.get("readonly", "yes"))
    if "writable" in got:
        read_only = not truth(got["writable"])
    guest = "none"
    if truth(got.get("guestok", "no")):
        guest = "read" if read_only else "write"
    old = next((s for s in plan.shares if s.name.casefold() == name.casefold()), None)
    if old and old.recycle_days and recycle:
        recycle = old.recycle_days  # the file does not say for how long
    item: dict[str, Any] = {
        "id": old.id if old else "",
        "name": printable(name),
        "dataset": dataset,
        "guest": guest,
        "smb1": old.smb1 if old else False,
        "home": home,
        "recycle_days": recycle,
        "hidden": not truth(got.get("browseable", "yes")),
        "pc_backups": truth(got.get("fruit:timemachine", "no")),
        "comment": printable(got.get("comment", "")),
    }
    _propose(old, item, report)
    _rights(name, old, got, bool(read_only), plan, report, today)


def _propose(old: Share | None, item: dict[str, Any], report: Report) -> None:
    before = old.model_dump(mode="json") if old else None
    if before and before["pc_backups"]:
        item["recycle_days"] = before["recycle_days"]  # one or the other is in the file
    what = "new" if before is None else "same" if before == item else "changed"
    why = ""
    if before is not None and what == "changed":
        fields = [k for k in item if item[k] != before[k]]
        why = ", ".join(f"{k}: {before[k]} in the plan, {item[k]} in the file" for k in fields)
        report.differences.append(f"share {item['name']}: {why}")
    elif before is None:
        report.differences.append(f"share {item['name']} is in the file and not in the plan")
    report.proposals.append(
        ReadItem(collection="shares", what=what, name=item["name"], item=item, why=why)
    )


def _rights(
    name: str,
    old: Share | None,
    got: dict[str, str],
    read_only: bool,
    plan: Plan,
    report: Report,
    today: date,
) -> None:
    """Who the file lets in, against what the plan gives; differences only, grants are people's."""
    if old is None:
        return
    groups = {g.name: g.members for g in plan.groups}
    logins = {a.login: a.id for a in plan.accounts}

    def accounts(key: str) -> set[str] | None:
        if key not in got:
            return None
        names: set[str] = set()
        for wanted in _names(got[key]):
            if wanted[0] in "@+&":
                names |= set(groups.get(wanted.lstrip("@+&"), ()))
            elif wanted in logins:
                names.add(logins[wanted])
            elif wanted != "-nobody-":
                report.differences.append(f"share {name}: {wanted} is no account of the plan")
        return names

    valid, invalid = accounts("validusers"), accounts("invalidusers") or set()
    writes, reads = accounts("writelist") or set(), accounts("readlist") or set()
    for cell in access_matrix(Index(plan), today):
        if cell.share != old.id:
            continue
        key = cell.account
        allowed = key not in invalid and (valid is None or key in valid)
        right = "none"
        if allowed:
            # A write list wins over a read list.
            may_write = key in writes or (not read_only and key not in reads)
            right = "write" if may_write else "read"
        if right != cell.right:
            login = next(a.login for a in plan.accounts if a.id == key)
            report.differences.append(
                f"share {name}: {login} has {right} in the file, {cell.right} in the plan"
            )
