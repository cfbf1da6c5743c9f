"""What a project converts to: the targets that come with Fenrain, and the target profiles that its people write."""

from __future__ import annotations

from fastapi import APIRouter, Response

from fenrain.api.authentication import LOOKS_ONLY
from fenrain.api.routers.conversions import Expected
from fenrain.api.schemas.targets import ProfileOut, ProfileTextIn, TargetOut
from fenrain.api.views.knowledge import target_view
from fenrain.core.conversion.profiles import ProfileFile
from fenrain.core.conversion.targets import target_of_profile
from fenrain.jobs.plans import plan_conversion
from fenrain.services.targets import delete_profile, find_profile, list_converted, project_targets, read_profile, save_profile
from fenrain.store.database import session
from fenrain.store.rows import find_project

router = APIRouter(tags=["targets"])


@router.get("/projects/{project_id}/targets")
def list_targets(project_id: int) -> list[TargetOut]:
    """What can be converted to: models with their profiles and the format that is written, the fullest first, target profiles last."""
    with session() as database:
        find_project(database, project_id)
        return [target_view(target) for target in project_targets(database, project_id)]


@router.get("/projects/{project_id}/profiles/{key}")
def show_profile(project_id: int, key: str) -> ProfileOut:
    with session() as database:
        stated, version = find_profile(database, project_id, key)
        return ProfileOut(stated=stated, version=version)


@router.get("/projects/{project_id}/profiles/{key}/file")
def download_profile(project_id: int, key: str) -> Response:
    """A target profile as a file, to share and for the command line."""
    with session() as database:
        stated, _ = find_profile(database, project_id, key)
    named = {"Content-Disposition": f'attachment; filename="{stated.id}.yaml"'}
    return Response(stated.to_yaml(), media_type="application/yaml", headers=named)


@router.put("/projects/{project_id}/profiles/{key}")
def write_profile(project_id: int, key: str, body: ProfileFile, expected: Expected) -> ProfileOut:
    """Save a target profile; If-Match names the version it was made from, 0 for a new one."""
    with session() as database:
        row = save_profile(database, project_id, body.model_copy(update={"id": key}), expected=expected)
        changed = list_converted(database, project_id, key)
        if changed:
            target = target_of_profile(body)
            plan_conversion(database, project_id, changed, target.model.id, key)
        return ProfileOut(stated=ProfileFile.model_validate(row.document), version=row.version)


@router.delete("/projects/{project_id}/profiles/{key}", status_code=204)
def remove_profile(project_id: int, key: str) -> None:
    with session() as database:
        delete_profile(database, project_id, key)


@router.post("/profiles/read", openapi_extra=LOOKS_ONLY)
def read_profile_text(body: ProfileTextIn) -> ProfileFile:
    """A target profile from the text of its file, without keeping it."""
    return read_profile(body.text)
