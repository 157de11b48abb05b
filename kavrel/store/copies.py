"""Jobs with their schedules and retention in their tables."""

import sqlite3
from collections import defaultdict
from typing import Any

from kavrel.core.plan import Job, Plan, Retention, Schedule
from kavrel.store.rows import Row, read_rows, write_rows

PLAIN = (
    "id",
    "name",
    "kind",
    "reads_from",
    "target_pool",
    "target_disk",
    "encrypted",
    "credentials",
    "limit_mbit",
)
SCHEDULE = tuple(f"schedule_{f}" for f in Schedule.model_fields)
KEEP = tuple(f"keep_{f}" for f in Retention.model_fields)
JOB = (*PLAIN, *SCHEDULE, *KEEP)


def read(db: sqlite3.Connection, plan_id: str) -> dict[str, Any]:
    """The copies part of a plan."""
    datasets: dict[str, list[str]] = defaultdict(list)
    for row in read_rows(db, "job_dataset", ("job", "dataset"), plan_id, "job, place"):
        datasets[row["job"]].append(row["dataset"])
    keys: dict[str, list[str]] = defaultdict(list)
    for row in read_rows(db, "job_key_site", ("job", "site"), plan_id, "job, place"):
        keys[row["job"]].append(row["site"])
    rows = read_rows(db, "job", JOB, plan_id, "position")
    return {"jobs": tuple(_job(r, datasets[r["id"]], keys[r["id"]]) for r in rows)}


def _job(row: dict[str, Any], datasets: list[str], keys: list[str]) -> Job:
    schedule = {f: row[f"schedule_{f}"] for f in Schedule.model_fields}
    schedule["weekdays"] = tuple(int(d) for d in schedule["weekdays"].split(",") if d)
    plain = {f: row[f] for f in PLAIN}
    return Job(
        **{**plain, "encrypted": bool(plain["encrypted"])},
        datasets=tuple(datasets),
        key_kept_at=tuple(keys),
        schedule=Schedule(**schedule),
        retention=Retention(**{f: row[f"keep_{f}"] for f in Retention.model_fields}),
    )


def _row(job: Job, position: int) -> Row:
    schedule = job.schedule.model_dump(mode="json")
    schedule["weekdays"] = ",".join(map(str, job.schedule.weekdays))
    kept = job.retention.model_dump()
    plain = [getattr(job, f) for f in PLAIN]
    plain[PLAIN.index("encrypted")] = int(job.encrypted)
    return (*plain, *schedule.values(), *kept.values(), position)


def write(db: sqlite3.Connection, plan_id: str, plan: Plan) -> None:
    """Writes the copies part of a plan."""
    rows = [_row(j, n) for n, j in enumerate(plan.jobs)]
    write_rows(db, "job", (*JOB, "position"), plan_id, rows)
    datasets = [(j.id, n, d) for j in plan.jobs for n, d in enumerate(j.datasets)]
    write_rows(db, "job_dataset", ("job", "place", "dataset"), plan_id, datasets)
    keys = [(j.id, n, s) for j in plan.jobs for n, s in enumerate(j.key_kept_at)]
    write_rows(db, "job_key_site", ("job", "place", "site"), plan_id, keys)
