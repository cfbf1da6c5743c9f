"""Converts again by today's rules what older ones made."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from sqlalchemy.orm import Session

from fenrain.core.checking.code_version import rules_version
from fenrain.services.acts.act import WHOLE, Act, WholeChange, note_whole_change
from fenrain.services.acts.reconverting import keep_reconversion, list_other_values
from fenrain.services.acts.rehearsals import Rehearsal
from fenrain.services.conversions import load_conversion, refresh_conversion
from fenrain.services.history import name_some
from fenrain.store.database import session
from fenrain.store.rows import find_conversion
from fenrain.store.tables import ActRow, ConversionRow, EditRow


class ConvertAgain(Act):
    """Convert again by today's rules; values that were set over derived ones stay."""

    kind: Literal["convert again"] = "convert again"
    keeps_overrides: ClassVar[bool] = True

    def describe(self, database: Session) -> str:
        return "convert again by today's rules"

    def rehearse(self, rehearsal: Rehearsal) -> str:
        """What looks the same by today's rules is converted at once. The older rules draw nothing any more, so that there are no
        pictures."""
        with session() as database:
            (row,) = rehearsal.find_conversions(database)
            if row.rules == rules_version():
                return ""
            after = load_conversion(row)
            if after.material.digest == row.digest:
                refresh_conversion(row)
                return ""
            says = f"converted again by newer rules: {name_some(list_other_values(row, after))}"
            keep_reconversion(database, rehearsal, row, after, WholeChange(says=says), pictured=False)
        return ""

    def perform(self, database: Session, row: ConversionRow, changes: Mapping[str, Any], act: ActRow) -> None:
        refresh_conversion(row)
        note_whole_change(database, act, row, *changes[WHOLE])

    def undo(self, database: Session, done: EditRow, undoing: ActRow) -> str:
        return f"“{find_conversion(database, done.conversion_id).material.name}” was converted again by newer rules, and stays."


ACT = ConvertAgain
