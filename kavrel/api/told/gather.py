"""What is new in a lab, from its plan and from all that its machines said."""

from datetime import UTC, datetime

from kavrel.api.copies import book_of
from kavrel.api.service import Service
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.seen.points import Finder
from kavrel.core.seen.wear import Reading, wear_of
from kavrel.core.told.news import Known, News, news


def known_of(service: Service, plan_id: str) -> Known:
    """All that machines said of a plan's lab lately."""
    _, plan = service.plans.head(plan_id)
    index, looks = Index(plan), service.looks
    newest = looks.newest(plan_id)
    by_serial: dict[str, list[Reading]] = {}
    for one in looks.readings(plan_id):
        by_serial.setdefault(one.serial, []).append(
            Reading.model_validate({"seen_at": one.seen_at, **one.readings})
        )
    points = []
    if newest:
        finder = Finder(book_of(service, plan_id), newest)
        jobs = [j for j in plan.jobs if KINDS[j.kind].copies]
        points = [finder.found(j, d) for j in jobs for d in j.datasets]
    senders = {t.host for t in looks.tokens(plan_id) if t.withdrawn_at is None}
    heard: dict[str, float] = {}
    for row in looks.rows(plan_id):
        if row.sent and row.host in senders:
            heard[row.host] = max(row.arrived_at, heard.get(row.host, 0.0))
    return Known(
        runs=looks.runs(plan_id),
        carried=looks.carried(plan_id),
        points=points,
        wears=wear_of(index, by_serial),
        drifts=list(service.drifts(plan_id)),
        last_sent=[(host, datetime.fromtimestamp(at, UTC)) for host, at in heard.items()],
    )


def gathered(service: Service, plan_id: str) -> list[News]:
    """All that is worth a message now."""
    row, plan = service.plans.head(plan_id)
    evaluation = service.evaluation(plan_id, row.head, plan)
    return news(Index(plan), evaluation, known_of(service, plan_id), service.now())
