"""Saves a target profile, and converts again by it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

from sqlalchemy.orm import Session

from fenrain.core.conversion.targets import ServedTarget, target_of_profile
from fenrain.core.errors import InputError
from fenrain.services.acts.act import Name, Text, WholeChange
from fenrain.services.acts.reconverting import ReconvertingAct, keep_reconversion, list_other_values
from fenrain.services.acts.rehearsals import Rehearsal
from fenrain.services.conversions import convert_as
from fenrain.services.history import name_some
from fenrain.services.targets import find_profile, list_converted, read_profile, save_profile
from fenrain.store.database import session
from fenrain.store.rows import load_material


class ApplyProfile(ReconvertingAct):
    """Save a target profile and convert again by it. name: what people call it; text: that of its file; version: that it was made from."""

    kind: Literal["profile"] = "profile"
    by: ClassVar[str] = "the profile that was saved"
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
            profile = target_of_profile(read_profile(self.text)).profile
            for row in rehearsal.find_conversions(database):
                after = convert_as(row, load_material(row.material), profile)
                if after.material.digest != row.digest:
                    says = f"converted again by the profile: {name_some(list_other_values(row, after))}"
                    keep_reconversion(database, rehearsal, row, after, WholeChange(says=says))
        return ""

    def begin(self, database: Session, project_id: int) -> None:
        save_profile(database, project_id, read_profile(self.text), expected=self.version)

    def also_converted(self, database: Session, project_id: int, profile: str) -> Sequence[int]:
        """All: what looks the same by it may be written otherwise."""
        return list_converted(database, project_id, profile)


ACT = ApplyProfile
