"""Writing files for a target, and handing files out."""

from fastapi import APIRouter
from fastapi.responses import FileResponse

from fenrain.api.authentication import LOOKS_ONLY, TAKES_AWAY
from fenrain.api.schemas.deliveries import DeliveryDifferenceOut, DeliveryIn, PlanIn, PlanOut
from fenrain.api.schemas.jobs import JobOut
from fenrain.api.selection import find_target, required_ids, selected_ids
from fenrain.api.views.jobs import job_view
from fenrain.jobs.plans import plan_delivery
from fenrain.jobs.queue import find_job
from fenrain.services.deliveries import compare_deliveries, find_archive, plan_contents
from fenrain.store import blobs
from fenrain.store.database import session

PNG = b"\x89PNG"
router = APIRouter(tags=["deliveries"])


@router.post("/projects/{project_id}/deliveries", status_code=202)
def deliver(project_id: int, body: DeliveryIn) -> JobOut:
    """Write materials with their maps, as a job; its result is one archive."""
    with session() as database:
        chosen = required_ids(database, project_id, body.target, body.profile, body)
        return job_view(database, plan_delivery(database, project_id, chosen, body.target, body.profile, to_folder=body.to_folder))


@router.post("/projects/{project_id}/deliveries/plan", openapi_extra=LOOKS_ONLY)
def plan(project_id: int, body: PlanIn) -> PlanOut:
    """What a delivery would hold and cost, what is lost in it, and what would make it cheaper; nothing is written."""
    with session() as database:
        chosen = selected_ids(database, project_id, body.target, body.profile, body)
        target = find_target(database, project_id, body.target, body.profile)
        return PlanOut.model_validate(plan_contents(database, project_id, chosen, target))


@router.get("/jobs/{job_id}/archive", response_class=FileResponse, openapi_extra=TAKES_AWAY)
def download(job_id: int) -> FileResponse:
    """The archive that a delivery wrote."""
    with session() as database:
        archive = find_archive(database, job_id)
        name = find_job(database, job_id).result.get("name", f"delivery_{job_id}")
    return FileResponse(blobs.path_of(archive), media_type="application/zip", filename=f"{name}.zip")


@router.get("/jobs/{job_id}/archive/since/{earlier_id}")
def compare(job_id: int, earlier_id: int) -> DeliveryDifferenceOut:
    """What a delivery holds otherwise than an earlier one."""
    with session() as database:
        return DeliveryDifferenceOut.model_validate(compare_deliveries(database, earlier_id, job_id), from_attributes=True)


@router.get("/files/{digest}", response_class=FileResponse)
def show_file(digest: str) -> FileResponse:
    """A picture by its digest, as PNG or in linear light. It never changes, so it may be kept for ever."""
    path = blobs.path_of(digest)
    with path.open("rb") as stream:
        kind = "image/png" if stream.read(len(PNG)) == PNG else "application/octet-stream"
    return FileResponse(path, media_type=kind, headers={"Cache-Control": "private, max-age=31536000, immutable"})
