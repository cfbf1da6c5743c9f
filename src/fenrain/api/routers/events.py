"""Progress as server-sent events."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import suppress
from datetime import datetime, timedelta
from typing import Annotated

import anyio
import anyio.to_thread
from fastapi import APIRouter, Header, Request
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
OVERLAP = timedelta(seconds=2)
"""How long after its moment a change may come to light: it is seen once its transaction is done."""
BREATH, LOOK_EVERY = 0.2, 3.0
"""Seconds between two events at least, and until one looks for what another application process has changed."""


@router.get("/projects/{project_id}/events", response_class=EventSourceResponse)
async def follow(
    project_id: int, request: Request, known: Asking, last_event_id: Annotated[str | None, Header()] = None
) -> EventSourceResponse:
    """A “job” event with the job's state whenever it changes, for as long as who asks is let in. Whoever comes back and says which event
    was the last one is told all that has changed since; an event's id is its moment."""
    await anyio.to_thread.run_sync(_find_identity, project_id)

    async def events() -> AsyncIterator[ServerSentEvent]:
        seen, news, loop = _moment_of(last_event_id), asyncio.Event(), asyncio.get_running_loop()
        sent: dict[int, datetime] = {}
        yield ServerSentEvent("", event="begun", id=seen.isoformat())
        with notify_on_change(lambda: loop.call_soon_threadsafe(news.set)):
            while not await request.is_disconnected():
                news.clear()
                changed = await anyio.to_thread.run_sync(_changed_jobs, project_id, seen - OVERLAP, known)
                if changed is None:
                    return
                for moment, job in changed:
                    if sent.get(job.id) != moment:
                        seen, sent[job.id] = max(seen, moment), moment
                        yield ServerSentEvent(job.model_dump_json(), event="job", id=seen.isoformat())
                await asyncio.sleep(BREATH)
                with suppress(TimeoutError):
                    await asyncio.wait_for(news.wait(), LOOK_EVERY)

    return EventSourceResponse(events(), ping=15)


def _moment_of(last_event_id: str | None) -> datetime:
    """That of the last event that somebody saw; now where nobody says."""
    try:
        said = datetime.fromisoformat(last_event_id or "")
    except ValueError:
        return now()
    return min(said, now()) if said.tzinfo is None else now()


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
