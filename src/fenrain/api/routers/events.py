"""Progress as server-sent events."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import suppress
from datetime import datetime, timedelta

import anyio
import anyio.to_thread
from fastapi import APIRouter, Request
from sqlalchemy import select
from sse_starlette import EventSourceResponse, ServerSentEvent

from fenrain.api.schemas import JobOut
from fenrain.api.views import job_view
from fenrain.jobs.news import told
from fenrain.store.database import session
from fenrain.store.rows import find_project
from fenrain.store.tables import Job, now

router = APIRouter(tags=["events"])
BREATH, LOOK_EVERY = 0.2, 3.0
"""Seconds between two events at least, and until one looks for what another application process has changed."""


@router.get("/projects/{project_id}/events", response_class=EventSourceResponse)
async def follow(project_id: int, request: Request) -> EventSourceResponse:
    """A “job” event with the job's state whenever it changes."""
    await anyio.to_thread.run_sync(_known, project_id)

    async def events() -> AsyncIterator[ServerSentEvent]:
        seen, news, loop = now() - timedelta(seconds=2), asyncio.Event(), asyncio.get_running_loop()
        with told(lambda: loop.call_soon_threadsafe(news.set)):
            while not await request.is_disconnected():
                news.clear()
                for moment, job in await anyio.to_thread.run_sync(_changed_jobs, project_id, seen):
                    seen = max(seen, moment)
                    yield ServerSentEvent(job.model_dump_json(), event="job", id=str(job.id))
                await asyncio.sleep(BREATH)
                with suppress(TimeoutError):
                    await asyncio.wait_for(news.wait(), LOOK_EVERY)

    return EventSourceResponse(events(), ping=15)


def _known(project_id: int) -> None:
    with session() as database:
        find_project(database, project_id)


def _changed_jobs(project_id: int, since: datetime) -> list[tuple[datetime, JobOut]]:
    with session() as database:
        rows = database.scalars(select(Job).where(Job.project_id == project_id, Job.updated > since).order_by(Job.updated)).all()
        return [(job.updated, job_view(database, job)) for job in rows]
