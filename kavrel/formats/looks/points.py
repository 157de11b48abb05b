"""Points and runs as lab-job knows them, and as a repository's own tool lists them in JSON."""

import json
from typing import Any

from kavrel.core.seen.machine import LISTED
from kavrel.formats.looks.amounts import moment_of
from kavrel.formats.looks.listing import Listing, ListingReader, Notes

WHEN = ("time", "start", "timestamp", "created", "end")
RESULTS = ("ok", "failed", "noted")


def read_ours(listing: Listing, notes: Notes) -> None:
    """`lab-job points`: of each job of the box what lies here, by place."""
    said = json.loads(listing.text)
    for job, places in said["points"].items():
        for place, moments in places.items():
            listing.took()
            notes.machine.setdefault("points", []).append((place, job, sorted(map(float, moments))))
    notes.looked_at.add("lab-job points")


def read_repository(listing: Listing, notes: Notes) -> None:
    """Any JSON list of things with a moment, at the top or one step below it."""
    job = listing.asked.rpartition("/")[2].removesuffix(".points")
    rows = json.loads(listing.text)
    if isinstance(rows, dict):
        rows = next((v for v in rows.values() if isinstance(v, list)), [])
    times = []
    for row in rows:
        moment = _moment(row)
        if moment is None:
            listing.puzzled(row)
            continue
        times.append(moment)
        listing.took()
    notes.machine.setdefault("points", []).append((LISTED, job, sorted(times)))


def _moment(row: Any) -> float | None:
    if isinstance(row, dict):
        row = next((row[k] for k in WHEN if k in row), None)
    if isinstance(row, bool) or not isinstance(row, int | float | str):
        return None
    return moment_of(str(row))


def read_run(listing: Listing, notes: Notes) -> None:
    """One run that lab-job wrote down."""
    run = json.loads(listing.text)
    if run.get("result") not in RESULTS or not isinstance(run.get("job"), str):
        listing.puzzled(listing.text)
        return
    carried = run.get("bytes")
    notes.runs.append(
        {
            "job": run["job"],
            "began": float(run["began"]),
            "ended": float(run["ended"]),
            "result": run["result"],
            "said": str(run.get("said", ""))[:2000],
            "bytes": carried if type(carried) is int and 0 <= carried < 2**63 else None,
        }
    )
    notes.looked_at.add("runs")
    listing.took()


OURS = ListingReader("lab-job-points", "lab-job points", read_ours, lambda t: '"points"' in t[:200])
REPOSITORY = ListingReader("points", "a repository's own list of points, in JSON", read_repository)
RUN = ListingReader("run", "a run of lab-job", read_run)
