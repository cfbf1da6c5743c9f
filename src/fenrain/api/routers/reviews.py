"""Reviews, and reports of how things stand."""

import mimetypes

from fastapi import APIRouter
from fastapi.responses import FileResponse

from fenrain.api.authentication import SUPERVISES, TAKES_AWAY, Asking
from fenrain.api.routers.conversions import Expected
from fenrain.api.schemas.jobs import JobOut
from fenrain.api.schemas.reviews import AcceptAllIn, AcceptedOut, ReportIn, ReviewIn
from fenrain.api.selection import selected_ids
from fenrain.api.views.jobs import job_view
from fenrain.core.errors import NotAllowedError, NotFoundError
from fenrain.jobs.plans import plan_report
from fenrain.jobs.queue import find_job
from fenrain.services import reviews
from fenrain.services.people import Role
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.documents.reviews import ACCEPTED, ReviewDocument

router = APIRouter(tags=["review"])


@router.post("/conversions/{conversion_id}/reviews", status_code=201)
def review(conversion_id: int, body: ReviewIn, expected: Expected, asking: Asking) -> ReviewDocument:
    """Accept a conversion as it was seen, which takes a supervisor, send it back with a note, or open it again. What was said before is
    kept."""
    if body.state == ACCEPTED and not asking.role.covers(Role.SUPERVISOR):
        raise NotAllowedError("Only supervisors accept a look.", place=asking.name, remedy="Ask one of them to look at it.")
    with session() as database:
        return reviews.add_review(database, conversion_id, body.state, body.note, body.place, expected=expected)


@router.get("/conversions/{conversion_id}/reviews")
def list_reviews(conversion_id: int) -> list[ReviewDocument]:
    """All that was said of a conversion, newest first; what stands today is the first one's."""
    with session() as database:
        return reviews.list_reviews(database, conversion_id)


@router.post("/projects/{project_id}/reviews", openapi_extra=SUPERVISES)
def accept_all(project_id: int, body: AcceptAllIn) -> AcceptedOut:
    """Accept all that wait, match on every rig of the project, and lose nothing."""
    with session() as database:
        count = reviews.accept_all(database, project_id, body.target, body.profile)
        return AcceptedOut(count=count, rule=reviews.MATCHES_AND_LOSES_NOTHING)


@router.post("/projects/{project_id}/reports", status_code=202)
def make_report(project_id: int, body: ReportIn) -> JobOut:
    """Write a report of conversions as they stand, as a job."""
    with session() as database:
        chosen = selected_ids(database, project_id, body.target, body.profile, body)
        return job_view(database, plan_report(database, project_id, chosen, body.target, body.profile, body.kind))


@router.get("/jobs/{job_id}/report", response_class=FileResponse, openapi_extra=TAKES_AWAY)
def download_report(job_id: int) -> FileResponse:
    """The report that a job wrote."""
    with session() as database:
        result = find_job(database, job_id).result or {}
    if "report" not in result:
        raise NotFoundError("This job has written no report.", place=f"jobs/{job_id}", remedy="Wait until it is done.")
    kind = mimetypes.guess_type(result["name"])[0] or "application/octet-stream"
    return FileResponse(blobs.path_of(result["report"]), media_type=kind, filename=result["name"])
