"""Makes a second version of each material."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from sqlalchemy.orm import Session

from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.errors import InputError
from fenrain.services.acts.act import WHOLE, Act, Name, WholeChange, note_whole_change
from fenrain.services.acts.rehearsals import Rehearsal, RehearsalResult
from fenrain.services.checks import load_tolerances
from fenrain.services.conversions import load_conversion, measure_on_directions
from fenrain.services.history import has_edit
from fenrain.services.variants import list_variants, make_variant, remove_variant
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, find_project
from fenrain.store.tables import ActRow, ConversionRow, EditRow


class VariantChange(WholeChange):
    """name: of the variant."""

    name: str


class MakeVariants(Act):
    """Make second versions, to be tuned without touching the first. name: what is put after each material's."""

    kind: Literal["variant"] = "variant"
    changes_looks: ClassVar[bool] = False
    name: Name

    def check(self, database: Session, project_id: int, target: ServedTarget) -> None:
        if not self.name.strip():
            raise InputError("Variants have names of their own.", place="name", remedy="Say what is put after each name.")

    def describe(self, database: Session) -> str:
        return f"make a variant of each, “… {self.name}”"

    def rehearse(self, rehearsal: Rehearsal) -> str:
        """A variant looks as what it is made of."""
        with session() as database:
            for row in rehearsal.find_conversions(database):
                tolerances = load_tolerances(find_project(database, row.material.project_id))
                measured = measure_on_directions(load_conversion(row)) if row.document is None else row.document.figures
                known = measured.decide(tolerances)
                name = f"{row.material.name} {self.name.strip()}"
                made = VariantChange(name=name, says=f"made a variant, “{name}”")
                rehearsal.keep(database, RehearsalResult(row.id, row.version, {WHOLE: [None, made.model_dump()]}, known, known))
        return ""

    def perform(self, database: Session, row: ConversionRow, changes: Mapping[str, Any], act: ActRow) -> None:
        """Once, whatever crashed: its edit is noted with the variant."""
        planned = VariantChange.model_validate(changes[WHOLE][1])
        if any(one.material.name == planned.name and has_edit(database, act.id, one.id) for one in list_variants(database, row)):
            return
        made = make_variant(database, row.id, planned.name)
        note_whole_change(database, act, made, None, planned.model_dump())

    def undo(self, database: Session, done: EditRow, undoing: ActRow) -> str:
        name = find_conversion(database, done.conversion_id).material.name
        return "" if remove_variant(database, done) else f"“{name}” was worked on since, and stays."


ACT = MakeVariants
