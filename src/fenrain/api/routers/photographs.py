"""Photographs of a project, and colours picked from them."""

import tempfile
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Query, UploadFile
from fastapi.responses import FileResponse

from fenrain.api.authentication import LOOKS_ONLY
from fenrain.api.schemas.photographs import PhotographOut, PickedOut, PickIn
from fenrain.api.uploads import save_uploads
from fenrain.services import photographs
from fenrain.services.photographs import PHOTOGRAPH, PickRequest, find_photograph
from fenrain.services.surroundings import list_own
from fenrain.services.worker_process import read_in_worker_process, run_in_worker_process
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.rows import find_project

router = APIRouter(tags=["photographs"])


@router.get("/projects/{project_id}/photographs")
def list_photographs(project_id: int) -> list[PhotographOut]:
    """Photographs that were uploaded to a project, oldest first."""
    with session() as database:
        find_project(database, project_id)
        return [PhotographOut(id=row.key, title=row.name, says=row.says) for row in list_own(database, project_id, PHOTOGRAPH)]


@router.post("/projects/{project_id}/photographs", status_code=201)
def hand_in_photograph(project_id: int, file: UploadFile) -> PhotographOut:
    """Upload a photograph (JPEG, PNG, TIFF, OpenEXR), to look at beside a render."""
    with tempfile.TemporaryDirectory(prefix="fenrain-upload-") as scratch:
        (path,) = save_uploads([file], Path(scratch))
        key = read_in_worker_process(photographs.hand_in_photograph, project_id, str(path), path.name)
    with session() as database:
        row = find_photograph(database, project_id, key)
        return PhotographOut(id=row.key, title=row.name, says=row.says)


@router.delete("/projects/{project_id}/photographs/{key}", status_code=204)
def forget_photograph(project_id: int, key: str) -> None:
    """Take a photograph out of the project."""
    with session() as database:
        database.delete(find_photograph(database, project_id, key))


@router.get("/projects/{project_id}/photographs/{key}/picture", response_class=FileResponse)
def show_photograph(project_id: int, key: str, space: Annotated[str, Query(max_length=80)] = "") -> FileResponse:
    """The photograph as a display shows it, no larger than a page has room for."""
    return FileResponse(blobs.path_of(run_in_worker_process(photographs.show_photograph, project_id, key, space)), media_type="image/png")


@router.post("/projects/{project_id}/photographs/{key}/pick", openapi_extra=LOOKS_ONLY)
def pick_colour(project_id: int, key: str, body: PickIn) -> PickedOut:
    """The mean colour of an area, once a grey or a chart in the photograph has set exposure and white. It judges by eye, not by number."""
    grey = (*body.grey, body.reflectance) if body.grey is not None else None
    found, balanced = run_in_worker_process(photographs.pick_colour, project_id, key, PickRequest(*body.area, body.space, grey, body.chart))
    return PickedOut(
        colour=found.colour,
        spread=found.spread,
        clipped=found.clipped,
        pixels=found.pixels,
        space=found.space,
        exposure=balanced.exposure if balanced is not None else None,
        off=balanced.off if balanced is not None else None,
    )
