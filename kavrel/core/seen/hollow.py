"""Jobs that say all went well and carry next to nothing: the source is empty, or elsewhere than they look.

Common practice, no source: a copy is watched by what it carries too, for a run that has nothing to do
ends as well as one that did its work.
"""

from collections.abc import Iterator, Sequence

from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.quantities import DAY, YEAR_DAYS
from kavrel.core.seen.machine import SeenRun
from kavrel.core.seen.points import names_of
from kavrel.core.working import Working, step


class Hollow(BaseModel):
    """A job whose good runs carried far less than the plan says that changes; `since` the first of them."""

    model_config = ConfigDict(frozen=True)

    job: str
    host: str
    runs: int
    since: float
    days: float
    carried_bytes: int
    expected_bytes: int
    working: Working


def hollow(index: Index, runs: Sequence[tuple[str, SeenRun]]) -> Iterator[Hollow]:
    """Of runs, the newest first, those jobs that carried next to nothing for too long.

    Judged from the newest runs back to the first that carried something worth the name, or failed.
    """
    longest, share = index.assumptions["hollow_days"], index.assumptions["hollow_share"]
    jobs = names_of(index)
    by_job: dict[tuple[str, str], list[SeenRun]] = {}
    for host, run in runs:
        if run.job in jobs and run.bytes is not None:
            by_job.setdefault((host, jobs[run.job]), []).append(run)
    for (host, job), mine in by_job.items():
        data = [index.datasets[d] for d in index.jobs[job].datasets]
        daily = sum(
            d.change_bytes_per_day
            + d.deleted_bytes_per_day
            + max(d.growth_bytes_per_year, 0) / YEAR_DAYS
            for d in data
        )
        carried, count, since = 0, 0, mine[0].began
        for run in mine:
            days = (mine[0].ended - run.began) / DAY
            if run.result == "failed" or carried + (run.bytes or 0) > share * daily * max(days, 1):
                break
            carried, count, since = carried + (run.bytes or 0), count + 1, run.began
        days = (mine[0].ended - since) / DAY
        expected = daily * days
        if count < 2 or days < longest or not expected:
            continue
        yield Hollow(
            job=job, host=host, runs=count, since=since, days=days, carried_bytes=carried,
            expected_bytes=round(expected),
            working=step(
                "expected by the plan", round(expected / 1e9, 3), "GB", "what changes a day x days",
                step("changes, deletes and growth of its datasets", round(daily / 1e9, 3), "GB a day"),
                step("days in which its runs carried no more", round(days, 1), "days"),
                step("carried", round(carried / 1e9, 6), "GB"),
                step("too long from", longest, "days", assumption="hollow_days"),
                step("too little below", share, "of it", assumption="hollow_share"),
            ),
        )  # fmt: skip
