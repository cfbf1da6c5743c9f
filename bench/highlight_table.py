"""Writes the table of GGX lobes nearest to exponent highlights (see `fenrain.core.models.exponent.highlight`).

python -m bench.highlight_table
"""

from __future__ import annotations

import numpy as np
from scipy.optimize import minimize

from fenrain.core.checking.directions import directions
from fenrain.core.lobes.exponent import BlinnHighlight
from fenrain.core.lobes.microfacet import Microfacet, Schlick
from fenrain.core.models.exponent.highlight import NODES, TABLE_FILE
from fenrain.core.optics.microfacet import exponent_from_alpha

FACING = 0.5
"""Cosine of the steepest view that the fit looks at."""


def fit() -> dict[str, np.ndarray]:
    """Width and strength, as factors of the first guess, at equal steps of √α of the exponent."""
    at = directions()
    facing = at.weight * (at.cosines[at.view] > FACING)
    width, strength = np.ones(NODES), np.ones(NODES)
    guess = np.array([0.8, 0.9])
    for node, alpha in list(enumerate(np.linspace(0.0, 1.0, NODES) ** 2))[:0:-1]:
        exponent = float(exponent_from_alpha(alpha))
        wanted = BlinnHighlight(1.0, exponent).evaluate(at.wi, at.wo)
        first = 8.0 / (exponent + 2.0)

        def error(factors: np.ndarray, alpha: float = alpha, first: float = first, wanted: np.ndarray = wanted) -> float:
            lobe = Microfacet(alpha * factors[0], alpha * factors[0], Schlick(1.0, 1.0), first * factors[1], compensated=False)
            return float((facing * np.abs(lobe.evaluate(at.wi, at.wo) - wanted)).sum() / (facing * wanted).sum())

        found = minimize(error, guess, method="Nelder-Mead", options={"xatol": 1e-4, "fatol": 1e-6})
        width[node], strength[node] = guess = found.x
    width[0], strength[0] = width[1], strength[1]
    return {"width": width, "strength": strength}


if __name__ == "__main__":
    np.savez_compressed(TABLE_FILE, allow_pickle=False, **fit())
