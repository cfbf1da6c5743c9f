"""Intakes: files uploaded together, before and after their materials enter the board."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.corrections import Correction
from fenrain.core.dialects.draft import draft
from fenrain.core.dialects.guess import Guess, guess
from fenrain.core.dialects.sheet import SHEET_SUFFIXES
from fenrain.core.errors import ConflictError, InputError, NotFoundError, ParameterError, UnknownFormatError
from fenrain.core.formats.parameter_sheet import sheet_rows
from fenrain.core.formats.registry import formats
from fenrain.services import found_materials
from fenrain.services.interpretation import (
    InterpretedFiles,
    is_incomplete,
    is_of,
    read_all,
    summarise,
    twins_among,
    with_twin_finding,
    with_twins,
)
from fenrain.services.library import known_dialects
from fenrain.services.uploads import find_files_by_name, list_files, place_inside, restore_files, searched_folder
from fenrain.store import blobs
from fenrain.store.documents.intakes import FoundDocument, StoredCorrection
from fenrain.store.rows import add_material, find_intake
from fenrain.store.tables import Intake, MaterialRow


def create_intake(database: Session, project_id: int, folder: Path) -> Intake:
    """Read every material file below a folder, and keep all files. Errors of single files are listed, the rest goes on."""
    paths = list_files(folder)
    intake = Intake(project_id=project_id, state="found", dialects={}, unit=0.0, corrections=[], chosen={}, files={}, errors=[], unused=[])
    taken = read_all(paths, folder, known_dialects(database), intake)
    if not taken.found and not taken.errors:
        known = ", ".join(suffix for candidate in formats().values() if candidate.read for suffix in candidate.suffixes)
        raise UnknownFormatError(
            "No material file is among what was uploaded.",
            place=", ".join(path.name for path in paths[:5]),
            remedy=f"Upload {known}, with the maps.",
        )
    intake.files = _save_files(paths, folder)
    database.add(intake)
    return _store_interpretation(database, intake, summarise(taken), taken)


def _save_files(paths: Sequence[Path], folder: Path) -> dict[str, str]:
    """The digests of files in the file store, by their names in the folder."""
    return {path.relative_to(folder).as_posix(): blobs.save_file(path) for path in paths}


def add_files(database: Session, intake_id: int, folder: Path) -> Intake:
    """Lay more files beside those of an intake that has not entered the board, in place of those of the same names, and read all again."""
    intake = _open_intake(database, intake_id, "files")
    intake.files = {**intake.files, **_save_files(list_files(folder), folder)}
    return _read_again(database, intake)


def choose_unit(database: Session, intake_id: int, unit: float) -> Intake:
    """Say how many metres the unit of length is, for files that state none."""
    intake = _open_intake(database, intake_id, "unit")
    intake.unit = unit
    return _read_again(database, intake)


def choose_namesake(database: Session, intake_id: int, name: str, path: str) -> Intake:
    """Say which of several files of one name is meant. Raises NotFoundError."""
    intake = _open_intake(database, intake_id, "chosen")
    if PurePosixPath(path).name != name or path not in intake.files:
        raise NotFoundError(f"No file “{path}” was uploaded.", place=name, remedy="Choose one of those that are offered.")
    intake.chosen = {**intake.chosen, name: path}
    return _read_again(database, intake)


FOUND = "found"
"""The folder of an intake that what was found elsewhere lies in."""


def search_missing_files(database: Session, intake_id: int, place: str) -> Intake:
    """Look for the images that are missing, by their names, below a folder of the server that may be looked into, and lay those that are
    there beside the others. Raises InputError for what is no such folder, or where none of them is there; TooLargeError."""
    intake = _open_intake(database, intake_id, "search")
    folder = searched_folder(place)
    missing = set(intake.missing)
    if not missing:
        raise InputError("No file is missing.", place="folder", remedy="Take the materials onto the board.")
    there = find_files_by_name(missing, folder)
    if not there:
        raise InputError(
            f"None of the {len(missing)} missing files is below “{place[:200]}”.",
            place="folder",
            remedy=f"Missing are {', '.join(sorted(missing)[:5])}.",
        )
    kept = {f"{FOUND}/{path.relative_to(folder).as_posix()}": blobs.save_file(path) for path in there}
    intake.files = {**intake.files, **kept}
    return _read_again(database, intake)


def correct_material(database: Session, intake_id: int, position: int, correction: Correction) -> Intake:
    """Correct how a found material, or a value of it, is understood. Raises NotFoundError, ParameterError for what cannot be corrected so,
    UnknownModelError."""
    intake = _open_intake(database, intake_id, "corrections")
    about = found_materials.get_found_material(database, intake_id, position)
    intake.corrections = [*intake.corrections, StoredCorrection(file=about.file, place=about.place, **correction.model_dump())]
    _read_again(database, intake, about.file)
    findings = found_materials.get_found_material(database, intake_id, position).findings
    refused = [finding for finding in findings if finding.code == "correction-left-out"]
    if refused:
        raise ParameterError(refused[-1].message, place=correction.parameter or about.name, remedy="Correct what is there.")
    return intake


def remove_corrections(database: Session, intake_id: int, position: int) -> Intake:
    """Forget every correction of a found material. Raises NotFoundError."""
    intake = _open_intake(database, intake_id, "corrections")
    about = found_materials.get_found_material(database, intake_id, position)
    intake.corrections = [one for one in intake.corrections if not is_of(one, about.file, about.place)]
    return _read_again(database, intake, about.file)


def set_taken(database: Session, intake_id: int, sought: found_materials.FoundQuery, *, taken: bool) -> None:
    """Say of some of the found materials whether they enter the board. Raises InputError where they have entered already."""
    found_materials.mark_taken(database, _open_intake(database, intake_id, "taken").id, sought, taken=taken)


def discard_intake(database: Session, intake_id: int) -> None:
    """Forget an intake that has not entered the board."""
    database.delete(_open_intake(database, intake_id, "intake"))


def find_open_intake(database: Session, project_id: int) -> Intake | None:
    """The newest intake of a project, as long as it has not entered the board."""
    newest = database.scalar(select(Intake).where(Intake.project_id == project_id).order_by(Intake.id.desc()).limit(1))
    return newest if newest is not None and newest.state == "found" else None


def _lock_intake(database: Session, intake_id: int) -> Intake:
    """An intake that who else changes it has to wait for. Raises NotFoundError."""
    return database.get(Intake, intake_id, with_for_update=True) or find_intake(database, intake_id)


def _open_intake(database: Session, intake_id: int, place: str) -> Intake:
    intake = _lock_intake(database, intake_id)
    if intake.state == "accepted":
        raise InputError("These materials have entered the board already.", place=place, remedy="Hand the files in again.")
    return intake


def _read_again(database: Session, intake: Intake, file: str = "") -> Intake:
    """Read all files again, or one of them."""
    with restore_files(intake.files) as folder:
        taken = read_all([place_inside(folder, name) for name in intake.files], folder, known_dialects(database), intake, file)
        told = summarise(taken)
    if file == "":
        return _store_interpretation(database, intake, told, taken)
    before = found_materials.list_found_materials(database, intake.id)
    at = next((index for index, one in enumerate(before) if one.file == file), len(before))
    others = [one for one in before if one.file != file]
    intake.errors = [*(error for error in intake.errors if error.file != file), *taken.errors]
    found_materials.store_found_materials(database, intake, with_twins([*others[:at], *told, *others[at:]]))
    return intake


def _store_interpretation(database: Session, intake: Intake, told: list[FoundDocument], taken: InterpretedFiles) -> Intake:
    intake.errors, intake.unused = taken.errors, taken.unused
    found_materials.store_found_materials(database, intake, with_twins(told))
    return intake


def accept_found(database: Session, intake_id: int, chosen: list[int] | None) -> list[MaterialRow]:
    """Let the found materials (all that are not left out, or those with these positions) enter the board. A second time it gives the same
    rows. Raises ConflictError where one of them reads otherwise than it was shown, since a dialect was changed."""
    intake = _lock_intake(database, intake_id)
    if intake.state == "accepted":
        return list(database.query(MaterialRow).filter(MaterialRow.intake_id == intake_id).order_by(MaterialRow.id))
    with restore_files(intake.files) as folder:
        paths = [place_inside(folder, name) for name in intake.files]
        taken = read_all(paths, folder, known_dialects(database), intake)
        entering = found_materials.list_taken_positions(database, intake_id) if chosen is None else set(chosen)
        _require_as_shown(found_materials.list_found_materials(database, intake_id), taken, entering)
        twins = twins_among([(material.name, material.digest, is_incomplete(material)) for _, material in taken.found])
        rows = [
            add_material(database, intake.project_id, intake, with_twin_finding(material, twin))
            for position, ((_, material), twin) in enumerate(zip(taken.found, twins, strict=True))
            if position in entering
        ]
    intake.state = "accepted"
    return rows


def _require_as_shown(shown: Sequence[FoundDocument], taken: InterpretedFiles, entering: Collection[int]) -> None:
    """Raises ConflictError unless the same materials are found in the same order, and those that enter have the values that were shown."""
    read = [(file, material.source.place, material.digest) for file, material in taken.found]
    if [(one.file, one.place) for one in shown] != [(file, place) for file, place, _ in read]:
        raise ConflictError("The files hold other materials than were shown.", place="found", remedy="Open the import again.")
    for position in entering:
        if position < len(shown) and shown[position].digest != read[position][2]:
            raise ConflictError(
                f"“{shown[position].name}” reads otherwise than it was shown: its dialect was changed meanwhile.",
                place=shown[position].file,
                remedy="It is shown as it reads now; look at it, and take it onto the board then.",
            )


def read_files_again(database: Session, intake_id: int) -> Intake:
    """Show what the files of an intake that has not entered the board read as today."""
    return _read_again(database, _open_intake(database, intake_id, "found"))


def choose_dialect(database: Session, intake_id: int, file: str, key: str) -> Intake:
    """Read a parameter sheet of an intake again, by this dialect. Raises InputError where its materials entered already."""
    intake = _open_intake(database, intake_id, file)
    if file not in intake.files or Path(file).suffix.lower() not in SHEET_SUFFIXES:
        raise NotFoundError("There is no such parameter sheet.", place=file)
    known = known_dialects(database)
    if key not in known:
        raise NotFoundError("There is no such dialect.", place=key, remedy=f"Known: {', '.join(known)}.")
    intake.dialects = {**intake.dialects, file: key}
    return _read_again(database, intake)


@dataclass(frozen=True)
class SheetFit:
    """How well each known dialect fits a sheet, the likeliest first; its first rows as JSON, and a dialect of its own to begin from."""

    guesses: list[Guess]
    rows: str
    draft: str


ROWS_SHOWN = 40


def measure_sheet_fit(database: Session, intake_id: int, file: str) -> SheetFit:
    """Raises NotFoundError, and what `sheet_rows` raises."""
    intake = find_intake(database, intake_id)
    if file not in intake.files or Path(file).suffix.lower() not in SHEET_SUFFIXES:
        raise NotFoundError("There is no such parameter sheet.", place=file)
    rows = sheet_rows(blobs.path_of(intake.files[file], file), file)
    known = known_dialects(database)
    shown = ",\n ".join(json.dumps(dict(row.columns), ensure_ascii=False, default=str) for row in rows[:ROWS_SHOWN])
    return SheetFit(guess(rows, known), f"[{shown}]", draft(rows, Path(file).stem, known))
