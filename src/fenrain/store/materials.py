"""Materials and conversions as rows."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.convert.engine import Conversion, convert
from fenrain.core.convert.ledger import Override
from fenrain.core.convert.profile import Profile
from fenrain.core.errors import ConflictError, NotFoundError, ParameterError
from fenrain.core.material import (
    Constant,
    Material,
    material_from_document,
    material_to_document,
    value_from_document,
)
from fenrain.core.models.registry import model_of
from fenrain.store import blobs
from fenrain.store.tables import ConversionRow, Intake, MaterialRow, Project

PROFILES = {"extensions": Profile("with extensions"), "core": Profile.core_only()}
"""Target profiles by the name under which a conversion is kept."""


def add_material(database: Session, project_id: int, intake: Intake, material: Material) -> MaterialRow:
    """Keep an original and every image that it reads."""
    for image in material.images().values():
        blobs.put(image.read())
    row = MaterialRow(
        project_id=project_id,
        intake_id=intake.id,
        name=material.name[:400],
        model=material.model,
        digest=material.digest,
        document=material_to_document(material),
    )
    database.add(row)
    database.flush()
    return row


def material_of(row: MaterialRow) -> Material:
    """The original, its maps read from the file store."""
    return material_from_document(row.document, blobs.open_image)


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


def find_project(database: Session, project_id: int) -> Project:
    """Raises NotFoundError."""
    row = database.get(Project, project_id)
    if row is None:
        raise NotFoundError("There is no such project.", place=f"projects/{project_id}")
    return row


def ensure_conversion(database: Session, row: MaterialRow, target: str, profile: str) -> ConversionRow:
    """The material's conversion to a target, made if it is not there yet."""
    existing = database.scalar(
        select(ConversionRow).where(ConversionRow.material_id == row.id, ConversionRow.target == target, ConversionRow.profile == profile)
    )
    if existing is not None:
        return existing
    made = ConversionRow(material_id=row.id, target=target, profile=profile, overrides={}, document={}, digest="")
    made.material = row
    _write(made, conversion_of(made))
    database.add(made)
    database.flush()
    return made


def conversion_of(row: ConversionRow) -> Conversion:
    """The conversion, worked out by today's rules with the person's values over it. Raises NotFoundError for an unknown profile."""
    if row.profile not in PROFILES:
        raise NotFoundError(f"There is no target profile “{row.profile}”.", place=row.profile, remedy=f"Known: {', '.join(PROFILES)}.")
    derived = convert(material_of(row.material), row.target, PROFILES[row.profile])
    overrides = {name: _override_from(stored) for name, stored in row.overrides.items()}
    return derived.having(overrides) if overrides else derived


def _override_from(stored: dict[str, Any]) -> Override:
    return Override(value_from_document(stored["value"], blobs.open_image), stored["by"], stored["why"])


def override_value(database: Session, conversion_id: int, name: str, raw: Any, *, expected: int) -> ConversionRow:
    """Set a person's value over the derived one. Raises ConflictError, ParameterError, NotFoundError."""
    row = _expected(database, conversion_id, expected)
    parameter = model_of(row.target).parameter(name)
    overrides = {**row.overrides, name: Override(Constant(parameter.accept(raw))).to_document()}
    return _edited(database, row, overrides)


def put_back_value(database: Session, conversion_id: int, name: str, *, expected: int) -> ConversionRow:
    """Take a person's value back, so that the derived one stands again."""
    row = _expected(database, conversion_id, expected)
    if name not in row.overrides:
        raise ParameterError(f"{name} is already at its derived value.", place=name)
    return _edited(database, row, {key: value for key, value in row.overrides.items() if key != name})


def check_key(original: str, converted: str, **how: Any) -> str:
    """Names a check by what it compares and how."""
    return hashlib.sha256(json.dumps([original, converted, how], sort_keys=True).encode()).hexdigest()


def _expected(database: Session, conversion_id: int, expected: int) -> ConversionRow:
    row = find_conversion(database, conversion_id)
    if row.version != expected:
        raise ConflictError(
            "Somebody else changed this conversion first.",
            place=f"conversions/{conversion_id}",
            remedy="Load it again, look at their change, and repeat yours.",
        )
    return row


def _edited(database: Session, row: ConversionRow, overrides: dict[str, Any]) -> ConversionRow:
    """The row with these overrides: one edit, one version."""
    with database.no_autoflush:
        row.overrides = overrides
        _write(row, conversion_of(row))
    database.flush()
    return row


def _write(row: ConversionRow, conversion: Conversion) -> None:
    row.document = {"ledger": [entry.to_document() for entry in conversion.ledger]}
    row.digest = conversion.material.digest
