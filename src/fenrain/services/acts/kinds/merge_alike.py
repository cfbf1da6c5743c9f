"""Lets one material stand for those that are equal to it, or nearly so."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from fenrain.core.checking.figures import figures
from fenrain.core.checking.near_duplicates import find_near_duplicates
from fenrain.services.acts.act import WHOLE, Act, WholeChange, note_whole_change
from fenrain.services.acts.rehearsals import Rehearsal, RehearsalResult
from fenrain.services.checks import load_tolerances
from fenrain.services.conversions import load_conversion
from fenrain.services.merging import merge_material, unmerge_material
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, find_project
from fenrain.store.tables import ActRow, ConversionRow, EditRow, MaterialRow


class MergeChange(WholeChange):
    """into: the id of the material that stands for it."""

    into: int


class MergeAlike(Act):
    """Let one material stand for others that are equal, or differ by no more than a match allows."""

    kind: Literal["merge"] = "merge"
    together: ClassVar[bool] = True
    changes_looks: ClassVar[bool] = False

    def describe(self, database: Session) -> str:
        return "merge what is equal, or differs by no more than a match allows"

    def rehearse(self, rehearsal: Rehearsal) -> str:
        """Keeps what the quick figures say of each as it is now and with the other one's look. Those that stand for another one already, or
        that another one stands for, are left out."""
        with session() as database:
            rows = [row for row in rehearsal.find_conversions(database) if row.material.merged_into is None]
            if not rows:
                return ""
            standing = set(database.scalars(select(MaterialRow.merged_into).where(MaterialRow.merged_into.is_not(None)).distinct()))
            conversions = [load_conversion(row) for row in rows]
            tolerances = load_tolerances(find_project(database, rows[0].material.project_id))
            known = [(row.id, row.version, row.material_id) for row in rows]
        found = find_near_duplicates([conversion.material for conversion in conversions], tolerances)
        with session() as database:
            for pair in found:
                conversion_id, version, material_id = known[pair.one]
                if material_id in standing:
                    continue
                own, other = conversions[pair.one], conversions[pair.stands_for_it]
                before, after = (tolerances.decided(figures(own.original, look).readings) for look in (own.material, other.material))
                difference = "equal" if pair.decision is None else str(pair.decision)
                merged = MergeChange(into=known[pair.stands_for_it][2], says=f"merged into “{other.original.name}” ({difference})")
                rehearsal.keep(database, RehearsalResult(conversion_id, version, {WHOLE: [None, merged.model_dump()]}, before, after))
        return ""

    def perform(self, database: Session, row: ConversionRow, changes: Mapping[str, Any], act: ActRow) -> None:
        merged = MergeChange.model_validate(changes[WHOLE][1])
        merge_material(database, row.material, merged.into)
        note_whole_change(database, act, row, None, merged.model_dump())

    def undo(self, database: Session, done: EditRow, undoing: ActRow) -> str:
        row = find_conversion(database, done.conversion_id)
        unmerge_material(database, row.material)
        note_whole_change(database, undoing, row, done.changes[WHOLE][1], {"says": "stands for itself again"})
        return ""


ACT = MergeAlike
