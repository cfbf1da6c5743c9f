"""What was found in an intake, a row a material: told again when its files are read, filtered and paged by the database, and left out."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import unquote

from sqlalchemy import ColumnElement, delete, func, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from fenrain.core.dialects.sheet import SHEET_SUFFIXES
from fenrain.core.errors import NotFoundError
from fenrain.store.documents.column import Document
from fenrain.store.documents.intakes import FoundDocument, SheetReading
from fenrain.store.tables import FoundRow, Intake

DOUBTFUL, SOUND = "doubtful", "sound"
MOST_CHOICES = 1000
"""Files and models that are offered to filter by."""
AT_ONCE = 500
"""Rows that are written in one statement."""


@dataclass(frozen=True)
class FoundQuery:
    """Which of the materials that were found. find: part of the name; file, model: exactly; doubts: DOUBTFUL, SOUND or "" for all;
    positions: these, where it is not None."""

    find: str = ""
    file: str = ""
    model: str = ""
    doubts: str = ""
    positions: tuple[int, ...] | None = None


class FoundCounts(Document):
    """Of all that was found: how many there are, how many of them enter the board, were doubtful at the door, are understood otherwise
    than before the last act, and of whose length nobody knows the unit."""

    materials: int
    taken: int
    doubtful: int
    changed: int
    without_unit: int


def list_found_materials(database: Session, intake_id: int) -> list[FoundDocument]:
    """What every material is understood as, in the order of their positions."""
    return list(database.scalars(select(FoundRow.document).where(FoundRow.intake_id == intake_id).order_by(FoundRow.position)))


def get_found_material(database: Session, intake_id: int, position: int) -> FoundDocument:
    """Raises NotFoundError."""
    row = database.get(FoundRow, (intake_id, position), populate_existing=True)
    if row is None:
        raise NotFoundError("There is no such material.", place=f"found/{position}", remedy="Load the intake again.")
    return row.document


def store_found_materials(database: Session, intake: Intake, found: Sequence[FoundDocument]) -> None:
    """Keep what materials are understood as, in place of what stands there; what was left out stays so. Only rows that differ are
    written."""
    database.flush()
    before = {row.position: row for row in database.scalars(select(FoundRow).where(FoundRow.intake_id == intake.id))}
    known = {_name_of(row.document): row for row in before.values()}
    rows = [_row(intake.id, position, one, known.get(_name_of(one))) for position, one in enumerate(found)]
    differ = [row for row in rows if _differs(before.get(row["position"]), row)]
    for begin in range(0, len(differ), AT_ONCE):
        added = insert(FoundRow).values(differ[begin : begin + AT_ONCE])
        database.execute(added.on_duplicate_key_update({name: added.inserted[name] for name in COLUMNS}))
    database.execute(delete(FoundRow).where(FoundRow.intake_id == intake.id, FoundRow.position >= len(rows)))
    intake.missing = sorted(_missing(found))
    intake.sheets = _sheets(intake, found)


COLUMNS = ("file", "name", "model", "doubtful", "without_unit", "left_out", "changed", "document")


def _row(intake_id: int, position: int, one: FoundDocument, before: FoundRow | None) -> dict[str, Any]:
    return {
        "intake_id": intake_id,
        "position": position,
        "file": one.file[:400],
        "name": one.name[:400],
        "model": one.model,
        "doubtful": any(finding.severity != "note" for finding in one.findings),
        "without_unit": one.unit == 0,
        "left_out": before is not None and before.left_out,
        "changed": before is not None and (before.document.model, before.document.values) != (one.model, one.values),
        "document": one,
    }


def _differs(before: FoundRow | None, row: Mapping[str, Any]) -> bool:
    return before is None or any(getattr(before, name) != row[name] for name in COLUMNS)


def _name_of(one: FoundDocument) -> tuple[str, str, str]:
    """What names a material while files are added around it."""
    return one.file, one.place, one.name


def _missing(found: Sequence[FoundDocument]) -> set[str]:
    """Names of the files that materials refer to and that were not uploaded."""
    said = (finding for one in found for finding in one.findings if finding.code == "missing-map")
    names = (PurePosixPath(unquote(finding.evidence).replace("\\", "/")).name for finding in said)
    return {name for name in names if name}


def _sheets(intake: Intake, found: Sequence[FoundDocument]) -> list[SheetReading]:
    """By which dialect each parameter sheet was read: the one that was guessed for it, or those that it names; or why it was not."""
    refused = {error.file: error for error in reversed(intake.errors)}
    guessed = {one.file: finding for one in reversed(found) for finding in reversed(one.findings) if finding.code == "guessed-dialect"}
    read = {one.file for one in found}
    sheets = []
    for file in intake.files:
        if PurePosixPath(file).suffix.lower() not in SHEET_SUFFIXES:
            continue
        if error := refused.get(file):
            says = f"{error.message} {error.remedy}".strip()
            sheets.append(SheetReading(file=file, dialect=intake.dialects.get(file, ""), says=says, refused=True))
        elif guess := guessed.get(file):
            sheets.append(SheetReading(file=file, dialect=guess.evidence, says=guess.message, refused=False))
        elif file in read:
            sheets.append(SheetReading(file=file, dialect="", says="Read by the dialects that it names.", refused=False))
    return sheets


def count_found_materials(database: Session, intake_id: int) -> FoundCounts:
    columns = FoundRow.left_out, FoundRow.doubtful, FoundRow.changed, FoundRow.without_unit
    query = select(*columns, func.count()).where(FoundRow.intake_id == intake_id).group_by(*columns)
    tallies = [(*(bool(one) for one in flags), count) for *flags, count in database.execute(query)]
    every = sum(tally[-1] for tally in tallies)
    left_out, doubtful, changed, without_unit = (sum(tally[-1] for tally in tallies if tally[at]) for at in range(len(columns)))
    return FoundCounts(materials=every, taken=every - left_out, doubtful=doubtful, changed=changed, without_unit=without_unit)


def list_found_filters(database: Session, intake_id: int) -> dict[str, list[str]]:
    """Files and models that what was found can be filtered by."""
    columns = {"files": FoundRow.file, "models": FoundRow.model}
    queries = {name: select(one).where(FoundRow.intake_id == intake_id).distinct().order_by(one) for name, one in columns.items()}
    return {name: list(database.scalars(query.limit(MOST_CHOICES))) for name, query in queries.items()}


def get_found_page(database: Session, intake_id: int, sought: FoundQuery, *, offset: int, most: int) -> tuple[list[FoundRow], int]:
    """A part of what is sought, and how much there is in all."""
    conditions = list(_conditions(intake_id, sought))
    total = database.scalar(select(func.count()).select_from(FoundRow).where(*conditions)) or 0
    rows = database.scalars(select(FoundRow).where(*conditions).order_by(FoundRow.position).offset(offset).limit(most))
    return list(rows), total


def mark_taken(database: Session, intake_id: int, sought: FoundQuery, *, taken: bool) -> None:
    """Say of what is sought whether it enters the board."""
    database.execute(update(FoundRow).where(*_conditions(intake_id, sought)).values(left_out=not taken))


def list_taken_positions(database: Session, intake_id: int) -> set[int]:
    """Of what enters the board."""
    return set(database.scalars(select(FoundRow.position).where(FoundRow.intake_id == intake_id, ~FoundRow.left_out)))


def _conditions(intake_id: int, sought: FoundQuery) -> Iterable[ColumnElement[bool]]:
    yield FoundRow.intake_id == intake_id
    if sought.find:
        yield FoundRow.name.icontains(sought.find, autoescape=True)
    if sought.file:
        yield FoundRow.file == sought.file
    if sought.model:
        yield FoundRow.model == sought.model
    if sought.doubts:
        yield FoundRow.doubtful == (sought.doubts == DOUBTFUL)
    if sought.positions is not None:
        yield FoundRow.position.in_(sought.positions)
