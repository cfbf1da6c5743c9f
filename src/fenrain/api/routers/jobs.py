"""Jobs."""

from fastapi import APIRouter

from fenrain.api.schemas.jobs import JobOut
from fenrain.api.views.jobs import job_view, recent_jobs
from fenrain.jobs.queue import cancel, find_job, pause, resume
from fenrain.store.database import session
from fenrain.store.rows import find_project

router = APIRouter(tags=["jobs"])


@router.get("/projects/{project_id}/jobs")
def list_jobs(project_id: int) -> list[JobOut]:
    """The newest jobs first."""
    with session() as database:
        find_project(database, project_id)
        return recent_jobs(database, project_id)


@router.get("/jobs/{job_id}")
def show_job(job_id: int) -> JobOut:
    with session() as database:
        return job_view(database, find_job(database, job_id))


@router.post("/jobs/{job_id}/cancel")
def cancel_job(job_id: int) -> JobOut:
    """Stop a job; what is done stays."""
    with session() as database:
        return job_view(database, cancel(database, job_id))


@router.post("/jobs/{job_id}/pause")
def pause_job(job_id: int) -> JobOut:
    """Let a job rest until it is resumed; what is running is ended after the piece that it is at."""
    with session() as database:
        return job_view(database, pause(database, job_id))


@router.post("/jobs/{job_id}/resume")
def resume_job(job_id: int) -> JobOut:
    """Take up what a cancelled, failed or paused job left undone."""
    with session() as database:
        return job_view(database, resume(database, job_id))
