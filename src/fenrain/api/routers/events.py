"""Progress as server-sent events."""

from collections.abc import AsyncIterator
from datetime import datetime, timedelta

import anyio
import anyio.to_thread
from fastapi import APIRouter, Request
from sqlalchemy import select
from sse_starlette import EventSourceResponse, ServerSentEvent

from fenrain.api.schemas import JobOut
from fenrain.api.views import job_view
from fenrain.store.database import session
from fenrain.store.rows import find_project
from fenrain.store.tables import Job, now

router = APIRouter(tags=["events"])
PAUSE = 0.4


@router.get("/projects/{project_id}/events", response_class=EventSourceResponse)
async def follow(project_id: int, request: Request) -> EventSourceResponse:
    """A “job” event with the job's state whenever it changes."""
    await anyio.to_thread.run_sync(_known, project_id)

    async def events() -> AsyncIterator[ServerSentEvent]:
        seen = now() - timedelta(seconds=2)
        while not await request.is_disconnected():
            changed = await anyio.to_thread.run_sync(_changed_jobs, project_id, seen)
            for moment, job in changed:
                seen = max(seen, moment)
                yield ServerSentEvent(job.model_dump_json(), event="job", id=str(job.id))
            await anyio.sleep(PAUSE)

    return EventSourceResponse(events(), ping=15)


def _known(project_id: int) -> None:
    with session() as database:
        find_project(database, project_id)


def _changed_jobs(project_id: int, since: datetime) -> list[tuple[datetime, JobOut]]:
    with session() as database:
        rows = database.scalars(select(Job).where(Job.project_id == project_id, Job.updated > since).order_by(Job.updated)).all()
        return [(job.updated, job_view(database, job)) for job in rows]
