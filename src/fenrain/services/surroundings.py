"""By what materials of a project are looked at: its rigs, and the surroundings and meshes that people handed in."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.errors import InputError, NotFoundError
from fenrain.core.rendering.environment import PREFIX, open_environment
from fenrain.core.rendering.rigs.registry import rig_of, standing_rigs
from fenrain.core.rendering.stands.registry import stand_of
from fenrain.core.values import Image
from fenrain.store import blobs
from fenrain.store.rows import find_project
from fenrain.store.tables import Project, Surroundings

RIG, STAND = "rig", "stand"
LONGEST_NAME = 200


def rigs_of(project: Project) -> tuple[str, ...]:
    """Ids of the rigs under which everything of it is looked at."""
    return tuple(project.rigs) or standing_rigs()


def choose_rigs(database: Session, project: Project, rigs: Sequence[str]) -> None:
    """Set them; none for the standing ones. Raises NotFoundError for one that is unknown, InputError for one that is named twice."""
    if len(set(rigs)) < len(rigs):
        raise InputError("A rig is named twice.", place="rigs", remedy="Name each once.")
    for rig in rigs:
        known_rig(database, project.id, rig)
    project.rigs = list(rigs)


def own(database: Session, project_id: int, kind: str) -> list[Surroundings]:
    """What was handed in of a kind, oldest first."""
    query = select(Surroundings).where(Surroundings.project_id == project_id, Surroundings.kind == kind)
    return list(database.scalars(query.order_by(Surroundings.id)))


def known_rig(database: Session, project_id: int, rig: str) -> str:
    """The id of a rig that a project knows. Raises NotFoundError."""
    return rig if _own(database, project_id, RIG, rig) is not None else rig_of(rig).id


def known_stand(database: Session, project_id: int, stand: str) -> str:
    """The id of a stand that a project knows. Raises NotFoundError."""
    return stand if _own(database, project_id, STAND, stand.partition(":")[0]) is not None else stand_of(stand).id


def keep_surroundings(database: Session, project_id: int, path: Path, name: str) -> Surroundings:
    """Keep a picture of surroundings as a rig of the project, the same one once. Raises ImageError, ImageTooLargeError, NotFoundError."""
    find_project(database, project_id)
    rig = open_environment(Image(name, path))
    return _own(database, project_id, RIG, rig.id) or _kept(database, project_id, RIG, rig.id, rig.says, path, name)


def forget(database: Session, project_id: int, key: str) -> None:
    """Take one out of the project, and out of its rigs. Raises NotFoundError."""
    row = database.scalar(select(Surroundings).where(Surroundings.project_id == project_id, Surroundings.key == key))
    if row is None:
        raise NotFoundError("This project has no such surroundings.", place=key)
    project = find_project(database, project_id)
    project.rigs = [rig for rig in project.rigs if rig != key]
    database.delete(row)


def open_surroundings(database: Session, rigs: Sequence[str], stand: str = "") -> None:
    """Have this process know the rigs and the stand that somebody handed in, before anything is drawn by them. Raises NotFoundError where
    one is gone."""
    wanted = {rig for rig in rigs if rig.startswith(PREFIX)}
    for row in database.scalars(select(Surroundings).where(Surroundings.key.in_(wanted)).group_by(Surroundings.key)) if wanted else ():
        open_environment(blobs.open_image(row.digest, row.name))
    for rig in rigs:
        rig_of(rig)
    if stand:
        stand_of(stand)


def _own(database: Session, project_id: int, kind: str, key: str) -> Surroundings | None:
    query = select(Surroundings).where(Surroundings.project_id == project_id, Surroundings.kind == kind, Surroundings.key == key)
    return database.scalar(query)


def _kept(database: Session, project_id: int, kind: str, key: str, says: str, path: Path, name: str) -> Surroundings:
    digest = blobs.put_file(path)
    row = Surroundings(project_id=project_id, kind=kind, key=key, name=name[:LONGEST_NAME], says=says, digest=digest)
    database.add(row)
    database.flush()
    return row
