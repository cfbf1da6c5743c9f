"""Projects, as they go over the wire."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from fenrain.api.schemas.board import LimitsOut, ProjectOut
from fenrain.core.conversion.aim import Aim
from fenrain.services.surroundings import list_rigs
from fenrain.store.tables import MaterialRow, Project


def project_view(database: Session, project: Project) -> ProjectOut:
    count = database.scalar(select(func.count()).select_from(MaterialRow).where(MaterialRow.project_id == project.id))
    limits = {
        rig: {metric: LimitsOut(match=match, near=near) for metric, (match, near) in by_metric.items()}
        for rig, by_metric in project.tolerances.items()
    }
    return ProjectOut(
        id=project.id,
        name=project.name,
        tolerances=limits,
        rigs=list(list_rigs(project)),
        aim=Aim(project.aim),
        materials=count or 0,
    )
