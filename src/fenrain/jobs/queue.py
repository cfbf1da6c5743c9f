"""Jobs as rows: made, looked at, cancelled, taken up again."""

from __future__ import annotations

from collections.abc import Sequence
from threading import Event
from typing import Any

from sqlalchemy import case, delete, event, func, select, text, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from fenrain.core.errors import NotFoundError
from fenrain.store.tables import Job, JobItem, RunnerRow, now

OPEN = ("queued", "running")
CONVERT, LOOK, SETTLE, CHECK, DELIVER = "convert", "look", "settle", "check", "deliver"
KIT, STAND_IN, WEB_VIEW, COMPARE = "kit", "stand-in", "web view", "compare"
REPORT = "report"
"""Kinds of work: convert, with figures; a first look under every rig; measuring on what that left near a limit; measuring one view; writing
for a target; writing a check kit, comparing what came back for it, the same of what the stand-in, or a web viewer, renders; writing a
report."""
WAKE = Event()
"""Set when there is new work in this process's knowledge; another process's comes to light a little later."""
SILENT = 15
"""Seconds after which a process that says nothing is taken for dead."""
URGENCY = {CONVERT: 0, SETTLE: 2}
"""What goes before everything else, whatever job it belongs to, since it is quick and shows something of all; and what goes last."""


def submit(database: Session, project_id: int, kind: str, title: str, pieces: Sequence[tuple[str, dict[str, Any]]]) -> Job:
    """A job with an item for each piece, a kind of work with its payload; the runner takes it up by itself."""
    job = Job(project_id=project_id, kind=kind, title=title, state="queued" if pieces else "done", total=len(pieces), result={})
    job.items = [JobItem(work=work, payload=payload, state="pending") for work, payload in pieces]
    database.add(job)
    database.flush()
    _waken(database)
    return job


def _waken(database: Session) -> None:
    """Tell the runner of this process that there is work, once it can be seen."""
    event.listen(database, "after_commit", lambda _: WAKE.set(), once=True)


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
        .values(state="pending", attempts=0, error="", runner=None)
    )
    job.state, job.updated = "queued", now()
    count(database, job)
    _waken(database)
    return job


def take(database: Session, runner: str, most: int) -> list[tuple[int, str]]:
    """Take items that nobody has, the most urgent first: their ids and kinds of work. Rows that another process is just taking are passed
    over (SKIP LOCKED), so that each is taken once, and nobody waits."""
    free = (
        select(JobItem.id, JobItem.work)
        .join(Job)
        .where(Job.state.in_(OPEN), JobItem.state == "pending", JobItem.runner.is_(None))
        .order_by(case(URGENCY, value=JobItem.work, else_=1), Job.total, JobItem.id)
        .limit(most)
        .with_for_update(of=JobItem, skip_locked=True)
    )
    taken = [(found.id, found.work) for found in database.execute(free)]
    if taken:
        database.execute(update(JobItem).where(JobItem.id.in_([number for number, _ in taken])).values(runner=runner))
    return taken


def give_back(database: Session, item_ids: Sequence[int]) -> None:
    """Let others take items that were taken and not begun."""
    if item_ids:
        database.execute(update(JobItem).where(JobItem.id.in_(item_ids), JobItem.state == "pending").values(runner=None))


def beat(database: Session, runner: str) -> None:
    """Say that an application process lives."""
    row = insert(RunnerRow).values(id=runner, seen=func.utc_timestamp(6))
    database.execute(row.on_duplicate_key_update(seen=func.utc_timestamp(6)))


def leave(database: Session, runner: str) -> None:
    """Give back what a process has taken and not done, as it ends."""
    database.execute(delete(RunnerRow).where(RunnerRow.id == runner))
    recover(database)


def recover(database: Session) -> None:
    """Free what processes have taken that live no more: it is to be done again."""
    silent = RunnerRow.seen < func.date_sub(func.utc_timestamp(6), text(f"INTERVAL {SILENT} SECOND"))
    database.execute(delete(RunnerRow).where(silent))
    lost = JobItem.state.in_(("pending", "running")), JobItem.runner.is_not(None), JobItem.runner.not_in(select(RunnerRow.id))
    database.execute(update(JobItem).where(*lost).values(state="pending", runner=None))
    without = JobItem.state == "running", JobItem.runner.is_(None)
    database.execute(update(JobItem).where(*without).values(state="pending"))


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
