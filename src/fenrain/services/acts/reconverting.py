"""What acts have in common that convert again: what a rehearsal keeps, what they do, and which values differ."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar

from sqlalchemy.orm import Session

from fenrain.core.checking.figures import figures
from fenrain.core.conversion.engine import Conversion
from fenrain.core.material import Material
from fenrain.services.acts.act import WHOLE, Act, WholeChange, note_whole_change
from fenrain.services.acts.rehearsals import Rehearsal, RehearsalResult, picture_before_and_after
from fenrain.services.checks import load_tolerances
from fenrain.services.conversions import ledger_entries, load_conversion, refresh_conversion
from fenrain.store.rows import find_conversion, find_project
from fenrain.store.tables import ActRow, ConversionRow, EditRow


class ReconvertingAct(Act):
    """Converts again by what is saved or newer by then; there is no way back. by: what that is, in words."""

    keeps_overrides: ClassVar[bool] = True
    by: ClassVar[str]

    def perform(self, database: Session, row: ConversionRow, changes: Mapping[str, Any], act: ActRow) -> None:
        refresh_conversion(row)
        note_whole_change(database, act, row, *changes[WHOLE])

    def undo(self, database: Session, done: EditRow, undoing: ActRow) -> str:
        return f"“{find_conversion(database, done.conversion_id).material.name}” was converted again by {self.by}, and stays."


def keep_reconversion(
    database: Session, rehearsal: Rehearsal, row: ConversionRow, after: Conversion, change: WholeChange, *, pictured: bool = True
) -> None:
    """Keep what a conversion would become. pictured: with pictures, where the rehearsal still wants some."""
    tolerances = load_tolerances(find_project(database, row.material.project_id))
    then = tolerances.decided(figures(after.original, after.material).readings)
    before = then if row.document is None else row.document.figures.decide(tolerances)
    pictures = picture_before_and_after(load_conversion(row), after) if pictured and rehearsal.wants_pictures(database) else {}
    rehearsal.keep(database, RehearsalResult(row.id, row.version, {WHOLE: [None, change.model_dump()]}, before, then, pictures))


def list_other_values(row: ConversionRow, after: Conversion) -> list[str]:
    """Names of the target's values that the ledger shows otherwise."""
    was = row.document.shown_by_target() if row.document is not None else {}
    now = {entry.target: entry.shown for entry in ledger_entries(after) if entry.target}
    return [name for name in dict.fromkeys([*now, *was]) if now.get(name) != was.get(name)]


def list_differing(before: Material, after: Material) -> Iterator[str]:
    """What two readings of an original do not agree on."""
    if before.model != after.model:
        yield "shading model"
    for name in dict.fromkeys([*before.values, *after.values]):
        if before.values.get(name) != after.values.get(name):
            yield name
