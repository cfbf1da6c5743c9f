"""Taking files in."""

import tempfile
from pathlib import Path

from fastapi import APIRouter, UploadFile

from fenrain.api.schemas import AcceptIn, DialectChoiceIn, IntakeOut, JobOut
from fenrain.api.uploads import lay_down
from fenrain.api.views import intake_view, job_view
from fenrain.core.errors import InputError
from fenrain.jobs.plans import plan_conversion
from fenrain.services import at_desk as desk_work
from fenrain.services.desk import at_desk
from fenrain.store.database import session
from fenrain.store.rows import find_intake, find_project

router = APIRouter(tags=["intakes"])


@router.post("/projects/{project_id}/intakes", status_code=201)
def hand_in(project_id: int, files: list[UploadFile]) -> IntakeOut:
    """Hand in material files with their maps, or a zip of them. Says what was found; nothing enters the board yet."""
    if not any(file.filename for file in files):
        raise InputError("No file was handed in.", place="files", remedy="Choose at least one material file.")
    with session() as database:
        find_project(database, project_id)
    with tempfile.TemporaryDirectory(prefix="fenrain-upload-") as scratch:
        lay_down(files, Path(scratch))
        return show_intake(at_desk(desk_work.hand_in, project_id, scratch))


@router.get("/intakes/{intake_id}")
def show_intake(intake_id: int) -> IntakeOut:
    with session() as database:
        return intake_view(find_intake(database, intake_id))


@router.put("/intakes/{intake_id}/dialect")
def read_by_dialect(intake_id: int, body: DialectChoiceIn) -> IntakeOut:
    """Read a parameter sheet anew, by another dialect."""
    at_desk(desk_work.read_by_dialect, intake_id, body.file, body.dialect)
    return show_intake(intake_id)


@router.post("/intakes/{intake_id}/accept", status_code=202)
def accept_intake(intake_id: int, body: AcceptIn) -> JobOut:
    """Let found materials enter the board; they are converted and checked as a job."""
    materials = at_desk(desk_work.let_in, intake_id, body.positions)
    with session() as database:
        project_id = find_intake(database, intake_id).project_id
        return job_view(database, plan_conversion(database, project_id, materials, body.target, body.profile))
