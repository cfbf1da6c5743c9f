"""Dialects and presets that people wrote, beside those that come with Fenrain; and materials started from a preset."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.dialects.dialect import Dialect, load_dialect, shipped, shipped_texts
from fenrain.core.errors import ConflictError, InputError, NotFoundError
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind
from fenrain.core.models.registry import HUB, model_of
from fenrain.core.tables import Preset, presets
from fenrain.store.rows import add_material, find_project
from fenrain.store.tables import DialectRow, Intake, MaterialRow, PresetRow

_OWN_ID = re.compile(r"^(id:\s*)\S+", re.MULTILINE)


def known_dialects(database: Session) -> Mapping[str, Dialect]:
    """Every dialect by id; one that somebody wrote stands in place of a shipped one with the same id."""
    written = (load_dialect(row.text, row.key) for row in database.scalars(select(DialectRow).order_by(DialectRow.key)))
    return {**shipped(), **{dialect.id: dialect for dialect in written}}


def dialect_versions(database: Session) -> Mapping[str, int]:
    """Versions of the dialects that somebody wrote, by id."""
    return {row.key: row.version for row in database.scalars(select(DialectRow))}


def dialect_text(database: Session, key: str) -> tuple[str, int]:
    """(YAML, version) of a dialect; version 0 for one that was shipped. Raises NotFoundError."""
    row = database.scalar(select(DialectRow).where(DialectRow.key == key))
    if row is not None:
        return row.text, row.version
    if key not in shipped_texts():
        raise NotFoundError("There is no such dialect.", place=f"dialects/{key}", remedy=f"Known: {', '.join(shipped())}.")
    return shipped_texts()[key], 0


def save_dialect(database: Session, key: str, text: str, *, expected: int) -> DialectRow:
    """Keep a dialect. expected: the version it was made from, 0 for a new one. Raises BrokenFileError that names the line, ConflictError,
    InputError where the text calls itself otherwise."""
    dialect = load_dialect(text, key)
    if dialect.id != key:
        raise InputError(f"The text calls itself “{dialect.id}”, not “{key}”.", place="id", remedy="Save it under its own id.")
    row = database.scalar(select(DialectRow).where(DialectRow.key == key))
    if (row.version if row is not None else 0) != expected:
        raise ConflictError(
            "Somebody else saved this dialect first.", place=f"dialects/{key}", remedy="Load it again and repeat your change."
        )
    if row is None:
        row = DialectRow(key=key, text=text)
        database.add(row)
    else:
        row.text = text
    database.flush()
    return row


def rename_dialect(database: Session, key: str, new: str, *, expected: int) -> DialectRow:
    """Give a dialect that somebody wrote another id; open intakes that name it follow. Raises NotFoundError, ConflictError, InputError for
    an id that is taken, BrokenFileError for one that cannot be."""
    row = _dialect_row(database, key)
    if row.version != expected:
        raise ConflictError("Somebody else saved this dialect first.", place=f"dialects/{key}", remedy="Load it again.")
    if new in known_dialects(database):
        raise InputError(f"There is already a dialect “{new}”.", place="id", remedy="Choose another id.")
    text = _OWN_ID.sub(lambda found: found[1] + new, row.text, count=1)
    if load_dialect(text, new).id != new:
        raise InputError(f"“{new}” cannot be the id of this dialect.", place="id", remedy="Change it in the text.")
    row.key, row.text = new, text
    for intake in database.scalars(select(Intake).where(Intake.state == "found")):
        intake.dialects = {file: new if named == key else named for file, named in intake.dialects.items()}
    database.flush()
    return row


def delete_dialect(database: Session, key: str) -> None:
    """Take back what somebody wrote; a shipped dialect of the same id stands again. Raises NotFoundError."""
    database.delete(_dialect_row(database, key))


def _dialect_row(database: Session, key: str) -> DialectRow:
    row = database.scalar(select(DialectRow).where(DialectRow.key == key))
    if row is None:
        raise NotFoundError("Nobody wrote such a dialect.", place=f"dialects/{key}")
    return row


def known_presets(database: Session) -> Mapping[str, Preset]:
    """Every named surface by key: the shipped ones by id, the saved ones as `own-…`."""
    saved = {
        f"own-{row.id}": Preset(f"own-{row.id}", row.name, row.says, row.color, row.document)
        for row in database.scalars(select(PresetRow).order_by(PresetRow.name))
    }
    return {**presets(), **saved}


def find_preset(database: Session, key: str) -> Preset:
    """Raises NotFoundError."""
    found = known_presets(database)
    if key not in found:
        raise NotFoundError("There is no such preset.", place=f"presets/{key}")
    return found[key]


def save_preset(database: Session, name: str, says: str, color: str, values: Mapping[str, Any]) -> PresetRow:
    """Keep a named surface. Raises ParameterError for values that OpenPBR does not take, InputError where the name is taken."""
    _require_free(database, name)
    accepted = Material.of(name, HUB, values).parameters()
    if color and model_of(HUB).parameter(color).kind is not Kind.COLOUR:
        raise InputError(f"{color} is not a colour.", place="color", remedy="Name a colour, or none.")
    row = PresetRow(name=name, says=says, color=color, document=dict(accepted))
    database.add(row)
    database.flush()
    return row


def rename_preset(database: Session, key: str, name: str, says: str) -> None:
    """Raises NotFoundError, InputError where the name is taken; a shipped one keeps its name."""
    row = _preset_row(database, key)
    if name != row.name:
        _require_free(database, name)
    row.name, row.says = name, says


def delete_preset(database: Session, key: str) -> None:
    """Raises NotFoundError; a shipped one cannot be deleted."""
    database.delete(_preset_row(database, key))


def _preset_row(database: Session, key: str) -> PresetRow:
    number = key.removeprefix("own-")
    row = database.get(PresetRow, int(number)) if key.startswith("own-") and number.isdigit() else None
    if row is None:
        raise NotFoundError("Nobody saved such a preset.", place=f"presets/{key}")
    return row


def _require_free(database: Session, name: str) -> None:
    if database.scalar(select(PresetRow.id).where(PresetRow.name == name)) is not None:
        raise InputError(f"There is already a preset “{name}”.", place="name", remedy="Choose another name.")


def preset_material(preset: Preset, name: str, color: tuple[float, float, float] | None) -> Material:
    """A new OpenPBR material that starts from a named surface, with one colour of its own."""
    values = dict(preset.values)
    if color is not None and preset.color:
        values[preset.color] = color
    return Material.of(name, HUB, values)


def start_material(database: Session, project_id: int, material: Material) -> MaterialRow:
    """Keep a material that was not uploaded but started here."""
    find_project(database, project_id)
    intake = Intake(
        project_id=project_id, state="accepted", files={}, dialects={}, unit=0.0, corrections=[], chosen={}, errors=[], unused=[]
    )
    database.add(intake)
    database.flush()
    return add_material(database, project_id, intake, material)
