"""Questions that take a while, as jobs: asked, followed over server-sent events, stopped, kept."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import suppress
from typing import Annotated

from fastapi import Body, Response
from fastapi.responses import StreamingResponse

from kavrel.api.answer import TheService, body
from kavrel.api.door.roles import Routes
from kavrel.api.items import PROBLEMS
from kavrel.api.running import QuestionView, RunningQuestion
from kavrel.core.questions import Question

LEAST_SECONDS = 0.05  # between two of them, however fast it goes

router = Routes(prefix="/api", tags=["questions"], responses=PROBLEMS)


@router.post(
    "/plans/{plan_id}/questions",
    response_model=QuestionView,
    status_code=202,
    operation_id="ask_question",
)
def ask_question(
    plan_id: str, question: Annotated[Question, Body()], service: TheService
) -> Response:
    """Asks a question about the plan's newest state; the answer is kept for a while."""
    job = service.jobs.ask(service, plan_id, question)
    return body(job.view(), 202)


@router.get("/questions/{job_id}", response_model=QuestionView, operation_id="get_question")
def get_question(job_id: str, service: TheService) -> Response:
    """How far a question is, with its answer once there is one."""
    return body(service.jobs.find(job_id).view())


@router.delete("/questions/{job_id}", response_model=QuestionView, operation_id="stop_question")
def stop_question(job_id: str, service: TheService) -> Response:
    """Stops a question; what it had found so far is dropped."""
    job = service.jobs.find(job_id)
    job.stop.set()
    return body(job.view(whole=False))


@router.get(
    "/questions/{job_id}/events",
    response_class=StreamingResponse,
    operation_id="follow_question",
    responses={200: {"content": {"text/event-stream": {}}}},
)
def follow_question(job_id: str, service: TheService) -> StreamingResponse:
    """Progress as server-sent events; the last one is named `end`."""
    job = service.jobs.find(job_id)
    return StreamingResponse(
        _events(job), media_type="text/event-stream", headers={"Cache-Control": "no-store"}
    )


async def _events(job: RunningQuestion) -> AsyncIterator[str]:
    loop, stepped = asyncio.get_running_loop(), asyncio.Event()

    def wake() -> None:
        # The worker is in a thread; whoever followed may have left with the server.
        with suppress(RuntimeError):
            loop.call_soon_threadsafe(stepped.set)

    job.listeners.add(wake)
    try:
        while True:
            stepped.clear()
            ended = job.ended
            name = "end" if ended else "progress"
            yield f"event: {name}\ndata: {job.view(whole=False).model_dump_json()}\n\n"
            if ended:
                return
            await asyncio.sleep(LEAST_SECONDS)
            await stepped.wait()
    finally:
        job.listeners.discard(wake)
