"""Projects and their boards."""

from fastapi import APIRouter
from sqlalchemy import select

from fenrain.api.schemas import (
    FIRST_PROFILE,
    FIRST_TARGET,
    BoardRow,
    ConvertIn,
    JobOut,
    ModelId,
    ProfileName,
    ProjectIn,
    ProjectOut,
    TolerancesIn,
)
from fenrain.api.views import board_view, job_view, project_view
from fenrain.core.checking.verdict import ANY_RIG, Tolerances
from fenrain.core.errors import InputError
from fenrain.jobs.plans import plan_conversion
from fenrain.services.surroundings import known_rig
from fenrain.services.targets import project_target
from fenrain.store.database import session
from fenrain.store.rows import find_project
from fenrain.store.tables import Project

router = APIRouter(tags=["board"])


@router.get("/projects")
def list_projects() -> list[ProjectOut]:
    """Every project, oldest first."""
    with session() as database:
        return [project_view(database, project) for project in database.scalars(select(Project).order_by(Project.id))]


@router.post("/projects", status_code=201)
def create_project(body: ProjectIn) -> ProjectOut:
    with session() as database:
        if database.scalar(select(Project.id).where(Project.name == body.name)) is not None:
            raise InputError(f"There is already a project “{body.name}”.", place="name", remedy="Choose another name.")
        project = Project(name=body.name, tolerances={})
        database.add(project)
        database.flush()
        return project_view(database, project)


@router.put("/projects/{project_id}/tolerances")
def set_tolerances(project_id: int, body: TolerancesIn) -> ProjectOut:
    """Set what a match and near may read. What is measured is judged again by it; nothing is rendered for it."""
    with session() as database:
        project = find_project(database, project_id)
        document = {
            rig if rig == ANY_RIG else known_rig(database, project_id, rig): {
                metric: (limits.match, limits.near) for metric, limits in by_metric.items()
            }
            for rig, by_metric in body.limits.items()
        }
        project.tolerances = Tolerances.from_document(document).to_document()
        return project_view(database, project)


@router.get("/projects/{project_id}/board")
def show_board(project_id: int, target: ModelId = FIRST_TARGET, profile: ProfileName = FIRST_PROFILE) -> list[BoardRow]:
    """One row a material, with its newest checks for this target."""
    with session() as database:
        find_project(database, project_id)
        project_target(database, project_id, target, profile)
        return board_view(database, project_id, target, profile)


@router.post("/projects/{project_id}/conversions", status_code=202)
def convert_materials(project_id: int, body: ConvertIn) -> JobOut:
    """Convert materials to a target and check them, as a job."""
    with session() as database:
        find_project(database, project_id)
        return job_view(database, plan_conversion(database, project_id, body.material_ids, body.target, body.profile))
