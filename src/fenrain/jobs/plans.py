"""What jobs are made for which wish."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.errors import InputError
from fenrain.jobs.queue import CHECK, CONVERT, DELIVER, LOOK, OPEN, SETTLE, cancel, submit
from fenrain.services.checks import OVERVIEW_STAND, OVERVIEW_TURN
from fenrain.services.surroundings import known_rig, known_stand, rigs_of
from fenrain.services.targets import project_target
from fenrain.store.rows import find_project
from fenrain.store.tables import ConversionRow, Job, MaterialRow


def plan_conversion(database: Session, project_id: int, material_ids: Sequence[int] | None, target: str, profile: str) -> Job:
    """Convert materials of a project, all where none are named; look at them one by one; then settle what that left open."""
    query = select(MaterialRow.id).where(MaterialRow.project_id == project_id).order_by(MaterialRow.id)
    if material_ids is not None:
        query = query.where(MaterialRow.id.in_(material_ids))
    aim = project_target(database, project_id, target, profile)
    payloads = [{"material_id": identity, "target": target, "profile": profile} for identity in database.scalars(query)]
    pieces = [(work, payload) for work in (CONVERT, LOOK, SETTLE) for payload in payloads]
    return submit(database, project_id, "convert", f"Convert {len(payloads)} to {aim.title} and check", pieces)


def plan_check(database: Session, row: ConversionRow, rigs: Sequence[str] | None, stand: str, turn: float) -> Job:
    """Check one conversion, under the project's rigs where None. Raises NotFoundError for an unknown rig or stand."""
    project = find_project(database, row.material.project_id)
    known_stand(database, project.id, stand)
    chosen = rigs_of(project) if rigs is None else [known_rig(database, project.id, rig) for rig in rigs]
    payload = {"conversion_id": row.id, "rigs": list(chosen), "stand": stand, "turn": turn}
    return submit(database, row.material.project_id, "check", f"Check {row.material.name[:120]}", [(CHECK, payload)])


def plan_check_again(database: Session, row: ConversionRow) -> Job:
    """Check an edited conversion under the project's rigs; what was still to be checked of it as it was before is dropped."""
    older = select(Job).where(Job.project_id == row.material.project_id, Job.kind == "check", Job.state.in_(OPEN))
    for job in database.scalars(older).all():
        if all(item.payload.get("conversion_id") == row.id for item in job.items):
            cancel(database, job.id)
    return plan_check(database, row, None, OVERVIEW_STAND, OVERVIEW_TURN)


def plan_delivery(
    database: Session, project_id: int, material_ids: Sequence[int], target: str, profile: str, *, to_folder: bool = False
) -> Job:
    """Write materials in the target's format; to_folder: into a folder of the server as well. Raises NotFoundError for an unknown target,
    InputError where nothing here writes it."""
    aim = project_target(database, project_id, target, profile)
    if aim.format is None:
        raise InputError(f"Nothing here writes {aim.title}.", place="target", remedy="Install the package that brings its format.")
    known = set(database.scalars(select(MaterialRow.id).where(MaterialRow.project_id == project_id, MaterialRow.id.in_(material_ids))))
    missing = [identity for identity in material_ids if identity not in known]
    if missing:
        raise InputError(f"Materials {missing[:5]} are not in this project.", place="material_ids", remedy="Load the board again.")
    payload = {"material_ids": list(material_ids), "target": target, "profile": profile, "to_folder": to_folder}
    return submit(database, project_id, "deliver", f"Write {len(material_ids)} for {aim.title}", [(DELIVER, payload)])
