"""Saves a dialect, and reads the sheets again that are written in it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any, ClassVar, Literal

from sqlalchemy.orm import Session

from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.dialects.dialect import Dialect, load_dialect
from fenrain.core.material import Material, material_from_document, material_to_document
from fenrain.services.acts.act import WHOLE, Act, Name, Text, WholeChange, note_whole_change
from fenrain.services.acts.reconverting import keep_reconversion, list_differing
from fenrain.services.acts.rehearsals import Rehearsal
from fenrain.services.conversions import apply_reading, convert_as, target_for
from fenrain.services.history import name_some
from fenrain.services.interpretation import read_all
from fenrain.services.library import known_dialects, save_dialect
from fenrain.services.uploads import place_inside, restore_files
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, find_intake, load_material
from fenrain.store.tables import ActRow, ConversionRow, EditRow

SHEET = "sheet"
"""What the format of a parameter sheet is called."""


class ReadingChange(WholeChange):
    """document: of the reading."""

    document: dict[str, Any]


class ApplyDialect(Act):
    """Save a dialect and read its sheets again. name: what people call it; text: its YAML; version: that it was made from."""

    kind: Literal["dialect"] = "dialect"
    together: ClassVar[bool] = True
    keeps_overrides: ClassVar[bool] = True
    name: Name = ""
    text: Text
    version: int = 0

    @property
    def dialect(self) -> Dialect:
        """Raises InputError."""
        return load_dialect(self.text, "the dialect")

    def check(self, database: Session, project_id: int, target: ServedTarget) -> None:
        _ = self.dialect

    def describe(self, database: Session) -> str:
        return f"save the dialect “{self.name}” and read its sheets again"

    def rehearse(self, rehearsal: Rehearsal) -> str:
        """Reads the sheets that materials came from by what the dialect would say, and keeps which would be others."""
        refused: list[str] = []
        with session() as database:
            sheets: dict[tuple[int, str], list[ConversionRow]] = {}
            for row in rehearsal.find_conversions(database):
                source = row.material.document["source"]
                if source["format"] == SHEET:
                    sheets.setdefault((row.material.intake_id, source["file"]), []).append(row)
            dialect = self.dialect
            known = {**known_dialects(database), dialect.id: dialect}
            for (intake_id, file), rows in sheets.items():
                found = _read_sheet(database, intake_id, file, known)
                refused += found.refused
                for row in rows:
                    material = found.materials.get(row.material.document["source"]["place"])
                    if material is not None and material.digest != row.material.digest:
                        says = f"read again by its dialect: {name_some(list(list_differing(load_material(row.material), material)))}"
                        change = ReadingChange(says=says, document={**material_to_document(material), "name": row.material.name})
                        keep_reconversion(database, rehearsal, row, convert_as(row, material, target_for(row).profile), change)
        return " ".join(refused)

    def begin(self, database: Session, project_id: int) -> None:
        save_dialect(database, self.dialect.id, self.text, expected=self.version)

    def perform(self, database: Session, row: ConversionRow, changes: Mapping[str, Any], act: ActRow) -> None:
        planned = ReadingChange.model_validate(changes[WHOLE][1])
        before = ReadingChange(says="read as before", document=row.material.document)
        apply_reading(database, row.material, material_from_document(planned.document, blobs.open_image))
        note_whole_change(database, act, row, before.model_dump(), planned.model_dump())

    def undo(self, database: Session, done: EditRow, undoing: ActRow) -> str:
        row = find_conversion(database, done.conversion_id)
        before, after = map(ReadingChange.model_validate, done.changes[WHOLE])
        if row.material.document != after.document:
            return f"“{row.material.name}” was read again since, and stays."
        apply_reading(database, row.material, material_from_document(before.document, blobs.open_image))
        note_whole_change(database, undoing, row, after.model_dump(), before.model_dump())
        return ""


ACT = ApplyDialect


@dataclass(frozen=True)
class _Sheet:
    """Materials by their places in a sheet, and why it could not be read."""

    materials: Mapping[str, Material]
    refused: list[str]


def _read_sheet(database: Session, intake_id: int, file: str, known: Mapping[str, Dialect]) -> _Sheet:
    intake = find_intake(database, intake_id)
    names = [name for name in intake.files if PurePosixPath(name).name == file]
    if len(names) != 1:
        return _Sheet({}, [f"{len(names)} files “{file}” were uploaded: which of them a material came from is not known."])
    with restore_files(intake.files) as folder:
        taken = read_all([place_inside(folder, name) for name in intake.files], folder, known, intake, names[0])
        # Maps are read from the file store from here on, and not from a folder that goes.
        found = {
            material.source.place: material_from_document(material_to_document(material), blobs.open_image) for _, material in taken.found
        }
    return _Sheet(found, [f"{file}: {error.message}" for error in taken.errors if error.file == names[0]])
