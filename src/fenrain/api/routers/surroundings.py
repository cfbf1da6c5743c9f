"""By what materials are looked at: rigs and stands, those that people upload with them."""

import tempfile
from pathlib import Path

from fastapi import APIRouter, UploadFile

from fenrain.api.authentication import SUPERVISES
from fenrain.api.schemas.board import ProjectOut
from fenrain.api.schemas.surroundings import RigOut, RigsIn, StandOut, SurroundingsOut
from fenrain.api.uploads import save_uploads
from fenrain.api.views.projects import project_view
from fenrain.api.views.surroundings import asset_view, own_rig_view, own_stand_view, rig_view, stand_view
from fenrain.core.rendering.rigs.registry import rigs
from fenrain.core.rendering.stands.registry import stands
from fenrain.services import worker_tasks
from fenrain.services.surroundings import RIG, STAND, choose_rigs, list_own, remove_surroundings
from fenrain.services.worker_process import read_in_worker_process
from fenrain.store.database import session
from fenrain.store.rows import find_project
from fenrain.store.tables import Surroundings

router = APIRouter(tags=["surroundings"])


@router.get("/rigs")
def list_rigs(project_id: int | None = None) -> list[RigOut]:
    """Every light rig, with those that were uploaded to a project."""
    shipped = [rig_view(rig) for rig in rigs().values()]
    return shipped + [own_rig_view(row) for row in _own(project_id, RIG)]


@router.get("/stands")
def list_stands(project_id: int | None = None) -> list[StandOut]:
    """Every stand, with the meshes that were uploaded to a project."""
    shipped = [stand_view(stand) for stand in stands().values()]
    return shipped + [asset_view()] + [own_stand_view(row) for row in _own(project_id, STAND)]


@router.put("/projects/{project_id}/rigs", openapi_extra=SUPERVISES)
def choose_project_rigs(project_id: int, body: RigsIn) -> ProjectOut:
    """Set under which rigs everything is looked at; what was seen under others is kept, and comes back with them."""
    with session() as database:
        project = find_project(database, project_id)
        choose_rigs(database, project, body.rigs)
        return project_view(database, project)


@router.post("/projects/{project_id}/surroundings", status_code=201)
def hand_in_surroundings(project_id: int, file: UploadFile) -> SurroundingsOut:
    """Upload a picture of surroundings (OpenEXR, Radiance HDR; latitude-longitude), which is a rig from then on, or a mesh (OBJ, GLB),
    which is a stand."""
    with tempfile.TemporaryDirectory(prefix="fenrain-upload-") as scratch:
        (path,) = save_uploads([file], Path(scratch))
        identity = read_in_worker_process(worker_tasks.add_surroundings, project_id, str(path), path.name)
    with session() as database:
        row = database.get(Surroundings, identity)
        assert row is not None
        return SurroundingsOut(kind=row.kind, id=row.key, title=row.name, says=row.says)


@router.delete("/projects/{project_id}/surroundings/{key}", status_code=204)
def forget_surroundings(project_id: int, key: str) -> None:
    """Take surroundings or a mesh that was uploaded out of the project."""
    with session() as database:
        remove_surroundings(database, project_id, key)


def _own(project_id: int | None, kind: str) -> list[Surroundings]:
    if project_id is None:
        return []
    with session() as database:
        return list_own(database, project_id, kind)
