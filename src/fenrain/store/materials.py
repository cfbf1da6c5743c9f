"""Materials and conversions as rows."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.checking.fit import Fit, fit
from fenrain.core.checking.plausibility import findings_of
from fenrain.core.convert.engine import Conversion, convert
from fenrain.core.convert.ledger import BY_COPY, BY_HAND, BY_REMEDY, Override
from fenrain.core.convert.profile import Profile
from fenrain.core.errors import ConflictError, InputError, NotFoundError, ParameterError
from fenrain.core.material import (
    Constant,
    Material,
    material_from_document,
    material_to_document,
    value_from_document,
)
from fenrain.core.models.registry import HUB, model_of
from fenrain.core.tables import Preset
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


def start_material(database: Session, project_id: int, material: Material) -> MaterialRow:
    """Keep a material that was not handed in but started here."""
    find_project(database, project_id)
    intake = Intake(project_id=project_id, state="accepted", files={}, dialects={}, found=[], errors=[])
    database.add(intake)
    database.flush()
    return add_material(database, project_id, intake, material)


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
    return override_values(database, conversion_id, {name: raw}, BY_HAND, "", expected=expected)


def override_values(database: Session, conversion_id: int, values: Mapping[str, Any], by: str, why: str, *, expected: int) -> ConversionRow:
    """Set constants over the derived values, as one edit. Raises ConflictError, ParameterError, NotFoundError."""
    row = _expected(database, conversion_id, expected)
    model = model_of(row.target)
    laid = {name: Override(Constant(model.parameter(name).accept(raw)), by, why) for name, raw in values.items()}
    return _edited(database, row, {**row.overrides, **{name: override.to_document() for name, override in laid.items()}})


def copy_value(database: Session, conversion_id: int, name: str, from_id: int, from_name: str, *, expected: int) -> ConversionRow:
    """Copy a target value, map or constant, from another slot or from a sibling's conversion. Raises ConflictError, ParameterError where
    the two do not hold the same kind of value, NotFoundError."""
    row = _expected(database, conversion_id, expected)
    source = find_conversion(database, from_id)
    wanted, given = model_of(row.target).parameter(name), model_of(source.target).parameter(from_name)
    if wanted.kind != given.kind:
        raise ParameterError(
            f"{from_name} is a {given.kind}, {name} a {wanted.kind}.", place=name, remedy="Copy from the same kind of value."
        )
    value = conversion_of(source).material.value(from_name)
    if isinstance(value, Constant):
        value = Constant(wanted.accept(list(value.value) if isinstance(value.value, tuple) else value.value))
    whose = "" if source.id == row.id else f" of {source.material.name}"
    return _edited(database, row, {**row.overrides, name: Override(value, BY_COPY, f"copied from {from_name}{whose}").to_document()})


def fit_values(database: Session, conversion_id: int, locked: Sequence[str], *, expected: int) -> tuple[ConversionRow, Fit]:
    """Let the computer tune what is approximated; locked values stay, as do those set by hand. Raises ConflictError, NotFoundError."""
    row = _expected(database, conversion_id, expected)
    fitted = fit(conversion_of(row), locked)
    overrides = {name: override.to_document() for name, override in fitted.conversion.overrides.items()}
    return (row if overrides == row.overrides else _edited(database, row, overrides)), fitted


def apply_remedy(database: Session, conversion_id: int, code: str, parameter: str, *, expected: int) -> ConversionRow:
    """Do what a finding offers. Raises ConflictError, NotFoundError where there is no such finding or it offers nothing."""
    row = find_conversion(database, conversion_id)
    found = next((f for f in findings_of(conversion_of(row)) if (f.code, f.parameter) == (code, parameter) and f.fix), None)
    if found is None or found.fix is None:
        raise NotFoundError("There is no such finding any more.", place=code, remedy="Load the conversion again.")
    why = f"{found.message} Usual: {found.usual} ({found.source})."
    return override_values(database, conversion_id, found.fix, BY_REMEDY, why, expected=expected)


def apply_preset(database: Session, conversion_id: int, preset: Preset, *, expected: int) -> ConversionRow:
    """Lay a named surface's values over a conversion to OpenPBR; its maps and its other values stay. Raises ConflictError, InputError."""
    row = find_conversion(database, conversion_id)
    if row.target != HUB:
        raise InputError("A named surface is made of OpenPBR values.", place=row.target, remedy="Apply it on the conversion to OpenPBR.")
    return override_values(database, conversion_id, preset.values, BY_COPY, f"from the named surface {preset.title}", expected=expected)


def put_back_all(database: Session, conversion_id: int, *, expected: int) -> ConversionRow:
    """Take back everything that stands over derived values."""
    return _edited(database, _expected(database, conversion_id, expected), {})


def put_back_value(database: Session, conversion_id: int, name: str, *, expected: int) -> ConversionRow:
    """Take back what stands over a derived value, so that the derived one stands again."""
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
    row.document = {
        "ledger": [entry.to_document() for entry in conversion.ledger],
        "findings": [finding.to_document() for finding in findings_of(conversion)],
    }
    row.digest = conversion.material.digest
