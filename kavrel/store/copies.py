"""Jobs with their schedules and retention, caps, buckets and signed risks in their tables."""

import sqlite3
from collections import defaultdict
from typing import Any

from kavrel.core.plan import AcceptedRisk, Bucket, Cap, Job, Plan, Retention, Schedule, Window
from kavrel.store.rows import Row, flags, read_items, read_rows, values, write_items, write_rows

PLAIN = tuple(
    f
    for f in Job.model_fields
    if f not in ("datasets", "key_kept_at", "left_out", "schedule", "retention")
)
FLAGS = tuple(f for f in PLAIN if Job.model_fields[f].annotation is bool)
RISK = ("id", "dataset", "hazard", "reason", "made_on", "who", "basis")
SCHEDULE = tuple(f"schedule_{f}" for f in Schedule.model_fields)
KEEP = tuple(f"keep_{f}" for f in Retention.model_fields)
JOB = (*PLAIN, *SCHEDULE, *KEEP)
COLLECTIONS = ("caps", "buckets", "jobs", "accepted")


def read(db: sqlite3.Connection, plan_id: str) -> dict[str, Any]:
    """The copies part of a plan."""
    datasets: dict[str, list[str]] = defaultdict(list)
    for row in read_rows(db, "job_dataset", ("job", "dataset"), plan_id, "job, place"):
        datasets[row["job"]].append(row["dataset"])
    keys: dict[str, list[str]] = defaultdict(list)
    for row in read_rows(db, "job_key_site", ("job", "site"), plan_id, "job, place"):
        keys[row["job"]].append(row["site"])
    left_out: dict[str, list[str]] = defaultdict(list)
    for row in read_rows(db, "job_left_out", ("job", "pattern"), plan_id, "job, place"):
        left_out[row["job"]].append(row["pattern"])
    rows = read_rows(db, "job", JOB, plan_id, "position")
    risks = read_rows(db, "accepted_risk", RISK, plan_id, "position")
    return {
        "caps": read_items(db, "cap", Cap, plan_id),
        "buckets": read_items(db, "bucket", Bucket, plan_id),
        "jobs": tuple(_job(r, datasets[r["id"]], keys[r["id"]], left_out[r["id"]]) for r in rows),
        "accepted": tuple(AcceptedRisk(on=r.pop("made_on"), **r) for r in risks),
    }


def _job(row: dict[str, Any], datasets: list[str], keys: list[str], left_out: list[str]) -> Job:
    schedule = {f: row[f"schedule_{f}"] for f in Schedule.model_fields}
    schedule["weekdays"] = tuple(int(d) for d in schedule["weekdays"].split(",") if d)
    return Job(
        **flags({f: row[f] for f in PLAIN}, *FLAGS),
        datasets=tuple(datasets),
        key_kept_at=tuple(keys),
        left_out=tuple(left_out),
        schedule=Schedule(**schedule),
        retention=_retention(row),
    )


def _retention(row: dict[str, Any]) -> Retention:
    """Windows stand in one column, as `hourly:1 daily:30`."""
    kept = {f: row[f"keep_{f}"] for f in Retention.model_fields}
    pairs = [word.split(":") for word in kept["windows"].split()]
    kept["windows"] = tuple(Window.model_validate({"every": e, "days": int(d)}) for e, d in pairs)
    return Retention(**kept)


def _row(job: Job, position: int) -> Row:
    schedule = job.schedule.model_dump(mode="json")
    schedule["weekdays"] = ",".join(map(str, job.schedule.weekdays))
    kept = job.retention.model_dump(mode="json")
    kept["windows"] = " ".join(f"{w.every}:{w.days}" for w in job.retention.windows)
    *plain, _ = values(job, PLAIN, position)
    return (*plain, *schedule.values(), *kept.values(), position)


def write(db: sqlite3.Connection, plan_id: str, plan: Plan) -> None:
    """Writes the copies part of a plan."""
    write_items(db, "cap", Cap, plan_id, plan.caps)
    write_items(db, "bucket", Bucket, plan_id, plan.buckets)
    risks = [
        (r.id, r.dataset, r.hazard, r.reason, r.on.isoformat(), r.who, r.basis, n)
        for n, r in enumerate(plan.accepted)
    ]
    write_rows(db, "accepted_risk", (*RISK, "position"), plan_id, risks)
    rows = [_row(j, n) for n, j in enumerate(plan.jobs)]
    write_rows(db, "job", (*JOB, "position"), plan_id, rows)
    datasets = [(j.id, n, d) for j in plan.jobs for n, d in enumerate(j.datasets)]
    write_rows(db, "job_dataset", ("job", "place", "dataset"), plan_id, datasets)
    keys = [(j.id, n, s) for j in plan.jobs for n, s in enumerate(j.key_kept_at)]
    write_rows(db, "job_key_site", ("job", "place", "site"), plan_id, keys)
    patterns = [(j.id, n, p) for j in plan.jobs for n, p in enumerate(j.left_out)]
    write_rows(db, "job_left_out", ("job", "place", "pattern"), plan_id, patterns)
