"""Takes the same steps on one value of each, constant or map."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from pydantic import Field
from sqlalchemy.orm import Session

from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import Override
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.descriptions import describe_plain
from fenrain.core.steps import ValueStep
from fenrain.services.acts.act import Name
from fenrain.services.acts.overriding_act import Overrides, OverridingAct
from fenrain.services.conversions import accept_grade


class GradeValue(OverridingAct):
    """Take steps on one value, name, in place of those taken before; none takes them out again."""

    kind: Literal["grade"] = "grade"
    name: Name
    steps: tuple[ValueStep, ...] = Field(default=(), max_length=20)

    def check(self, database: Session, project_id: int, target: ServedTarget) -> None:
        target.model.parameter(self.name)

    def describe(self, database: Session) -> str:
        taken = "; ".join(f"{name} {describe_plain(value)}" for name, value in (step.said for step in self.steps))
        return f"grade {self.name}: {taken}" if taken else f"take grades off {self.name}"

    def overrides_after(self, conversion: Conversion, tolerances: Tolerances, rigs: Sequence[str]) -> Overrides:
        steps = accept_grade(conversion.target.parameter(self.name), self.steps)
        known = conversion.overrides.get(self.name, Override(None))
        others = {name: override for name, override in conversion.overrides.items() if name != self.name}
        return others if not steps and known.value is None else {**others, self.name: replace(known, grade=steps)}


ACT = GradeValue
