"""What setup.sh made on a host, read back: pools that stand from now on, and entries for the Log."""

from datetime import date

from kavrel.core.copies.anew import to_begin_anew
from kavrel.core.index import Index
from kavrel.core.plan import AboutKind, LogEntry, Plan
from kavrel.core.shares.names import folders, pool_names
from kavrel.core.works.volumes import volumes_of
from kavrel.formats.readers.report import ReadItem, Report, numbered

PLACE = "/var/lib/kavrel/done"


def read_setup_done(text: str, plan: Plan, host: str) -> Report:
    """Lines of the day, the work's key, and what is known of it."""
    report = Report(kind="setup.done")
    index = Index(plan)
    mine = [p for p in plan.pools if p.host == host]
    names = pool_names(plan)
    paths = folders(plan)
    known: dict[str, tuple[AboutKind, str, str]] = {}
    known |= {f"pool/{names[p.id]}": ("pool", p.id, p.name) for p in mine}
    known |= {
        f"dataset{paths[d.id]}": ("dataset", d.id, d.name)
        for d in plan.datasets
        if index.pools[d.pool].host == host
    }
    known |= {f"account/{a.login}": ("account", a.id, a.login) for a in plan.accounts}
    latest: dict[str, tuple[date, str]] = {}  # what was made anew is what it is now
    for number, line in numbered(text, report):
        day, _, rest = line.partition(" ")
        key, _, fact = rest.partition(" ")
        try:
            on = date.fromisoformat(day)
        except ValueError:
            report.say(number, line, "not understood", "the day, then what was made")
            continue
        if key not in known:
            report.say(
                number, line, "not understood", "nothing of the plan on this box is called so"
            )
            continue
        report.say(number, line, "understood")
        latest[key] = on, fact
    made: dict[str, date] = {}
    for key, (on, fact) in latest.items():
        about_kind, about, name = known[key]
        if about_kind == "pool":
            _stands(report, index, about, fact)
            made[about] = on
        _entry(report, plan, (about_kind, about, name), on)
    _begin_anew(report, index, made)
    return report


def _begin_anew(report: Report, index: Index, made: dict[str, date]) -> None:
    """Copies from and into pools that were made empty: the first is yet to come until a run went well."""
    for job, way, day in to_begin_anew(index, made):
        item = {**job.model_dump(mode="json"), "first_copy": way}
        why = f"its pool was made empty on {day}, and no run that went well is logged since"
        report.proposals.append(
            ReadItem(collection="jobs", what="changed", name=job.name, item=item, why=why)
        )


def _stands(report: Report, index: Index, pool_id: str, fact: str) -> None:
    """The pool, with the UUIDs that its file systems have."""
    pool = index.pools[pool_id]
    base = pool.model_dump(mode="json")
    uuids = fact.removeprefix("uuid=").split(",") if fact.startswith("uuid=") else []
    wanted = [v.uuid for v in volumes_of(index, pool)]
    item = {**base, "standing": True}
    if len(uuids) == 1 and (pool.standing or uuids[0] in wanted):
        item["uuid"] = uuids[0]
    elif len(uuids) > 1 and (pool.standing or uuids == wanted):
        item["branch_uuids"] = uuids
    what = "same" if item == base else "changed"
    why = (
        "" if what == "same" else "it was made: from now on it is looked for, and never made again"
    )
    read = ReadItem(collection="pools", what=what, name=pool.name, item=item, why=why)
    report.proposals.append(read)
    if what != "same":
        report.differences.append(f"pool {pool.name} stands, and the plan still wants it made")


def _entry(report: Report, plan: Plan, thing: tuple[AboutKind, str, str], on: date) -> None:
    about_kind, about, name = thing
    there = any(
        e.kind == "set_up" and (e.about_kind, e.about) == (about_kind, about) for e in plan.log
    )
    entry = LogEntry(
        id="new", kind="set_up", about_kind=about_kind, about=about, on=on, note="by setup.sh"
    )
    item = entry.model_dump(mode="json", exclude={"id"})
    what = "same" if there else "new"
    report.proposals.append(
        ReadItem(collection="log", what=what, name=f"{name}, set up on {on}", item=item)
    )
