"""Whether the server is well, and its figures for whoever watches it."""

from typing import TYPE_CHECKING, Literal

from fastapi import Request, Response
from fastapi.responses import FileResponse, PlainTextResponse
from pydantic import BaseModel

import kavrel
from kavrel.api.answer import body
from kavrel.api.counted import BOUNDS, Counts
from kavrel.api.door.roles import Routes
from kavrel.api.door.signing import ThePeople
from kavrel.api.door.visitor import TheVisitor
from kavrel.api.problem import ProblemError
from kavrel.store.database import Database

if TYPE_CHECKING:
    from collections.abc import Iterator

    from prometheus_client.core import Metric

router = Routes(tags=["health"])


class Health(BaseModel):
    """`schema_number`: of the database; it answers, or the answer is 503."""

    state: Literal["well"]
    version: str
    schema_number: int


@router.get("/healthz", response_model=Health, operation_id="get_health")
def get_health(request: Request) -> Response:
    """Whether the server and its database answer; nobody has to be signed in."""
    database: Database = request.app.state.database
    number = database.schema_number()
    return body(Health(state="well", version=kavrel.__version__, schema_number=number))


@router.get(
    "/certificate.pem",
    response_class=FileResponse,
    operation_id="get_certificate",
    responses={200: {"content": {"application/x-x509-ca-cert": {}}}, 404: {"description": "None"}},
)
def get_certificate(request: Request) -> Response:
    """The certificate of the house's own authority, for a device that shall trust it."""
    file = request.app.state.authority
    if file is None:
        raise ProblemError(
            404, "no certificate", "This server has no certificate of its own making."
        )
    return FileResponse(
        file, media_type="application/x-x509-ca-cert", filename="kavrel-authority.pem"
    )


class Figures:
    """What is counted, as a collector of the metrics library."""

    def __init__(self, request: Request, people: ThePeople) -> None:
        self._state, self._people = request.app.state, people

    def collect(self) -> "Iterator[Metric]":
        """Every figure, as of now."""
        from prometheus_client.core import (
            CounterMetricFamily,
            GaugeMetricFamily,
            HistogramMetricFamily,
            InfoMetricFamily,
        )

        counts: Counts = self._state.counts
        yield InfoMetricFamily("kavrel", "Version", {"version": kavrel.__version__})
        answers = CounterMetricFamily(
            "kavrel_answers", "Answers by method and status", labels=["method", "status"]
        )
        for (method, status), number in sorted(counts.answers.items()):
            answers.add_metric([method, str(status)], number)
        yield answers
        so_far, buckets = 0, []
        for bound in (*BOUNDS, float("inf")):
            so_far += counts.took[bound]
            buckets.append(("+Inf" if bound == float("inf") else str(bound), float(so_far)))
        yield HistogramMetricFamily(
            "kavrel_answer_seconds", "Time to answer", buckets, sum_value=counts.seconds
        )
        database: Database = self._state.database
        yield GaugeMetricFamily(
            "kavrel_database_bytes", "Size of the database", value=database.size_bytes()
        )
        yield GaugeMetricFamily(
            "kavrel_plans", "Plans in the database", value=len(self._state.service.plans.rows())
        )
        yield GaugeMetricFamily(
            "kavrel_messages_waiting", "Messages that wait", value=self._state.outbox.waiting()
        )
        yield GaugeMetricFamily(
            "kavrel_sessions", "Open sessions", value=len(self._people.sessions())
        )


@router.get(
    "/metrics", response_class=PlainTextResponse, operation_id="get_metrics", status_code=200
)
def get_metrics(request: Request, who: TheVisitor, people: ThePeople) -> Response:
    """Figures in the open text format, for this machine itself or a planner."""
    from prometheus_client import CollectorRegistry, generate_latest

    registry = CollectorRegistry()
    registry.register(Figures(request, people))
    return PlainTextResponse(generate_latest(registry).decode())
