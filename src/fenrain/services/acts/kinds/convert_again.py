"""Converts again by today's rules what older ones made."""

from __future__ import annotations

from typing import ClassVar, Literal

from sqlalchemy.orm import Session

from fenrain.core.checking.code_version import rules_version
from fenrain.services.acts.act import WholeChange
from fenrain.services.acts.reconverting import ReconvertingAct, keep_reconversion, list_other_values
from fenrain.services.acts.rehearsals import Rehearsal
from fenrain.services.conversions import load_conversion, refresh_conversion
from fenrain.services.history import name_some
from fenrain.store.database import session


class ConvertAgain(ReconvertingAct):
    """Convert again by today's rules; values that were set over derived ones stay."""

    kind: Literal["convert again"] = "convert again"
    by: ClassVar[str] = "newer rules"

    def describe(self, database: Session) -> str:
        return "convert again by today's rules"

    def rehearse(self, rehearsal: Rehearsal) -> str:
        """What looks the same by today's rules is converted at once. The older rules draw nothing any more, so that there are no
        pictures."""
        with session() as database:
            for row in rehearsal.find_conversions(database):
                if row.rules == rules_version():
                    continue
                after = load_conversion(row)
                if after.material.digest == row.digest:
                    refresh_conversion(row)
                    continue
                says = f"converted again by newer rules: {name_some(list_other_values(row, after))}"
                keep_reconversion(database, rehearsal, row, after, WholeChange(says=says), pictured=False)
        return ""


ACT = ConvertAgain
