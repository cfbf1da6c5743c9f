"""Replaces the values of groups by constants."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlalchemy.orm import Session

from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import By, Override
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.descriptions import describe_plain
from fenrain.core.errors import InputError, ParameterError
from fenrain.core.values import Constant
from fenrain.services.acts.act import Groups
from fenrain.services.acts.overriding_act import Overrides, OverridingAct, overrides_outside, require_groups


class SetValues(OverridingAct):
    """Replace values of optical groups by constants; the rest of these groups stands as it was derived, and all others stay."""

    kind: Literal["set"] = "set"
    groups: Groups
    values: dict[str, float | bool | str | list[float]] = Field(max_length=100)

    def check(self, database: Session, project_id: int, target: ServedTarget) -> None:
        groups = require_groups(self.groups)
        if not self.values:
            raise InputError("Nothing is set.", place="values", remedy="Set at least one value of the group.")
        for name, raw in self.values.items():
            parameter = target.model.parameter(name)
            if parameter.group not in groups:
                raise ParameterError(f"{name} belongs to {parameter.group}.", place=name, remedy="Name that group too, or leave it out.")
            parameter.accept(raw)

    def describe(self, database: Session) -> str:
        return f"replace {', '.join(self.groups)}: {', '.join(f'{name} {describe_plain(value)}' for name, value in self.values.items())}"

    def overrides_after(self, conversion: Conversion, tolerances: Tolerances, rigs: Sequence[str]) -> Overrides:
        why = f"set on many: {', '.join(self.groups)}"
        laid = {name: Constant(conversion.target.parameter(name).accept(raw)) for name, raw in self.values.items()}
        return {
            **overrides_outside(conversion, self.groups),
            **{name: Override(value, By.HAND, why) for name, value in laid.items()},
        }


ACT = SetValues
