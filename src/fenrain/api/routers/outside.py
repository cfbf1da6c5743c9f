"""Check kits for other renderers, and the pictures that come back."""

import tempfile
from pathlib import Path
from typing import Annotated

import numpy as np
from fastapi import APIRouter, File, Form, Query, UploadFile
from fastapi.responses import FileResponse

from fenrain.api.authentication import LOOKS_ONLY, TAKES_AWAY
from fenrain.api.schemas.jobs import JobOut
from fenrain.api.schemas.outside import KitDetail, KitIn, KitOut, StandInIn
from fenrain.api.schemas.photographs import DifferenceOut
from fenrain.api.selection import required_ids
from fenrain.api.uploads import save_uploads
from fenrain.api.views.jobs import job_view
from fenrain.api.views.outside import kit_detail, kit_view
from fenrain.core.checking.metrics.registry import delta_e_of_pictures
from fenrain.core.outside.compare import shows_by_name
from fenrain.core.paths import safe_name
from fenrain.core.rendering.half_floats import largest_pair_bytes, unpack_pair
from fenrain.jobs.plans import plan_comparison, plan_kit, plan_stand_in, plan_web_view
from fenrain.services import outside
from fenrain.services.checks import load_tolerances
from fenrain.services.outside import delete_kit, find_kit, find_kits
from fenrain.services.surroundings import known_rig
from fenrain.services.worker_process import read_in_worker_process, run_in_worker_process
from fenrain.standin.habits import WRONG
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.rows import find_project
from fenrain.webviewer import VIEWERS

router = APIRouter(tags=["outside"])
LARGEST_EDGE = 1024


@router.get("/projects/{project_id}/kits")
def list_kits(project_id: int) -> list[KitOut]:
    """The check kits of a project, newest first."""
    with session() as database:
        tolerances = load_tolerances(find_project(database, project_id))
        return [kit_view(kit, tolerances) for kit in find_kits(database, project_id)]


@router.post("/projects/{project_id}/kits", status_code=202)
def make_kit(project_id: int, body: KitIn) -> JobOut:
    """Write what another renderer needs to take the same picture of these materials, as a job."""
    with session() as database:
        chosen = required_ids(database, project_id, body.target, body.profile, body)
        view = body.rig, body.stand, body.turn
        return job_view(database, plan_kit(database, project_id, chosen, body.target, body.profile, view))


@router.get("/kits/{kit_id}")
def show_kit(kit_id: int) -> KitDetail:
    """A kit, what came back for it, and how that compares."""
    with session() as database:
        return kit_detail(database, find_kit(database, kit_id))


@router.delete("/kits/{kit_id}", status_code=204)
def forget_kit(kit_id: int) -> None:
    """Take a kit away, with the pictures that came back for it."""
    with session() as database:
        delete_kit(database, kit_id)


@router.get("/kits/{kit_id}/archive", response_class=FileResponse, openapi_extra=TAKES_AWAY)
def download_kit(kit_id: int) -> FileResponse:
    """The whole kit, packed."""
    with session() as database:
        kit = find_kit(database, kit_id)
        archive, name = kit.archive, safe_name(kit.title, set())
    return FileResponse(blobs.path_of(archive), media_type="application/zip", filename=f"kit_{name}.zip")


@router.post("/kits/{kit_id}/pictures", status_code=202)
def hand_in_picture(
    kit_id: int, file: UploadFile, shows: Annotated[str, Form()] = "", space: Annotated[str, Form(max_length=80)] = ""
) -> JobOut:
    """Upload a picture that another renderer made of the kit, and compare it, as a job. shows: original or converted, else by the
    picture's name; space: its colour space, else by its name, or linear Rec.709 of floats and sRGB of integers."""
    with tempfile.TemporaryDirectory(prefix="fenrain-upload-") as scratch:
        (path,) = save_uploads([file], Path(scratch))
        read_in_worker_process(outside.save_picture, kit_id, path, path.name, shows or shows_by_name(path.name), space)
    with session() as database:
        return job_view(database, plan_comparison(database, find_kit(database, kit_id)))


@router.post("/kits/{kit_id}/stand-in", status_code=202)
def use_stand_in(kit_id: int, body: StandInIn) -> JobOut:
    """Have the stand-in for another renderer take the kit's picture, and compare it, as a job."""
    with session() as database:
        return job_view(database, plan_stand_in(database, kit_id, body.shows, body.wrong))


@router.post("/kits/{kit_id}/web-view", status_code=202)
def use_web_viewer(kit_id: int, viewer: Annotated[str, Query(max_length=20)] = "three") -> JobOut:
    """Have an independent web renderer draw the converted materials of a kit whose target is glTF, and compare the picture, as a job."""
    with session() as database:
        return job_view(database, plan_web_view(database, kit_id, viewer))


@router.get("/web-viewers")
def list_web_viewers() -> dict[str, str]:
    """The web renderers that can draw a kit: what they are called, by id."""
    return VIEWERS


@router.get("/conversions/{conversion_id}/web-scene", response_class=FileResponse)
def show_web_scene(conversion_id: int, stand: Annotated[str, Query(max_length=60)] = "sphere") -> FileResponse:
    """The converted material on a stand as a GLB with the stand's camera, for a viewer of web pages."""
    return FileResponse(blobs.path_of(run_in_worker_process(outside.web_scene, conversion_id, stand)), media_type="model/gltf-binary")


@router.get("/projects/{project_id}/light", response_class=FileResponse)
def show_light(
    project_id: int, rig: Annotated[str, Query(max_length=40)], turn: Annotated[float, Query(ge=-360, le=360)] = 0.0
) -> FileResponse:
    """The light of a rig as a latitude-longitude picture (OpenEXR)."""
    with session() as database:
        rig = known_rig(database, project_id, rig)
    return FileResponse(blobs.path_of(run_in_worker_process(outside.web_light, rig, turn)), media_type="image/x-exr")


@router.post("/differences", openapi_extra=LOOKS_ONLY)
def difference_of_pixels(pixels: Annotated[bytes, File(max_length=largest_pair_bytes(LARGEST_EDGE))]) -> DifferenceOut:
    """How two pictures differ. pixels: six planes of half floats, both sides' red, green and blue, linear; what is black on both sides does
    not count."""
    first, second = unpack_pair(pixels)
    seen = (first > 0.0).any(axis=-1) | (second > 0.0).any(axis=-1)
    found = delta_e_of_pictures(first[seen], second[seen]) if seen.any() else np.zeros(1)
    half, most = (float(np.percentile(found, percent)) for percent in (50, 95))
    return DifferenceOut(half=half, most=most)


@router.get("/stand-in/faults")
def list_faults() -> list[str]:
    """What the stand-in can be set wrong."""
    return [name for name in WRONG if name]
