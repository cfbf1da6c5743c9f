"""Taking files in."""

import tempfile
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Query, UploadFile

from fenrain.api.guards import ManyFiles
from fenrain.api.schemas.intakes import (
    AcceptIn,
    DialectChoiceIn,
    DialectFit,
    Doubts,
    FoundOut,
    IntakeOut,
    MarkTakenIn,
    NamesakeIn,
    SearchIn,
    SheetFitOut,
    UnitIn,
)
from fenrain.api.schemas.jobs import JobOut
from fenrain.api.uploads import save_uploads
from fenrain.api.views.intakes import found_view, intake_view
from fenrain.api.views.jobs import job_view
from fenrain.core.corrections import Correction
from fenrain.core.errors import InputError
from fenrain.jobs.plans import plan_conversion
from fenrain.services import worker_tasks
from fenrain.services.found_materials import FoundQuery, get_found_page
from fenrain.services.intakes import discard_intake, find_open_intake, set_taken
from fenrain.services.worker_process import read_in_worker_process
from fenrain.store.database import session
from fenrain.store.rows import find_intake, find_project

router = APIRouter(tags=["intakes"], route_class=ManyFiles)
MOST_FOUND = 500


@router.post("/projects/{project_id}/intakes", status_code=201)
def hand_in(project_id: int, files: list[UploadFile]) -> IntakeOut:
    """Upload material files with their maps, or a zip of them. Says what was found; nothing enters the board yet."""
    if not any(file.filename for file in files):
        raise InputError("No file was uploaded.", place="files", remedy="Choose at least one material file.")
    with session() as database:
        find_project(database, project_id)
    with tempfile.TemporaryDirectory(prefix="fenrain-upload-") as scratch:
        save_uploads(files, Path(scratch))
        return show_intake(read_in_worker_process(worker_tasks.create_intake_from, project_id, scratch))


@router.get("/intakes/{intake_id}")
def show_intake(intake_id: int) -> IntakeOut:
    with session() as database:
        return intake_view(database, find_intake(database, intake_id))


@router.get("/intakes/{intake_id}/found")
def show_found(
    intake_id: int,
    find: Annotated[str, Query(max_length=400)] = "",
    file: Annotated[str, Query(max_length=400)] = "",
    model: Annotated[str, Query(max_length=40)] = "",
    doubts: Doubts = "",
    offset: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
    most: Annotated[int, Query(ge=0, le=MOST_FOUND)] = 50,
) -> FoundOut:
    """A part of what was found, a row a material."""
    with session() as database:
        sought = FoundQuery(find, file, model, doubts)
        return found_view(*get_found_page(database, find_intake(database, intake_id).id, sought, offset=offset, most=most))


@router.put("/intakes/{intake_id}/taken")
def take(intake_id: int, body: MarkTakenIn) -> IntakeOut:
    """Say of some of the found materials, or of all that pass a filter, whether they enter the board."""
    with session() as database:
        positions = None if body.positions is None else tuple(body.positions)
        set_taken(database, intake_id, FoundQuery(body.find, body.file, body.model, body.doubts, positions), taken=body.taken)
    return show_intake(intake_id)


@router.get("/projects/{project_id}/intakes/open")
def show_open_intake(project_id: int) -> IntakeOut | None:
    """The newest intake whose materials have not entered the board, so that it is there again when somebody comes back."""
    with session() as database:
        found = find_open_intake(database, find_project(database, project_id).id)
        return None if found is None else intake_view(database, found)


@router.post("/intakes/{intake_id}/files")
def add_files(intake_id: int, files: list[UploadFile]) -> IntakeOut:
    """Upload more files, such as a map that was missing; all are read again together."""
    with tempfile.TemporaryDirectory(prefix="fenrain-upload-") as scratch:
        save_uploads(files, Path(scratch))
        read_in_worker_process(worker_tasks.add_files, intake_id, scratch)
    return show_intake(intake_id)


@router.put("/intakes/{intake_id}/unit")
def count_in(intake_id: int, body: UnitIn) -> IntakeOut:
    """Say how many metres the unit of length is, for files that state none."""
    read_in_worker_process(worker_tasks.choose_unit, intake_id, body.metres)
    return show_intake(intake_id)


@router.post("/intakes/{intake_id}/found/{position}/corrections")
def correct(intake_id: int, position: int, body: Correction) -> IntakeOut:
    """Correct how a value is read (its polarity, encoding, channel, scale or power), or which model a material is of. The file is not
    changed."""
    read_in_worker_process(worker_tasks.correct, intake_id, position, body)
    return show_intake(intake_id)


@router.delete("/intakes/{intake_id}/found/{position}/corrections")
def take_back(intake_id: int, position: int) -> IntakeOut:
    """Forget every correction of a found material."""
    read_in_worker_process(worker_tasks.remove_corrections, intake_id, position)
    return show_intake(intake_id)


@router.put("/intakes/{intake_id}/namesake")
def choose_namesake(intake_id: int, body: NamesakeIn) -> IntakeOut:
    """Say which of several files of one name is meant."""
    read_in_worker_process(worker_tasks.choose_namesake, intake_id, body.name, body.path)
    return show_intake(intake_id)


@router.post("/intakes/{intake_id}/search")
def search(intake_id: int, body: SearchIn) -> IntakeOut:
    """Look for the files that are missing below a folder of the server."""
    read_in_worker_process(worker_tasks.search, intake_id, body.folder)
    return show_intake(intake_id)


@router.delete("/intakes/{intake_id}", status_code=204)
def forget(intake_id: int) -> None:
    """Put an intake aside that has not entered the board."""
    with session() as database:
        discard_intake(database, intake_id)


@router.put("/intakes/{intake_id}/dialect")
def read_by_dialect(intake_id: int, body: DialectChoiceIn) -> IntakeOut:
    """Read a parameter sheet again, by another dialect."""
    read_in_worker_process(worker_tasks.choose_sheet_dialect, intake_id, body.file, body.dialect)
    return show_intake(intake_id)


@router.get("/intakes/{intake_id}/sheet")
def fit_sheet(intake_id: int, file: str) -> SheetFitOut:
    """How well each known dialect fits a parameter sheet of an intake, and a first draft of a dialect of its own."""
    found = read_in_worker_process(worker_tasks.fit_sheet, intake_id, file)
    return SheetFitOut(
        fits=[
            DialectFit(
                id=one.dialect.id,
                name=one.dialect.name,
                recognised=one.recognised,
                columns=one.columns,
                misspelt={column: meant for column, meant in one.strangers.items() if meant},
                unknown=[column for column, meant in one.strangers.items() if not meant],
                confidence=one.confidence,
            )
            for one in found.guesses
        ],
        rows=found.rows,
        draft=found.draft,
    )


@router.post("/intakes/{intake_id}/accept", status_code=202)
def accept_intake(intake_id: int, body: AcceptIn) -> JobOut:
    """Let found materials enter the board; they are converted and checked as a job."""
    materials = read_in_worker_process(worker_tasks.accept_found_materials, intake_id, body.positions)
    with session() as database:
        project_id = find_intake(database, intake_id).project_id
        return job_view(database, plan_conversion(database, project_id, materials, body.target, body.profile))
