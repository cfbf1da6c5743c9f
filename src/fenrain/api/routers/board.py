"""Projects and their boards."""

from typing import Annotated

from fastapi import APIRouter, Query

from fenrain.api.authentication import SUPERVISES
from fenrain.api.schemas.board import AimIn, BoardChoices, ConvertIn, NeighboursOut, ProjectIn, ProjectOut, TolerancesIn
from fenrain.api.schemas.jobs import JobOut
from fenrain.api.schemas.shared import FIRST_PROFILE, FIRST_TARGET, ModelId, ProfileName
from fenrain.api.selection import Asked, Sort, find_target, selected_ids
from fenrain.api.views.jobs import job_view
from fenrain.api.views.projects import project_view
from fenrain.jobs.plans import plan_conversion
from fenrain.services import projects
from fenrain.services.board import BoardPage, board_page, find_neighbours, list_filters
from fenrain.store.database import session

router = APIRouter(tags=["board"])
MOST_ROWS = 500


@router.get("/projects")
def list_projects() -> list[ProjectOut]:
    """Every project, oldest first."""
    with session() as database:
        return [project_view(database, project) for project in projects.list_projects(database)]


@router.post("/projects", status_code=201)
def create_project(body: ProjectIn) -> ProjectOut:
    with session() as database:
        return project_view(database, projects.create_project(database, body.name))


@router.put("/projects/{project_id}/tolerances", openapi_extra=SUPERVISES)
def set_tolerances(project_id: int, body: TolerancesIn) -> ProjectOut:
    """Set what a match and near may read. What is measured is judged again by it; nothing is rendered for it."""
    limits = {rig: {metric: (limits.match, limits.near) for metric, limits in by_metric.items()} for rig, by_metric in body.limits.items()}
    with session() as database:
        return project_view(database, projects.set_tolerances(database, project_id, limits))


@router.put("/projects/{project_id}/aim", openapi_extra=SUPERVISES)
def set_aim(project_id: int, body: AimIn) -> ProjectOut:
    """Set what converted values are good for. What is on the board stays as it was converted; an act on many converts it again."""
    with session() as database:
        return project_view(database, projects.set_aim(database, project_id, body.aim))


@router.get("/projects/{project_id}/board")
def show_board(
    project_id: int,
    asked: Asked,
    target: ModelId = FIRST_TARGET,
    profile: ProfileName = FIRST_PROFILE,
    sort: Sort = "came",
    descending: bool = False,
    offset: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
    most: Annotated[int, Query(ge=0, le=MOST_ROWS)] = 100,
) -> BoardPage:
    """A part of the board: one row a material, with its newest checks for this target."""
    with session() as database:
        served = find_target(database, project_id, target, profile)
        return board_page(database, project_id, served, asked, sort=sort, descending=descending, offset=offset, most=most)


@router.get("/projects/{project_id}/board/around/{conversion_id}")
def show_neighbours(
    project_id: int,
    conversion_id: int,
    asked: Asked,
    target: ModelId = FIRST_TARGET,
    profile: ProfileName = FIRST_PROFILE,
    sort: Sort = "came",
    descending: bool = False,
) -> NeighboursOut:
    """What stands before and after a conversion on the board as it is sorted and filtered."""
    with session() as database:
        served = find_target(database, project_id, target, profile)
        previous, following, place, total = find_neighbours(
            database, project_id, served, asked, conversion_id, sort=sort, descending=descending
        )
        return NeighboursOut(previous=previous, next=following, place=place, total=total)


@router.get("/projects/{project_id}/board/choices")
def show_choices(project_id: int, target: ModelId = FIRST_TARGET, profile: ProfileName = FIRST_PROFILE) -> BoardChoices:
    """What the board can be filtered by."""
    with session() as database:
        return BoardChoices(**list_filters(database, project_id, find_target(database, project_id, target, profile)))


@router.post("/projects/{project_id}/conversions", status_code=202)
def convert_materials(project_id: int, body: ConvertIn) -> JobOut:
    """Convert materials to a target and check them, as a job."""
    with session() as database:
        chosen = selected_ids(database, project_id, body.target, body.profile, body)
        return job_view(database, plan_conversion(database, project_id, chosen, body.target, body.profile))
