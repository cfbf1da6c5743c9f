"""Converts with another aim: values that a person would keep, the nearest, or what the author meant."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from sqlalchemy.orm import Session

from fenrain.core.conversion.aim import AIM_TITLES, Aim
from fenrain.services.acts.act import WHOLE, WholeChange, note_whole_change
from fenrain.services.acts.reconverting import ReconvertingAct, keep_reconversion, list_other_values
from fenrain.services.acts.rehearsals import Rehearsal
from fenrain.services.conversions import aim_of, convert_with_aim, rewrite_conversion, target_for
from fenrain.services.history import find_conversion_at_version, name_some
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, load_material
from fenrain.store.tables import ActRow, ConversionRow, EditRow


class AimChange(WholeChange):
    """before: the aim that the conversion had of its own, "" for the project's."""

    before: str


class ApplyAim(ReconvertingAct):
    """Convert with an aim. Values that were set over derived ones stay."""

    kind: Literal["aim"] = "aim"
    by: ClassVar[str] = "another aim"
    aim: Aim

    def describe(self, database: Session) -> str:
        return f"convert to {AIM_TITLES[self.aim]}"

    def rehearse(self, rehearsal: Rehearsal) -> str:
        with session() as database:
            for row in rehearsal.find_conversions(database):
                if aim_of(row) is self.aim:
                    continue
                after = convert_with_aim(row, load_material(row.material), target_for(row).profile, self.aim)
                keep_reconversion(database, rehearsal, row, after, self.change_of(row, list_other_values(row, after)))
        return ""

    def perform(self, database: Session, row: ConversionRow, changes: Mapping[str, Any], act: ActRow) -> None:
        row.aim = self.aim
        rewrite_conversion(row)
        note_whole_change(database, act, row, *changes[WHOLE])

    def undo(self, database: Session, done: EditRow, undoing: ActRow) -> str:
        row, change = find_conversion(database, done.conversion_id), done.changes[WHOLE][1]
        if row.aim != self.aim:
            return f"“{row.material.name}” has got another aim since, and keeps it."
        row.aim = change["before"]
        rewrite_conversion(row)
        note_whole_change(database, undoing, row, change, {"says": f"converted to {AIM_TITLES[aim_of(row)]} again", "before": self.aim})
        return ""

    def change_of(self, row: ConversionRow, names: list[str]) -> AimChange:
        what = f": {name_some(names)}" if names else ", which says the same"
        return AimChange(says=f"converted to {AIM_TITLES[self.aim]}{what}", before=row.aim)


ACT = ApplyAim


def set_aim(database: Session, conversion_id: int, aim: Aim, *, expected: int) -> ConversionRow:
    """Convert one material with an aim, without a rehearsal; an act of the history. Raises NotFoundError, ConflictError."""
    row = find_conversion_at_version(database, conversion_id, expected)
    if aim_of(row) is not aim:
        act = ApplyAim(aim=aim)
        after = convert_with_aim(row, load_material(row.material), target_for(row).profile, aim)
        change = act.change_of(row, list_other_values(row, after))
        title = f"{row.material.name[:150]}: {change.says}"[:400]
        noted = ActRow(project_id=row.material.project_id, kind="many", title=title, rule={"act": act.model_dump(mode="json")})
        database.add(noted)
        database.flush()
        act.perform(database, row, {WHOLE: [None, change.model_dump()]}, noted)
    return row
