"""How faithful a converted value is, and what the numbers say of it."""

from __future__ import annotations

from enum import StrEnum

import numpy as np


class Fidelity(StrEnum):
    """How faithful a converted value is, best first."""

    EXACT = "exact"
    EQUIVALENT = "equivalent"
    APPROXIMATED = "approximated"
    ASSUMED = "assumed"
    DROPPED = "dropped"

    @property
    def rank(self) -> int:
        return list(Fidelity).index(self)


EXACT, EQUIVALENT, APPROXIMATED = Fidelity.EXACT, Fidelity.EQUIVALENT, Fidelity.APPROXIMATED
ASSUMED, DROPPED = Fidelity.ASSUMED, Fidelity.DROPPED


def worst(*fidelities: Fidelity) -> Fidelity:
    return max(fidelities, key=lambda fidelity: fidelity.rank)


Caveat = tuple[Fidelity, str] | None
"""What the numbers say of a rule's fidelity; None where they say nothing new."""


TOO_BRIGHT = "The source gives back more light than it receives"


def cut_remark(*wanted: np.ndarray | float, why: str = TOO_BRIGHT) -> Caveat:
    """A caveat for values that no energy-conserving material reaches."""
    highest = max(float(np.max(value)) for value in wanted)
    if highest > 1.0 + 1e-6:
        return APPROXIMATED, f"{why}; {highest:.3g} is cut to 1."
    return None
