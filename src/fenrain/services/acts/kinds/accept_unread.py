"""Says that what was not read of sources does not matter, so that a verdict is one again."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from sqlalchemy.orm import Session

from fenrain.core.checking.undrawn import find_unread_statements
from fenrain.services.acts.act import WHOLE, Act, WholeChange, note_whole_change
from fenrain.services.acts.rehearsals import Rehearsal, RehearsalResult
from fenrain.services.checks import load_tolerances
from fenrain.services.conversions import apply_reading, load_conversion, measure_on_directions
from fenrain.services.history import find_conversion_at_version
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, find_project, load_material
from fenrain.store.tables import ActRow, ConversionRow, EditRow


class AcceptUnread(Act):
    """Say that it does not matter what was not read of a source: a match is one again, here and in every other target."""

    kind: Literal["accept unread"] = "accept unread"
    changes_looks: ClassVar[bool] = False
    keeps_overrides: ClassVar[bool] = True

    def describe(self, database: Session) -> str:
        return "accept what was not read"

    def rehearse(self, rehearsal: Rehearsal) -> str:
        with session() as database:
            for row in rehearsal.find_conversions(database):
                conversion = load_conversion(row)
                statements = find_unread_statements(conversion.original)
                if statements:
                    tolerances = load_tolerances(find_project(database, row.material.project_id))
                    before = measure_on_directions(conversion)
                    after = before.model_copy(update={"unseen": tuple(one for one in before.unseen if one not in statements)})
                    changes = {WHOLE: [None, _change(statements).model_dump()]}
                    rehearsal.keep(
                        database, RehearsalResult(row.id, row.version, changes, before.decide(tolerances), after.decide(tolerances))
                    )
        return ""

    def perform(self, database: Session, row: ConversionRow, changes: Mapping[str, Any], act: ActRow) -> None:
        apply_reading(database, row.material, load_material(row.material).accepting_unread())
        note_whole_change(database, act, row, *changes[WHOLE])

    def undo(self, database: Session, done: EditRow, undoing: ActRow) -> str:
        row = find_conversion(database, done.conversion_id)
        apply_reading(database, row.material, load_material(row.material).accepting_unread(False))
        note_whole_change(database, undoing, row, done.changes[WHOLE][1], {"says": "what was not read matters again"})
        return ""


ACT = AcceptUnread


def _change(statements: tuple[str, ...]) -> WholeChange:
    more = f" and {len(statements) - 1} more" if len(statements) > 1 else ""
    return WholeChange(says=f"accepted as it is, {statements[0]}{more}")


def accept_unread(database: Session, conversion_id: int, *, expected: int) -> ConversionRow:
    """Say it of one material, without a rehearsal; an act of the history. Raises NotFoundError, ConflictError."""
    row = find_conversion_at_version(database, conversion_id, expected)
    material = load_material(row.material)
    statements = find_unread_statements(material)
    if statements:
        act = AcceptUnread()
        change = _change(statements)
        title = f"{material.name[:150]}: {change.says}"[:400]
        noted = ActRow(project_id=row.material.project_id, kind="many", title=title, rule={"act": act.model_dump(mode="json")})
        database.add(noted)
        database.flush()
        act.perform(database, row, {WHOLE: [None, change.model_dump()]}, noted)
    return row
