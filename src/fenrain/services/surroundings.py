"""By what materials of a project are looked at: its rigs, and the surroundings and meshes that people uploaded."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.errors import ConflictError, InputError, NotFoundError
from fenrain.core.formats.registry import mesh_readers
from fenrain.core.material import geometry_from_document
from fenrain.core.rendering.environment import PREFIX, open_environment
from fenrain.core.rendering.own_mesh import PREFIX as PREFIX_OF_MESHES
from fenrain.core.rendering.own_mesh import mesh_key, mesh_stand_id, open_mesh
from fenrain.core.rendering.rigs.registry import OPENED as OPENED_RIGS
from fenrain.core.rendering.rigs.registry import rig_of, standing_rigs
from fenrain.core.rendering.stands.registry import OPENED as OPENED_STANDS
from fenrain.core.rendering.stands.registry import stand_of
from fenrain.core.values import Image
from fenrain.services.uploads import find_carrier, restore_files
from fenrain.store import blobs
from fenrain.store.rows import find_project
from fenrain.store.tables import ConversionRow, Intake, MaterialRow, Project, Surroundings

RIG, STAND = "rig", "stand"
ASSET = "asset"
"""The stand that a material's own asset is."""
LONGEST_NAME = 200


def list_rigs(project: Project) -> tuple[str, ...]:
    """Ids of the rigs under which everything of it is looked at."""
    return tuple(project.rigs) or standing_rigs()


def choose_rigs(database: Session, project: Project, rigs: Sequence[str]) -> None:
    """Set them; none for the standing ones. Raises NotFoundError for one that is unknown, InputError for one that is named twice."""
    if len(set(rigs)) < len(rigs):
        raise InputError("A rig is named twice.", place="rigs", remedy="Name each once.")
    for rig in rigs:
        known_rig(database, project.id, rig)
    project.rigs = list(rigs)


def list_own(database: Session, project_id: int, kind: str) -> list[Surroundings]:
    """What was uploaded of a kind, oldest first."""
    query = select(Surroundings).where(Surroundings.project_id == project_id, Surroundings.kind == kind)
    return list(database.scalars(query.order_by(Surroundings.id)))


def known_rig(database: Session, project_id: int, rig: str) -> str:
    """The id of a rig that a project knows. Raises NotFoundError."""
    return rig if _find_own(database, project_id, RIG, rig) is not None else rig_of(rig).id


def known_stand(database: Session, project_id: int, stand: str) -> str:
    """The id of a stand that a project knows. Raises NotFoundError."""
    name = stand.partition(":")[0]
    return stand if name == ASSET or _find_own(database, project_id, STAND, name) is not None else stand_of(stand).id


def keep_surroundings(database: Session, project_id: int, path: Path, name: str) -> Surroundings:
    """Keep a picture of surroundings as a rig of the project, or a mesh as a stand, the same one once. Raises ImageError,
    ImageTooLargeError, NotFoundError, and for a mesh what `open_mesh` raises."""
    find_project(database, project_id)
    if path.suffix.lower() in mesh_readers():
        open_mesh(path, path.parent, name, "")
        key = mesh_key(Image(name, path).digest)
        return _find_own(database, project_id, STAND, key) or _save(database, project_id, STAND, key, "own mesh", path, name)
    rig = open_environment(Image(name, path))
    return _find_own(database, project_id, RIG, rig.id) or _save(database, project_id, RIG, rig.id, rig.says, path, name)


def remove_surroundings(database: Session, project_id: int, key: str) -> None:
    """Take one out of the project. Raises NotFoundError; ConflictError for a light that the project is judged under, which only supervisors
    choose."""
    row = database.scalar(select(Surroundings).where(Surroundings.project_id == project_id, Surroundings.key == key))
    if row is None:
        raise NotFoundError("This project has no such surroundings.", place=key)
    if key in find_project(database, project_id).rigs:
        raise ConflictError(
            "The project is judged under this light.", place=key, remedy="Have a supervisor take it out of the project's rigs first."
        )
    database.delete(row)


def open_surroundings(database: Session, rigs: Sequence[str]) -> None:
    """Have this process know the rigs that somebody uploaded, before anything is drawn by them. Raises NotFoundError where one is gone."""
    for rig in rigs:
        if rig.startswith(PREFIX) and rig not in OPENED_RIGS:
            row = database.scalar(select(Surroundings).where(Surroundings.kind == RIG, Surroundings.key == rig).limit(1))
            if row is not None:
                open_environment(blobs.open_image(row.digest, row.name))
        rig_of(rig)


def open_stand(database: Session, stand: str, material: MaterialRow) -> str:
    """The id by which this process knows the stand that a material is to be seen on: one of ours, a mesh that was uploaded, or its own
    asset, on both of which the material lies where the file has it. Raises NotFoundError, and what `open_mesh` raises."""
    name, colon, camera = stand.partition(":")
    if name == ASSET:
        intake = database.get(Intake, material.intake_id)
        files, file = (dict(intake.files) if intake is not None else {}), material.document["source"]["file"]
    elif name.startswith(PREFIX_OF_MESHES):
        row = _find_own(database, material.project_id, STAND, name)
        if row is None:
            raise NotFoundError("This project has no such mesh.", place=stand)
        files, file = {row.name: row.digest}, row.name
    else:
        return stand_of(stand).id
    asset = find_carrier(files, file)
    if asset is None:
        raise NotFoundError(f"“{file}” has no meshes of its own.", place=stand, remedy="Choose another stand.")
    called = _name_in_its_file(database, material)
    geometry = geometry_from_document(material.document["geometry"])
    known = mesh_stand_id(files[asset], called, geometry.unit, geometry.projection)
    if known not in OPENED_STANDS:
        with restore_files(files) as folder:
            open_mesh(folder / asset, folder, Path(asset).name, called, geometry.unit, geometry.projection)
    return stand_of(f"{known}{colon}{camera}").id


MOST_AROUND = 15
"""Other materials of an asset that are drawn as they are; what carries further ones stays grey."""


def list_conversions_around(database: Session, row: ConversionRow) -> list[ConversionRow]:
    """The conversions to the same target of the other materials of the file that a material came from."""
    file = row.material.document["source"]["file"]
    query = (
        select(ConversionRow)
        .join(MaterialRow)
        .where(
            MaterialRow.intake_id == row.material.intake_id,
            MaterialRow.variant_of.is_(None),
            MaterialRow.id.not_in([row.material_id, row.material.variant_of or 0]),
            ConversionRow.target == row.target,
            ConversionRow.profile == row.profile,
            MaterialRow.document["source"]["file"].as_string() == file,
        )
    )
    return list(database.scalars(query.order_by(MaterialRow.id).limit(MOST_AROUND)))


def _name_in_its_file(database: Session, material: MaterialRow) -> str:
    """A variant has another name than the material that lies on the mesh."""
    first = database.get(MaterialRow, material.variant_of) if material.variant_of is not None else None
    return (first or material).name


def _find_own(database: Session, project_id: int, kind: str, key: str) -> Surroundings | None:
    query = select(Surroundings).where(Surroundings.project_id == project_id, Surroundings.kind == kind, Surroundings.key == key)
    return database.scalar(query)


def _save(database: Session, project_id: int, kind: str, key: str, says: str, path: Path, name: str) -> Surroundings:
    digest = blobs.save_file(path)
    row = Surroundings(project_id=project_id, kind=kind, key=key, name=name[:LONGEST_NAME], says=says, digest=digest)
    database.add(row)
    database.flush()
    return row
