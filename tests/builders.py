"""Small plans for the tests: one lab with two sites, to be bent as each test needs."""

from datetime import date
from typing import Any

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.copies.book import CopyBook
from kavrel.core.edit import checked
from kavrel.core.evaluate import Evaluation, evaluate
from kavrel.core.index import Index
from kavrel.core.plan import (
    Account,
    AssumptionValue,
    Dataset,
    Disk,
    Grant,
    Group,
    Host,
    Job,
    Link,
    Plan,
    Pool,
    Retention,
    Schedule,
    Share,
    Site,
)
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.pool import pool_states
from kavrel.core.proof.cell import Cell

TODAY = date(2026, 11, 24)  # a Tuesday
GB = 10**9
TB = 10**12


def disk(number: int, host: str | None = "box", **more: Any) -> Disk:
    """A 4 TB disk in bay `number` of a host, or on the shelf at home."""
    place: dict[str, Any] = {"shelf": "home"}
    if host:
        place = {"host": host, "bay": f"3.5-{number}"}
    fields = {
        "id": f"{host or 'loose'}{number}",
        "label": f"{host or 'loose'} {number}",
        "capacity_bytes": labelled_bytes(4000),
        "price_minor": 10_000,
        **place,
        **more,
    }
    return Disk(**fields)


def daily(at: str = "01:00", **more: Any) -> Schedule:
    """Every day at a time."""
    return Schedule(kind="daily", at=at, **more)


def job(key: str, kind: str = "snapshot", **more: Any) -> Job:
    """A daily job on the dataset `files`, kept for 30 days."""
    fields: dict[str, Any] = {
        "id": key,
        "name": key,
        "kind": kind,
        "datasets": ("files",),
        "schedule": daily(),
        "retention": Retention(all_days=30),
        **more,
    }
    return Job(**fields)


def lab(**changes: Any) -> Plan:
    """Two sites; `box` at home with a raidz1 of 3, `far` away with a mirror; one dataset, shared."""
    parts: dict[str, Any] = {
        "name": "test lab",
        "zone": "Europe/Berlin",
        "sites": (Site(id="home", name="home"), Site(id="away", name="away")),
        "links": (Link(id="wire", a="home", b="away", mbit_a_to_b=20.0, mbit_b_to_a=100.0),),
        "hosts": (
            Host(id="box", name="box", site="home", bays_35=6, ram_gib=32.0, on_ups=True),
            Host(id="far", name="far", site="away", bays_35=4, ram_gib=32.0, on_ups=True),
        ),
        "disks": (
            *(disk(n) for n in (1, 2, 3)),
            *(disk(n, "far") for n in (1, 2)),
            disk(9, None),
        ),
        "pools": (
            Pool(
                id="main",
                name="main",
                host="box",
                family="raidz1",
                filesystem="zfs",
                groups=(("box1", "box2", "box3"),),
            ),
            Pool(
                id="second",
                name="second",
                host="far",
                family="mirror",
                filesystem="zfs",
                groups=(("far1", "far2"),),
            ),
        ),
        "datasets": (
            Dataset(
                id="files",
                name="files",
                pool="main",
                size_bytes=1000 * GB,
                change_bytes_per_day=2 * GB,
                worth="irreplaceable",
            ),
        ),
        "shares": (Share(id="share", name="files", dataset="files"),),
        "accounts": (
            Account(id="ana", login="ana", full_name="Ana"),
            Account(id="bo", login="bo", full_name="Bo"),
        ),
        "groups": (Group(id="all", name="all", members=("ana", "bo")),),
        "grants": (Grant(id="g1", share="share", account="ana", right="write"),),
        **changes,
    }
    return checked(Plan(**parts))


def dataset(**more: Any) -> Dataset:
    """The lab's one dataset, bent."""
    return lab().datasets[0].model_copy(update=more)


def assume(**values: float) -> tuple[AssumptionValue, ...]:
    """Own values for assumptions."""
    return tuple(AssumptionValue(id=k, value=v) for k, v in values.items())


def result(plan: Plan) -> Evaluation:
    """The evaluation as of TODAY."""
    return evaluate(plan, TODAY)


def cell(plan: Plan, hazard: str, dataset: str = "files") -> Cell:
    """One cell of the proof."""
    return next(c for c in result(plan).proof if (c.dataset, c.hazard) == (dataset, hazard))


def rules(plan: Plan) -> set[str]:
    """Rules with at least one caution."""
    return {c.rule for c in result(plan).cautions}


def book(plan: Plan) -> CopyBook:
    """The copy book as of TODAY."""
    index = Index(plan)
    return CopyBook(index, pool_states(index), TODAY)


def facts(*sizes: int, **more: Any) -> list[DiskFacts]:
    """Disk facts of these sizes, at 185 MB/s, 1.4 % a year, 10^14 bits per error."""
    fields: dict[str, Any] = {
        "mb_per_s": 185.0,
        "yearly_failure_rate": 0.014,
        "bits_per_read_error": 1e14,
        "price_minor": 10_000,
        **more,
    }
    return [
        DiskFacts(id=f"d{n}", label=f"D{n}", capacity_bytes=size, **fields)
        for n, size in enumerate(sizes)
    ]


CONDITIONS = Conditions()
