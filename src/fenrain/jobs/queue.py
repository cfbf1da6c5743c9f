"""Jobs as rows: made, looked at, cancelled, taken up again."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from fenrain.core.errors import NotFoundError
from fenrain.store.tables import Job, JobItem, now

OPEN = ("queued", "running")
CONVERT, LOOK, SETTLE, CHECK, DELIVER = "convert", "look", "settle", "check", "deliver"
KIT, STAND_IN, WEB_VIEW, COMPARE = "kit", "stand-in", "web view", "compare"
REPORT = "report"
"""Kinds of work: convert, with figures; a first look under every rig; measuring on what that left near a limit; measuring one view; writing
for a target; writing a check kit, comparing what came back for it, the same of what the stand-in, or the web viewer,
renders."""
URGENCY = {CONVERT: 0, SETTLE: 2}
"""What goes before everything else, whatever job it belongs to, since it is quick and shows something of all; and what goes last."""


def submit(database: Session, project_id: int, kind: str, title: str, pieces: Sequence[tuple[str, dict[str, Any]]]) -> Job:
    """A job with an item for each piece, a kind of work with its payload; the runner takes it up by itself."""
    job = Job(project_id=project_id, kind=kind, title=title, state="queued" if pieces else "done", total=len(pieces), result={})
    job.items = [JobItem(work=work, payload=payload, state="pending") for work, payload in pieces]
    database.add(job)
    database.flush()
    return job


def find_job(database: Session, job_id: int) -> Job:
    """Raises NotFoundError."""
    job = database.get(Job, job_id)
    if job is None:
        raise NotFoundError("There is no such job.", place=f"jobs/{job_id}")
    return job


def cancel(database: Session, job_id: int) -> Job:
    """Stop a job: what is done stays, what is running is given up, the rest is not begun."""
    job = find_job(database, job_id)
    if job.state in OPEN:
        job.state, job.updated = "cancelled", now()
        database.execute(
            update(JobItem).where(JobItem.job_id == job_id, JobItem.state.in_(("pending", "running"))).values(state="cancelled")
        )
        count(database, job)
    return job


def resume(database: Session, job_id: int) -> Job:
    """Take up what a cancelled or failed job left undone."""
    job = find_job(database, job_id)
    database.execute(
        update(JobItem)
        .where(JobItem.job_id == job_id, JobItem.state.in_(("cancelled", "failed")))
        .values(state="pending", attempts=0, error="")
    )
    job.state, job.updated = "queued", now()
    count(database, job)
    return job


def recover(database: Session) -> None:
    """After a crash: items that were running when it came are to be done again."""
    open_jobs = select(Job.id).where(Job.state.in_(OPEN))
    database.execute(update(JobItem).where(JobItem.job_id.in_(open_jobs), JobItem.state == "running").values(state="pending"))


def count(database: Session, job: Job) -> None:
    """Bring the job's counts and state in line with its items."""
    database.flush()
    counts = dict(database.execute(select(JobItem.state, func.count()).where(JobItem.job_id == job.id).group_by(JobItem.state)).all())
    done, failed = counts.get("done", 0), counts.get("failed", 0)
    state = job.state
    if state in OPEN:
        finished = done + failed + counts.get("cancelled", 0) >= job.total
        state = ("failed" if failed else "done") if finished else "running" if done or failed or counts.get("running") else "queued"
    if (job.done, job.failed, job.state) != (done, failed, state):
        job.done, job.failed, job.state, job.updated = done, failed, state, now()
