"""Taking files in."""

import shutil
import tempfile
from pathlib import Path

from fastapi import APIRouter, UploadFile

from fenrain.api.schemas import AcceptIn, DialectChoiceIn, IntakeOut, JobOut
from fenrain.api.views import intake_view, job_view
from fenrain.core.errors import InputError, StorageError, TooLargeError
from fenrain.jobs.plans import plan_conversion
from fenrain.settings import settings
from fenrain.store.database import session
from fenrain.store.intakes import accept, choose_dialect, find_intake, inside, take_in
from fenrain.store.materials import find_project

router = APIRouter(tags=["intakes"])
CHUNK = 1 << 20


@router.post("/projects/{project_id}/intakes", status_code=201)
def hand_in(project_id: int, files: list[UploadFile]) -> IntakeOut:
    """Hand in material files with their maps, or a zip of them. Says what was found; nothing enters the board yet."""
    if not any(file.filename for file in files):
        raise InputError("No file was handed in.", place="files", remedy="Choose at least one material file.")
    with tempfile.TemporaryDirectory(prefix="fenrain-upload-") as scratch:
        _lay_down(files, Path(scratch))
        with session() as database:
            find_project(database, project_id)
            return intake_view(take_in(database, project_id, Path(scratch)))


@router.get("/intakes/{intake_id}")
def show_intake(intake_id: int) -> IntakeOut:
    with session() as database:
        return intake_view(find_intake(database, intake_id))


@router.put("/intakes/{intake_id}/dialect")
def read_by_dialect(intake_id: int, body: DialectChoiceIn) -> IntakeOut:
    """Read a parameter sheet anew, by another dialect."""
    with session() as database:
        return intake_view(choose_dialect(database, intake_id, body.file, body.dialect))


@router.post("/intakes/{intake_id}/accept", status_code=202)
def accept_intake(intake_id: int, body: AcceptIn) -> JobOut:
    """Let found materials enter the board; they are converted and checked as a job."""
    with session() as database:
        intake = find_intake(database, intake_id)
        rows = accept(database, intake_id, body.positions)
        return job_view(database, plan_conversion(database, intake.project_id, [row.id for row in rows], body.target, body.profile))


def _lay_down(files: list[UploadFile], folder: Path) -> None:
    room = settings().largest_upload
    try:
        for file in files:
            target = inside(folder, file.filename or "unnamed")
            target.parent.mkdir(parents=True, exist_ok=True)
            room -= file.size or 0
            if room < 0:
                raise TooLargeError("The upload is too large.", place=file.filename or "", remedy="Hand in fewer files at once.")
            with target.open("wb") as stream:
                shutil.copyfileobj(file.file, stream, CHUNK)
    except OSError as reason:
        raise StorageError(
            f"The upload could not be kept ({reason.strerror}).",
            place=str(reason.filename or ""),
            remedy="Check that the disk is not full.",
        ) from reason
