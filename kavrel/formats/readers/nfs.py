"""/etc/exports read back into NFS exports. Source: exports(5)."""

import re
from typing import Any

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.shares.names import folders, slug
from kavrel.core.shares.parts import offered_as
from kavrel.formats.readers.report import ReadItem, Report, numbered

UNDERSTOOD = {
    "rw",
    "ro",
    "sync",
    "no_subtree_check",
    "root_squash",
    "no_root_squash",
    "all_squash",
    "sec=sys",
    "sec=krb5",
    "sec=krb5i",
    "sec=krb5p",
    "mountpoint",  # it is given only where something is mounted, as the plan has it
    "mp",
}


def _clients(rest: str) -> tuple[list[str], set[str], list[str]]:
    """Who is named after the path, the options they have, and what of it is not understood."""
    clients: list[str] = []
    options: set[str] = set()
    trouble = []
    for named, given in re.findall(r"([^\s(]*)(?:\(([^)]*)\))?", rest):
        if not named and not given:
            continue
        if not named:
            trouble.append("a blank before ( exports it to everybody")
        clients.append("0.0.0.0/0" if named in ("", "*") else named)
        mine = {o.strip() for o in (given or "").split(",") if o.strip()}
        trouble += [f"option {o}" for o in sorted(mine - UNDERSTOOD)]
        if options and mine != options:
            trouble.append("clients with different options: the first ones are taken")
        options = options or mine
    return clients, options, trouble


def _means(options: set[str]) -> dict[str, Any]:
    """Fields of an export that these options set; what is not said is as exports(5) has it."""
    squash = "none" if "no_root_squash" in options else "all" if "all_squash" in options else "root"
    return {
        "may": "write" if "rw" in options else "read",
        "squash": squash,
        "secured": any(o.startswith("sec=krb5") for o in options),
    }


def read_exports(text: str, plan: Plan, host: str) -> Report:
    """Exports of the file against the plan's; `host (rw)` with a blank is everybody, and said."""
    report = Report(kind="exports")
    seen: set[str] = set()
    index = Index(plan)
    for number, line in numbered(text, report):
        match = re.match(r'"([^"]+)"\s+(.*)|(\S+)\s+(.*)', line)
        if not match:
            report.say(number, line, "not understood", "a path, then clients with their options")
            continue
        path = (match.group(1) or match.group(3)).rstrip("/")
        rest = match.group(2) or match.group(4) or ""
        clients, options, trouble = _clients(rest)
        dataset = next((d for d, f in folders(plan).items() if f == path), None)
        if dataset is None:
            report.say(number, line, "not understood", f"the plan has no dataset at {path}")
            report.differences.append(f"{path} is exported, and the plan has no dataset there")
            continue
        verdict = "not understood" if trouble else "understood"
        report.say(number, line, verdict, "; ".join(trouble))  # type: ignore[arg-type]
        old = next((e for e in plan.exports if e.protocol == "nfs" and e.dataset == dataset), None)
        whole = offered_as(index, dataset)
        above = [e for e in plan.exports if e.protocol == "nfs" and e.dataset == whole]
        if above and whole != dataset:
            told = {"clients": clients, **_means(options)}
            if not any((d := e.model_dump(mode="json")) == d | told for e in above):
                names = " and ".join(e.name for e in above)
                said = f"{path} is exported otherwise than {names}, which it is a part of"
                report.differences.append(said)
            continue
        if old:
            seen.add(old.id)
        name = slug(path.rpartition("/")[2], "export")
        made = {"protocol": "nfs", "name": name, "dataset": dataset}
        base = old.model_dump(mode="json") if old else made
        item = {**base, "clients": clients, **_means(options)}
        what = "new" if old is None else "same" if item == base else "changed"
        report.proposals.append(
            ReadItem(collection="exports", what=what, name=item["name"], item=item)
        )
        if what != "same":
            report.differences.append(f"export {item['name']} is {what} against the plan")
    from kavrel.formats.servers.site import Box

    for export in Box(plan, host).exports("nfs"):
        if export.id not in seen:
            report.differences.append(f"export {export.name} is in the plan and not in the file")
    return report
