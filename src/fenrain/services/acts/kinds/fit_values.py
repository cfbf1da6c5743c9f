"""Lets the computer tune what is not exact."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from sqlalchemy.orm import Session

from fenrain.core.checking.fitting.fit import fit
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import Conversion
from fenrain.services.acts.overriding_act import Overrides, OverridingAct


class FitValues(OverridingAct):
    """Let the computer tune what is not exact, but for what a person set."""

    kind: Literal["fit"] = "fit"

    def describe(self, database: Session) -> str:
        return "let the computer tune what is not exact"

    def overrides_after(self, conversion: Conversion, tolerances: Tolerances, rigs: Sequence[str]) -> Overrides:
        return fit(conversion, rigs=rigs, tolerances=tolerances).conversion.overrides


ACT = FitValues
