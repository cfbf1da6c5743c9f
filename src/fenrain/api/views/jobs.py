"""Jobs, as they go over the wire."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.api.schemas.jobs import JobOut
from fenrain.store.tables import Job, JobItem

MOST_ERRORS_SHOWN = 20


def job_view(database: Session, job: Job) -> JobOut:
    errors = database.scalars(select(JobItem.error).where(JobItem.job_id == job.id, JobItem.error != "").limit(MOST_ERRORS_SHOWN)).all()
    result = job.result or {}
    columns = {name: getattr(job, name) for name in JobOut.model_fields if hasattr(job, name)}
    written = {name: result.get(name, empty) for name, empty in (("archive", None), ("folder", ""), ("files", []), ("validations", []))}
    written["report"] = result.get("name") if "report" in result else None
    return JobOut.model_validate({**columns, **written, "errors": list(errors)})


def recent_jobs(database: Session, project_id: int, most: int = 50) -> list[JobOut]:
    rows = database.scalars(select(Job).where(Job.project_id == project_id).order_by(Job.id.desc()).limit(most))
    return [job_view(database, job) for job in rows]
