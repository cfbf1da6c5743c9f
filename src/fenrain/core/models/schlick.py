"""Where Schlick's curve and the exact Fresnel equations are said to differ."""

from __future__ import annotations

import numpy as np

from fenrain.core.optics.energy import left_below_index
from fenrain.core.optics.fresnel import ior_from_f0
from fenrain.core.rules.fidelity import APPROXIMATED, Caveat

MISSES = 0.08
"""Normalised difference of a dielectric's reflection by either curve, for indices of 1.3 to 1.8 (less above)."""
SHOWS = 0.015
"""Share of all that the surface sends back from which the difference is said."""


THROUGH = 0.45
"""What counts of light that goes through a body: radiance that comes out of it is spread by the square of its index, 1/1.5²."""


def schlick_caveat(f0: np.ndarray, alpha: np.ndarray, metal: np.ndarray, body: np.ndarray) -> Caveat:
    """What to say of a reflection of this F0 that one model takes from Schlick's curve and the other from the Fresnel equations.

    f0, alpha, metal: (…, 1), metal the share of the surface that is one; body: what it sends back or lets through besides, a colour.
    """
    reflected = (1.0 - metal) * (1.0 - left_below_index(ior_from_f0(f0), np.minimum(alpha, 1.0)))
    beside = np.mean(body, axis=-1, keepdims=True)
    if np.any(MISSES * reflected > SHOWS * (reflected + beside)):
        return APPROXIMATED, "Schlick's curve and the exact one differ by some percent of the reflection, which shows over a dark body."
    return None
