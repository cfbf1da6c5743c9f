"""Copies groups of values from another conversion."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from sqlalchemy.orm import Session

from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import By, Override
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.errors import InputError
from fenrain.services.acts.act import Groups
from fenrain.services.acts.overriding_act import Overrides, OverridingAct, overrides_outside, require_groups
from fenrain.services.conversions import load_conversion
from fenrain.store.database import session
from fenrain.store.rows import find_conversion
from fenrain.store.tables import ConversionRow


class CopyGroups(OverridingAct):
    """Take over what stands in these groups of another conversion, from_id, maps too."""

    kind: Literal["copy"] = "copy"
    groups: Groups
    from_id: int

    def check(self, database: Session, project_id: int, target: ServedTarget) -> None:
        require_groups(self.groups)
        if find_conversion(database, self.from_id).target != target.model.id:
            raise InputError("Groups are copied between conversions to one model.", place="from_id", remedy="Choose another material.")

    def describe(self, database: Session) -> str:
        source = database.get(ConversionRow, self.from_id)
        return f"copy {', '.join(self.groups)} from {'a material that is gone' if source is None else source.material.name}"

    def overrides_after(self, conversion: Conversion, tolerances: Tolerances, rigs: Sequence[str]) -> Overrides:
        """Only what differs is laid over, so that nothing stands over a derived value that is the same."""
        with session() as database:
            source = load_conversion(find_conversion(database, self.from_id))
        inside = [parameter.name for parameter in conversion.target.parameters if parameter.group in self.groups]
        derived, why = conversion.having({}).material, f"copied from {source.original.name}"
        values = {name: source.material.value(name) for name in inside}
        copied = {name: Override(value, By.COPY, why) for name, value in values.items() if derived.value(name) != value}
        return {**overrides_outside(conversion, self.groups), **copied}


ACT = CopyGroups
