"""rsyncd.conf read back into rsync modules. Source: rsyncd.conf(5)."""

import re

from kavrel.core.plan import Plan
from kavrel.core.shares.names import folders, slug
from kavrel.formats.readers.report import ReadItem, Report
from kavrel.formats.readers.sections import sections, truth

KNOWN = {
    "path",
    "comment",
    "readonly",
    "list",
    "authusers",
    "secretsfile",
    "strictmodes",
    "hostsallow",
    "hostsdeny",
    "uid",
    "gid",
    "usechroot",
    "maxconnections",
    "pidfile",
    "prexferexec",
    "timeout",
}


def read_rsyncd(text: str, plan: Plan, host: str) -> Report:
    """Modules of the file against the plan's."""
    from kavrel.formats.servers.site import Box

    report = Report(kind="rsyncd.conf")
    logins = {a.login: a.id for a in plan.accounts}
    seen: set[str] = set()
    for name, entries in sections(text, report):
        got: dict[str, str] = {}
        for entry in entries:
            known = entry.key in KNOWN
            got[entry.key] = entry.value
            why = "" if known else "not planned here; the daemon ignores what it does not know"
            report.say(entry.number, entry.text, "understood" if known else "not understood", why)
        if not name:
            continue
        path = got.get("path", "").rstrip("/")
        dataset = next((d for d, f in folders(plan).items() if f == path), None)
        if dataset is None:
            report.differences.append(f"module {name} is at {path}, where the plan has no dataset")
            continue
        users = [u for u in re.split(r"[\s,]+", got.get("authusers", "")) if u]
        for user in users:
            if user not in logins:
                report.differences.append(f"module {name}: {user} is no account of the plan")
        if not users:
            report.differences.append(f"module {name} asks for no password")
        old = next(
            (e for e in plan.exports if e.protocol == "rsync" and e.name == slug(name, name)), None
        )
        if old:
            seen.add(old.id)
        base = (
            old.model_dump(mode="json")
            if old
            else {
                "protocol": "rsync",
                "name": slug(name, "module"),
            }
        )
        item = {
            **base,
            "dataset": dataset,
            "may": "read" if truth(got.get("readonly", "yes")) else "write",
            "accounts": [logins[u] for u in users if u in logins],
            "clients": [c for c in re.split(r"[\s,]+", got.get("hostsallow", "")) if c],
        }
        what = "new" if old is None else "same" if item == base else "changed"
        report.proposals.append(
            ReadItem(collection="exports", what=what, name=item["name"], item=item)
        )
        if what != "same":
            report.differences.append(f"module {name} is {what} against the plan")
    for export in Box(plan, host).exports("rsync"):
        if export.id not in seen:
            report.differences.append(f"module {export.name} is in the plan and not in the file")
    return report
