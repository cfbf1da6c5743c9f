"""Lets what was derived stand again."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from sqlalchemy.orm import Session

from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.targets import ServedTarget
from fenrain.services.acts.act import Groups
from fenrain.services.acts.overriding_act import Overrides, OverridingAct, overrides_outside, require_groups


class ResetGroups(OverridingAct):
    """Let what was derived stand again in these groups."""

    kind: Literal["reset"] = "reset"
    groups: Groups

    def check(self, database: Session, project_id: int, target: ServedTarget) -> None:
        require_groups(self.groups)

    def describe(self, database: Session) -> str:
        return f"reset {', '.join(self.groups)}"

    def overrides_after(self, conversion: Conversion, tolerances: Tolerances, rigs: Sequence[str]) -> Overrides:
        return overrides_outside(conversion, self.groups)


ACT = ResetGroups
