"""Projects: begun, listed, and what a match may read in them."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from fenrain.core.checking.verdict import ANY_RIG, Tolerances
from fenrain.core.conversion.aim import Aim
from fenrain.core.errors import InputError
from fenrain.services.surroundings import known_rig
from fenrain.store.rows import find_project
from fenrain.store.tables import ConversionRow, MaterialRow, Project


def list_projects(database: Session) -> list[Project]:
    """Oldest first."""
    return list(database.scalars(select(Project).order_by(Project.id)))


def create_project(database: Session, name: str) -> Project:
    """Raises InputError for a name that is taken."""
    if database.scalar(select(Project.id).where(Project.name == name)) is not None:
        raise InputError(f"There is already a project “{name}”.", place="name", remedy="Choose another name.")
    project = Project(name=name, tolerances={})
    database.add(project)
    database.flush()
    return project


def set_tolerances(database: Session, project_id: int, limits: Mapping[str, Mapping[str, tuple[float, float]]]) -> Project:
    """limits: what a match and near may read, by rig (`*` for any) and metric. Raises ParameterError for what cannot be, NotFoundError."""
    project = find_project(database, project_id)
    document = {rig if rig == ANY_RIG else known_rig(database, project_id, rig): by_metric for rig, by_metric in limits.items()}
    project.tolerances = Tolerances.from_document(document).to_document()
    return project


def set_aim(database: Session, project_id: int, aim: Aim) -> Project:
    """Set what values of conversions are good for that are made from now on; those that stand keep the aim that they were made with. Raises
    NotFoundError."""
    project = find_project(database, project_id)
    if project.aim != aim:
        of_project = select(MaterialRow.id).where(MaterialRow.project_id == project_id)
        database.execute(
            update(ConversionRow).where(ConversionRow.aim == "", ConversionRow.material_id.in_(of_project)).values(aim=project.aim)
        )
        project.aim = aim
    return project
