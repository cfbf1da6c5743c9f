"""Jobs as rows: made, looked at, cancelled, taken up again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from threading import Event
from typing import Any, NamedTuple

from sqlalchemy import case, delete, event, func, select, text, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from fenrain.core.errors import NotFoundError, TooManyError
from fenrain.settings import settings
from fenrain.store.current_person import current_person
from fenrain.store.tables import Job, JobItem, RunnerRow, now

OPEN, PAUSED = ("queued", "running"), "paused"
CONVERT, LOOK, SETTLE, CHECK, DELIVER = "convert", "look", "settle", "check", "deliver"
KIT, STAND_IN, WEB_VIEW, COMPARE = "kit", "stand-in", "web view", "compare"
REPORT = "report"
REHEARSE, REHEARSE_ON_ALL, ACT, UNDO = "rehearse", "rehearse on all", "act", "undo"
"""Kinds of work: convert, with figures; a first look under every rig; measuring on what that left near a limit; measuring one view; writing
for a target; writing a check kit, comparing what came back for it, the same of what the stand-in, or a web viewer, renders; writing a
report; finding what an act on many would change, of one material after the other or of all together, doing it, and taking it back."""
WAKE = Event()
"""Set when there is new work in this process's knowledge; another process's comes to light a little later."""
SILENT = 15
"""Seconds after which a process that says nothing is taken for dead."""
URGENCY = {CHECK: 0, CONVERT: 1, SETTLE: 3}
"""What goes before everything else, whatever job it belongs to: what a person has just changed and looks at; then what is quick and shows
something of all; and what goes last."""
BUNDLES = {CONVERT: 32, LOOK: 8, SETTLE: 8, REHEARSE: 8, ACT: 16, UNDO: 16}
"""How many materials one item holds of work that is the same for many."""
WEIGHTS = {CONVERT: 0.03, LOOK: 1.0, SETTLE: 0.5, REHEARSE: 0.2, ACT: 0.03, UNDO: 0.03}
"""How long a piece of work takes beside a first look, about; 1 where nothing is said."""
EACH = "each"
"""In the payload of a bundle: the ids of its materials; each piece gets its own as `material_id`."""


def submit(database: Session, project_id: int, kind: str, title: str, pieces: Sequence[tuple[str, dict[str, Any]]]) -> Job:
    """A job with an item for each piece, a kind of work with its payload; the runner takes it up by itself. Raises TooManyError where too
    many of one person's are open already."""
    _require_few(database)
    sizes = [len(payload.get(EACH, [0])) for _, payload in pieces]
    job = Job(project_id=project_id, kind=kind, title=title, state="queued" if pieces else "done", total=sum(sizes), result={})
    database.add(job)
    database.flush()
    rows = [
        {"job_id": job.id, "work": work, "payload": payload, "state": "pending", "size": size, "lease": 0}
        for (work, payload), size in zip(pieces, sizes, strict=True)
    ]
    if rows:
        database.execute(insert(JobItem), rows)
    _wake_dispatcher(database)
    return job


def bundle(work: str, material_ids: Sequence[int], payload: dict[str, Any]) -> list[tuple[str, dict[str, Any]]]:
    """The same work for many materials, in as few pieces for `submit` as serve."""
    most = BUNDLES[work]
    return [(work, {**payload, EACH: list(material_ids[begin : begin + most])}) for begin in range(0, len(material_ids), most)]


def _require_few(database: Session) -> None:
    most = settings().jobs_at_once
    if current_person() and (database.scalar(select(func.count()).where(Job.by == current_person(), Job.state.in_(OPEN))) or 0) >= most:
        raise TooManyError(f"{most} of your jobs are open already.", place="jobs", remedy="Wait until some are done, or cancel them.")


def _wake_dispatcher(database: Session) -> None:
    """Tell the runner of this process that there is work, once it can be seen."""
    event.listen(database, "after_commit", lambda _: WAKE.set(), once=True)


def find_job(database: Session, job_id: int, *, lock: bool = False) -> Job:
    """lock: whether others wait with it until the transaction ends. Raises NotFoundError."""
    job = database.get(Job, job_id, with_for_update=lock, populate_existing=lock)
    if job is None:
        raise NotFoundError("There is no such job.", place=f"jobs/{job_id}")
    return job


def pause(database: Session, job_id: int) -> Job:
    """Let a job rest: what is running is ended after the piece that it is at, the rest is not begun before it is resumed."""
    job = find_job(database, job_id)
    if job.state in OPEN:
        job.state, job.seconds_left, job.updated = PAUSED, None, now()
    return job


def first_payload(database: Session, job_id: int) -> dict[str, Any]:
    """That of a job's first item: what it says of the wish, all of them say. Raises NotFoundError for a job without items."""
    found = database.scalar(select(JobItem.payload).where(JobItem.job_id == job_id).order_by(JobItem.id).limit(1))
    if found is None:
        raise NotFoundError("There is nothing in this job.", place=f"jobs/{job_id}")
    return found


def cancel(database: Session, job_id: int) -> Job:
    """Stop a job: what is done stays, what is running is given up, the rest is not begun."""
    job = find_job(database, job_id)
    if job.state in (*OPEN, PAUSED):
        job.state, job.updated = "cancelled", now()
        database.execute(
            update(JobItem)
            .where(JobItem.job_id == job_id, JobItem.state.in_(("pending", "running")))
            .values(state="cancelled", runner=None, lease=NEXT_LEASE)
        )
        update_counts(database, job)
    return job


def resume(database: Session, job_id: int) -> Job:
    """Take up what a cancelled, failed or paused job left undone."""
    job = find_job(database, job_id)
    database.execute(
        update(JobItem)
        .where(JobItem.job_id == job_id, JobItem.state.in_(("cancelled", "failed")))
        .values(
            state="pending",
            attempts=0,
            error="",
            runner=None,
            lease=NEXT_LEASE,
            done=case((JobItem.failed > 0, 0), else_=JobItem.done),
            failed=0,
        )
    )
    job.state, job.begun, job.updated = "queued", None, now()
    update_counts(database, job)
    _wake_dispatcher(database)
    return job


NEXT_LEASE = JobItem.lease + 1
FREE = Job.state.in_(OPEN), JobItem.state == "pending", JobItem.runner.is_(None)
"""What holds of items that nobody has and that are to be done, for queries that join their jobs."""


class JobLease(NamedTuple):
    """An item that somebody has, by the number of their lease: once it is taken from them, an older number counts for nothing."""

    item_id: int
    number: int


def take_items(database: Session, runner: str, most: int) -> list[JobLease]:
    """Take items that nobody has, the most urgent first. Rows that another process is just taking are passed over (SKIP LOCKED), so that
    each is taken once, and nobody waits."""
    free = (
        select(JobItem.id, JobItem.lease)
        .join(Job)
        .where(*FREE)
        .order_by(case(URGENCY, value=JobItem.work, else_=1), Job.total, JobItem.id)
        .limit(most)
        .with_for_update(of=JobItem, skip_locked=True)
    )
    taken = [JobLease(row.id, row.lease + 1) for row in database.execute(free)]
    if taken:
        ids = [lease.item_id for lease in taken]
        database.execute(update(JobItem).where(JobItem.id.in_(ids)).values(runner=runner, lease=NEXT_LEASE))
    return taken


def has_free_items(database: Session) -> bool:
    """Whether there is something to take."""
    return database.scalar(select(JobItem.id).join(Job).where(*FREE).limit(1)) is not None


def release_items(database: Session, leases: Sequence[JobLease]) -> None:
    """Let others take what was taken, and is not to be done by whoever has it: what they say of it later counts no more."""
    for lease in leases:
        database.execute(
            update(JobItem)
            .where(JobItem.id == lease.item_id, JobItem.lease == lease.number, JobItem.state.in_(("pending", "running")))
            .values(state="pending", runner=None, lease=NEXT_LEASE)
        )


def leased_item(database: Session, lease: JobLease) -> JobItem | None:
    """The item, locked for the transaction; None where it is gone or somebody else's by now."""
    item = database.get(JobItem, lease.item_id, with_for_update=True, populate_existing=True)
    return item if item is not None and item.lease == lease.number else None


def current_lease(database: Session, item_id: int) -> JobLease:
    """The lease of whoever has an item, for who does it where they are asked to."""
    return JobLease(item_id, database.scalar(select(JobItem.lease).where(JobItem.id == item_id)) or 0)


def remaining_materials(item: JobItem) -> list[int]:
    """The materials of a bundle whose turn has not come yet, and the one that was at work."""
    each: list[int] = item.payload.get(EACH, [])
    return each[item.done + item.failed :]


def should_go_on(database: Session, lease: JobLease) -> bool:
    """Whether a bundle that is at work goes on with its next piece: not where it was taken away, where its job was stopped or paused, nor
    where something more urgent waits that nobody has."""
    own = JobItem.id == lease.item_id, JobItem.lease == lease.number
    found = database.execute(select(JobItem.state, Job.state, JobItem.work).join(Job).where(*own)).one_or_none()
    if found is None or found[0] != "running" or found[1] not in OPEN:
        return False
    urgent = select(JobItem.id).join(Job).where(*FREE)
    return URGENCY.get(found[2], 2) == 0 or database.scalar(urgent.where(JobItem.work == CHECK).limit(1)) is None


def record_heartbeat(database: Session, runner: str) -> None:
    """Say that an application process lives."""
    row = insert(RunnerRow).values(id=runner, seen=func.utc_timestamp(6))
    database.execute(row.on_duplicate_key_update(seen=func.utc_timestamp(6)))


def release_all(database: Session, runner: str) -> None:
    """Give back what a process has taken and not done, as it ends."""
    database.execute(delete(RunnerRow).where(RunnerRow.id == runner))
    release_lost_items(database)


def release_lost_items(database: Session) -> None:
    """Free what processes have taken that live no more: it is to be done again."""
    silent = RunnerRow.seen < func.date_sub(func.utc_timestamp(6), text(f"INTERVAL {SILENT} SECOND"))
    database.execute(delete(RunnerRow).where(silent))
    lost = JobItem.state.in_(("pending", "running")), JobItem.runner.is_not(None), JobItem.runner.not_in(select(RunnerRow.id))
    database.execute(update(JobItem).where(*lost).values(state="pending", runner=None, lease=NEXT_LEASE))
    without = JobItem.state == "running", JobItem.runner.is_(None)
    database.execute(update(JobItem).where(*without).values(state="pending", lease=NEXT_LEASE))


@dataclass(frozen=True)
class _Sum:
    """Pieces of a job's items that are of one kind of work and in one state."""

    state: str
    work: str
    size: int
    done: int
    failed: int


def update_counts(database: Session, job: Job) -> None:
    """Bring the job's counts and state in line with its items."""
    database.flush()
    sums = (func.sum(column) for column in (JobItem.size, JobItem.done, JobItem.failed))
    query = select(JobItem.state, JobItem.work, *sums).where(JobItem.job_id == job.id).group_by(JobItem.state, JobItem.work)
    found = [_Sum(row[0], row[1], int(row[2]), int(row[3]), int(row[4])) for row in database.execute(query)]
    done, failed, there = sum(one.done for one in found), sum(one.failed for one in found), {one.state for one in found}
    state = job.state
    if state in OPEN:
        finished = not there & {"pending", "running"}
        state = ("failed" if "failed" in there else "done") if finished else "running" if done or failed or "running" in there else "queued"
    if state == "running" and job.begun is None:
        job.begun = now()
    if (job.done, job.failed, job.state) != (done, failed, state):
        job.done, job.failed, job.state, job.updated = done, failed, state, now()
        job.seconds_left = _seconds_left(job.begun, found) if state == "running" else None


def _seconds_left(begun: datetime | None, found: Sequence[_Sum]) -> float | None:
    """About how long it will take yet, by what was done since it began; None while that tells nothing."""
    past = sum(WEIGHTS.get(one.work, 1.0) * (one.done + one.failed) for one in found)
    whole = sum(WEIGHTS.get(one.work, 1.0) * one.size for one in found)
    return None if begun is None or past <= 0 else (now() - begun).total_seconds() * (whole - past) / past
