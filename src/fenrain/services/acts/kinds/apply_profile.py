"""Saves a target profile, and converts again by it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Literal

from sqlalchemy.orm import Session

from fenrain.core.conversion.targets import ServedTarget, target_of_profile
from fenrain.core.errors import InputError
from fenrain.services.acts.act import WHOLE, Act, Name, Text, WholeChange, note_whole_change
from fenrain.services.acts.reconverting import keep_reconversion, list_other_values
from fenrain.services.acts.rehearsals import Rehearsal
from fenrain.services.conversions import convert_as, refresh_conversion
from fenrain.services.history import name_some
from fenrain.services.targets import find_profile, list_converted, read_profile, save_profile
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, load_material
from fenrain.store.tables import ActRow, ConversionRow, EditRow


class ApplyProfile(Act):
    """Save a target profile and convert again by it. name: what people call it; text: that of its file; version: that it was made from."""

    kind: Literal["profile"] = "profile"
    keeps_overrides: ClassVar[bool] = True
    name: Name = ""
    text: Text
    version: int = 0

    def check(self, database: Session, project_id: int, target: ServedTarget) -> None:
        stated, profile = read_profile(self.text), target.profile.name
        if stated.id != profile or target_of_profile(stated).model.id != target.model.id:
            remedy = f"Rehearse it as “{profile}”, or save it as new."
            raise InputError(f"The profile calls itself “{stated.id}”.", place="text", remedy=remedy)
        find_profile(database, project_id, profile)

    def describe(self, database: Session) -> str:
        return f"save the target profile “{self.name}” and convert again by it"

    def rehearse(self, rehearsal: Rehearsal) -> str:
        with session() as database:
            (row,) = rehearsal.find_conversions(database)
            after = convert_as(row, load_material(row.material), target_of_profile(read_profile(self.text)).profile)
            if after.material.digest != row.digest:
                says = f"converted again by the profile: {name_some(list_other_values(row, after))}"
                keep_reconversion(database, rehearsal, row, after, WholeChange(says=says))
        return ""

    def begin(self, database: Session, project_id: int) -> None:
        save_profile(database, project_id, read_profile(self.text), expected=self.version)

    def also_converted(self, database: Session, project_id: int, profile: str) -> Sequence[int]:
        """All: what looks the same by it may be written otherwise."""
        return list_converted(database, project_id, profile)

    def perform(self, database: Session, row: ConversionRow, changes: Mapping[str, Any], act: ActRow) -> None:
        refresh_conversion(row)
        note_whole_change(database, act, row, *changes[WHOLE])

    def undo(self, database: Session, done: EditRow, undoing: ActRow) -> str:
        name = find_conversion(database, done.conversion_id).material.name
        return f"“{name}” was converted again by the profile that was saved, and stays."


ACT = ApplyProfile
