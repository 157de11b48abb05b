"""Drift of a whole host: disks, pools, data and jobs by the core, and what the files of its servers say."""

import re
from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

from kavrel.core.edit import fresh_id
from kavrel.core.index import Index
from kavrel.core.seen.drift import drift
from kavrel.core.seen.drifted import Drift, Drifted
from kavrel.core.seen.machine import Machine
from kavrel.core.seen.offer import Taken
from kavrel.formats.looks import firewall, night, scripts, targets
from kavrel.formats.looks.taking import FILES
from kavrel.formats.readers import read_file
from kavrel.formats.readers.report import ReadItem, Report

OF = {"passwd": "accounts", "group": "groups", "smb.conf": "shares", "exports": "exports"}
ABSENT = re.compile(r"^(?:\w+ )?(.+) is in the plan and not in the file$")
RIGHT = re.compile(r"^share (.+): (\S+) has (\w+) in the file, (\w+) in the plan$")
# What is held against the plan by what Kavrel hands out, by listing; each knows what was said before it.
HELD: dict[str, Callable[[Index, str, str, Sequence[Drifted]], tuple[list[Drifted], int]]] = {
    night.KIND: night.held,
    firewall.KIND: firewall.held,
    scripts.KIND: scripts.held,
    targets.KIND: targets.held,
}
FROM_BUNDLE = "sh setup.sh, then the {kind} of the box's bundle into its place"


def whole_drift(index: Index, host: str, machine: Machine, today: date) -> Drift:
    """Everything that differs on one host; files that were not listed say nothing."""
    differences = drift(index, host, machine)
    rows = list(differences.differences)
    agreed = differences.agreed
    for kind in FILES:
        if kind in machine.files:
            report = read_file(kind, machine.files[kind].encode(), index.plan, host, today)
            agreed += sum(p.what == "same" for p in report.proposals)
            rows += _file(index, host, kind, report)
    for kind, held in HELD.items():
        if kind in machine.files:
            more, same = held(index, host, machine.files[kind], tuple(rows))
            rows += more
            agreed += same
    unknown = list(differences.unknown)
    if firewall.KIND not in machine.files and not index.hosts[host].closed:
        unknown.append("firewall: no listing shows it; lab-look sees it as root")
    if targets.KIND not in machine.files and targets.planned(index, host):
        unknown.append("disks over iSCSI: no listing shows them; this lab-look is an older one")
    rows.sort(key=lambda d: not d.urgent)
    found = {"differences": tuple(rows), "agreed": agreed, "unknown": tuple(unknown)}
    return differences.model_copy(update=found)


def _file(index: Index, host: str, kind: str, report: Report) -> list[Drifted]:
    # A plan that gives nobody a number leaves that to the box: whatever it gave is as planned.
    given = [p for p in report.proposals if _only_number(index, p)]
    proposals = [p for p in report.proposals if p.what != "same" and p not in given]
    rows = [_proposed(index, host, kind, p) for p in proposals]
    told = {p.name for p in proposals}
    unsaid = {f"{p.collection[:-1]} {p.name} is changed against the plan" for p in given}
    for line in report.differences:
        if line in unsaid:
            continue
        row = _said(host, kind, line)
        # What a proposal says is not said twice.
        if row.verdict == "missing" or row.field == "right" or not any(n in line for n in told):
            rows.append(row)
    return rows


def _only_number(index: Index, one: ReadItem) -> bool:
    """Whether all that differs is a number that the plan does not give."""
    if one.what != "changed" or one.item.get("number") is None:
        return False
    old = next((i for i in getattr(index.plan, one.collection) if i.id == one.item["id"]), None)
    if old is None or old.number is not None:
        return False
    now = {**old.model_dump(mode="json"), "number": one.item["number"]}
    return {k: _unordered(v) for k, v in now.items()} == {
        k: _unordered(v) for k, v in one.item.items()
    }


def _unordered(value: Any) -> Any:
    return sorted(value) if isinstance(value, list) else value


def _proposed(index: Index, host: str, kind: str, one: ReadItem) -> Drifted:
    key = str(one.item.get("id") or "") or fresh_id(index.plan, one.collection)
    change = Taken(
        key=f"{one.collection}/{key}",
        collection=one.collection,
        what=one.what,
        name=one.name,
        item={**one.item, "id": key},
        why=one.why or f"as {kind} has it",
    )
    new = one.what == "new"
    return Drifted(
        host=host,
        verdict="extra" if new else "different",
        collection=one.collection,
        about="" if new else key,
        name=one.name,
        field=kind,
        planned="not there" if new else "as the plan has it",
        seen="there" if new else (one.why or "otherwise"),
        change=change,
        command="" if new else FROM_BUNDLE.format(kind=kind),
    )


def _said(host: str, kind: str, line: str) -> Drifted:
    absent, right = ABSENT.match(line), RIGHT.match(line)
    collection = OF.get(kind, "exports")
    if absent:
        return Drifted(
            host=host, verdict="missing", collection=collection, about="", name=absent[1], field=kind,
            planned="there", seen="not there", command=FROM_BUNDLE.format(kind=kind),
        )  # fmt: skip
    if right:
        share, login, there, wanted = right.groups()
        # Somebody gets in whom the plan keeps out: that is less safe than planned.
        wide = ("none", "read", "write").index(there) > ("none", "read", "write").index(wanted)
        return Drifted(
            host=host, verdict="different", collection=collection, about="", name=f"{login} on {share}",
            field="right", planned=wanted, seen=there, urgent=wide,
            command=FROM_BUNDLE.format(kind=kind),
        )  # fmt: skip
    return Drifted(
        host=host, verdict="different", collection=collection, about="", name=kind, field="file",
        planned="as the plan has it", seen=line,
    )  # fmt: skip
