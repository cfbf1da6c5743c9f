"""What runs in the worker process, each in a session of its own, with plain data in and out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fenrain.core.corrections import Correction
from fenrain.core.dialects.dialect import Dialect, Problem, examine
from fenrain.core.dialects.guess import guess
from fenrain.core.dialects.reading import Folders, materials_of
from fenrain.core.dialects.sheet import read_sheet
from fenrain.core.errors import ConflictError, FenrainError
from fenrain.core.steps import ValueStep
from fenrain.services import comparison, intakes, maps, variants
from fenrain.services.conversions import measure_shares, refresh_conversion
from fenrain.services.intakes import accept_found, choose_dialect, create_intake
from fenrain.services.library import find_preset, known_dialects, preset_material, start_material
from fenrain.services.surroundings import keep_surroundings
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, find_project

MOST_TRIED = 50
MOST_GUESSES = 4
NOWHERE = Path("/nonexistent")
"""A sheet that is only tried has no folder, so none of its maps is looked for."""


def create_intake_from(project_id: int, folder: str) -> int:
    """Read what lies in a folder. Returns the intake's id."""
    with session() as database:
        find_project(database, project_id)
        return create_intake(database, project_id, Path(folder)).id


def add_surroundings(project_id: int, path: str, name: str) -> int:
    """Keep a picture of surroundings as a rig. Returns its row's id."""
    with session() as database:
        return keep_surroundings(database, project_id, Path(path), name).id


def choose_sheet_dialect(intake_id: int, file: str, dialect: str) -> None:
    with session() as database:
        choose_dialect(database, intake_id, file, dialect)


def compare_aims(conversion_id: int) -> list[comparison.ComparedAim]:
    with session() as database:
        return comparison.compare_aims(database, conversion_id)


def fit_sheet(intake_id: int, file: str) -> intakes.SheetFit:
    with session() as database:
        return intakes.measure_sheet_fit(database, intake_id, file)


def add_files(intake_id: int, folder: str) -> None:
    """Read what lies in a folder beside what an intake has already."""
    with session() as database:
        intakes.add_files(database, intake_id, Path(folder))


def choose_unit(intake_id: int, unit: float) -> None:
    with session() as database:
        intakes.choose_unit(database, intake_id, unit)


def correct(intake_id: int, position: int, correction: Correction) -> None:
    with session() as database:
        intakes.correct_material(database, intake_id, position, correction)


def choose_namesake(intake_id: int, name: str, path: str) -> None:
    with session() as database:
        intakes.choose_namesake(database, intake_id, name, path)


def search(intake_id: int, folder: str) -> None:
    with session() as database:
        intakes.search_missing_files(database, intake_id, folder)


def remove_corrections(intake_id: int, position: int) -> None:
    with session() as database:
        intakes.remove_corrections(database, intake_id, position)


def accept_found_materials(intake_id: int, positions: list[int] | None) -> list[int]:
    """Let found materials enter the board. Returns their ids. Where they read otherwise than they were shown, they are shown again."""
    try:
        with session() as database:
            return [row.id for row in accept_found(database, intake_id, positions)]
    except ConflictError:
        with session() as database:
            intakes.read_files_again(database, intake_id)
        raise


def start_from_preset(project_id: int, preset: str, name: str, color: tuple[float, float, float] | None) -> int:
    """Begin a material from a named surface. Returns its id."""
    with session() as database:
        return start_material(database, project_id, preset_material(find_preset(database, preset), name, color)).id


def edit_conversion(change: Callable[..., Any], conversion_id: int, *args: Any, expected: int) -> None:
    """One edit of a conversion, by one of the functions of `services.conversions`."""
    with session() as database:
        change(database, conversion_id, *args, expected=expected)


def make_variant(conversion_id: int, name: str) -> int:
    """Returns the id of the variant's conversion."""
    with session() as database:
        return variants.make_variant(database, conversion_id, name).id


def refresh_by_id(conversion_id: int) -> None:
    """Compute again what another edition of Fenrain wrote."""
    with session() as database:
        refresh_conversion(find_conversion(database, conversion_id))


def shares(conversion_id: int) -> dict[str, Any]:
    with session() as database:
        return measure_shares(database, conversion_id)


def list_maps(conversion_id: int) -> list[dict[str, Any]]:
    with session() as database:
        return maps.list_maps(database, conversion_id)


def show_map(conversion_id: int, name: str, source: str, steps: list[ValueStep] | None) -> dict[str, Any]:
    with session() as database:
        return maps.show_map(database, conversion_id, name, source, steps)


def compare_material(material_id: int) -> comparison.Comparison:
    with session() as database:
        return comparison.compare_targets(database, material_id)


@dataclass(frozen=True)
class TriedSheet:
    """problems: of the dialect, by line; refused: why the sheet could not be read; guesses: (dialect, confidence, reasons)."""

    problems: list[Problem]
    refused: str
    guesses: list[tuple[Dialect, float, tuple[str, ...]]]
    materials: list[comparison.TriedMaterial]


def try_sheet(dialect_text: str, sheet: str, kind: str) -> TriedSheet:
    """Read a sheet by a dialect that may be unfinished."""
    with session() as database:
        known = known_dialects(database)
    dialect, problems = examine(dialect_text) if dialect_text.strip() else (None, [])
    tried = TriedSheet(problems, "", [], [])
    if not sheet.strip():
        return tried
    among = {**known, dialect.id: dialect} if dialect is not None else known
    try:
        rows = read_sheet(sheet, kind, "the sheet")[:MOST_TRIED]
        likely = [found for found in guess(rows, among)[:MOST_GUESSES] if found.confidence > 0]
        tried.guesses.extend((found.dialect, found.confidence, found.reasons) for found in likely)
        if not problems:
            materials = materials_of(rows, "sheet", Folders(NOWHERE, NOWHERE), dialect, among)
            tried.materials.extend(comparison.describe_trial(material) for material in materials)
    except FenrainError as refused:
        return TriedSheet(problems, str(refused), tried.guesses, [])
    return tried
