"""Finds rows by what names them, and keeps the ones that are plainly added."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, contains_eager

from fenrain.core.checking.code_version import drawing_version
from fenrain.core.errors import NotFoundError
from fenrain.core.material import Material, material_from_document, material_to_document
from fenrain.store import blobs
from fenrain.store.tables import ConversionRow, Intake, MaterialRow, Project


def find_project(database: Session, project_id: int) -> Project:
    """Raises NotFoundError."""
    row = database.get(Project, project_id)
    if row is None:
        raise NotFoundError("There is no such project.", place=f"projects/{project_id}")
    return row


def find_intake(database: Session, intake_id: int) -> Intake:
    """Raises NotFoundError."""
    row = database.get(Intake, intake_id)
    if row is None:
        raise NotFoundError("There is no such intake.", place=f"intakes/{intake_id}")
    return row


def find_material(database: Session, material_id: int) -> MaterialRow:
    """Raises NotFoundError."""
    row = database.get(MaterialRow, material_id)
    if row is None:
        raise NotFoundError("There is no such material.", place=f"materials/{material_id}")
    return row


def find_conversion(database: Session, conversion_id: int) -> ConversionRow:
    """Raises NotFoundError."""
    row = database.get(ConversionRow, conversion_id)
    if row is None:
        raise NotFoundError("There is no such conversion.", place=f"conversions/{conversion_id}")
    return row


def find_conversion_to(database: Session, material_id: int, target: str, profile: str) -> ConversionRow | None:
    """A material's conversion to a target, None where it is not converted to it."""
    of_material = ConversionRow.material_id == material_id
    return database.scalar(select(ConversionRow).where(of_material, ConversionRow.target == target, ConversionRow.profile == profile))


def list_conversions_to(database: Session, project_id: int, target: str, profile: str) -> list[ConversionRow]:
    """A project's conversions to a target, with their materials, in the order in which these came."""
    query = (
        select(ConversionRow)
        .join(MaterialRow)
        .options(contains_eager(ConversionRow.material))
        .where(MaterialRow.project_id == project_id, ConversionRow.target == target, ConversionRow.profile == profile)
        .order_by(MaterialRow.id)
    )
    return list(database.scalars(query))


def add_material(database: Session, project_id: int, intake: Intake, material: Material) -> MaterialRow:
    """Keep an original and every image that it reads."""
    for image in material.images().values():
        if image.path is not None and image.path.is_file() and (image.offset, image.length) == (0, None):
            blobs.save_file(image.path)
        else:
            blobs.save_bytes(image.read())
    row = MaterialRow(project_id=project_id, intake_id=intake.id, name=material.name[:400])
    write_reading(row, material)
    database.add(row)
    database.flush()
    return row


def write_reading(row: MaterialRow, material: Material) -> None:
    """Let a row say what was read, with what boards are filtered by."""
    row.document, row.model, row.digest = material_to_document(material), material.model, material.digest
    row.file = material.source.file[:250]
    row.doubtful = any(finding.severity != "note" for finding in material.findings)


def load_material(row: MaterialRow) -> Material:
    """The original, its maps read from the file store."""
    return material_from_document(row.document, blobs.open_image)


def check_key(original: str, converted: str, **how: Any) -> str:
    """Names a check by what it compares and how, and by the code that draws and measures."""
    return hashlib.sha256(json.dumps([drawing_version(), original, converted, how], sort_keys=True).encode()).hexdigest()
