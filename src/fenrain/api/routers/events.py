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

from fenrain.api.authentication import Asking
from fenrain.api.schemas.jobs import JobOut
from fenrain.api.views.jobs import job_view
from fenrain.jobs.job_events import notify_on_change
from fenrain.services.people import Identity, has_session
from fenrain.store.database import session
from fenrain.store.rows import find_project
from fenrain.store.tables import Job, now

router = APIRouter(tags=["events"])
BREATH, LOOK_EVERY = 0.2, 3.0
"""Seconds between two events at least, and until one looks for what another application process has changed."""


@router.get("/projects/{project_id}/events", response_class=EventSourceResponse)
async def follow(project_id: int, request: Request, known: Asking) -> EventSourceResponse:
    """A “job” event with the job's state whenever it changes, for as long as who asks is let in."""
    await anyio.to_thread.run_sync(_find_identity, project_id)

    async def events() -> AsyncIterator[ServerSentEvent]:
        seen, news, loop = now() - timedelta(seconds=2), asyncio.Event(), asyncio.get_running_loop()
        with notify_on_change(lambda: loop.call_soon_threadsafe(news.set)):
            while not await request.is_disconnected():
                news.clear()
                changed = await anyio.to_thread.run_sync(_changed_jobs, project_id, seen, known)
                if changed is None:
                    return
                for moment, job in changed:
                    seen = max(seen, moment)
                    yield ServerSentEvent(job.model_dump_json(), event="job", id=str(job.id))
                await asyncio.sleep(BREATH)
                with suppress(TimeoutError):
                    await asyncio.wait_for(news.wait(), LOOK_EVERY)

    return EventSourceResponse(events(), ping=15)


def _find_identity(project_id: int) -> None:
    with session() as database:
        find_project(database, project_id)


def _changed_jobs(project_id: int, since: datetime, known: Identity) -> list[tuple[datetime, JobOut]] | None:
    """None for whoever is not let in any more."""
    with session() as database:
        if not has_session(database, known):
            return None
        rows = database.scalars(select(Job).where(Job.project_id == project_id, Job.updated > since).order_by(Job.updated)).all()
        return [(job.updated, job_view(database, job)) for job in rows]
