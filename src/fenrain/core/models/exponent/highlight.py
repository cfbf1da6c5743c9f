"""Which GGX lobe is nearest to an exponent highlight.

The lobes share neither tail nor normalisation, so the width and the strength are fitted: for each exponent the pair that
makes the normalised lobe error of `checking.quick` smallest over views up to 60° (beyond, what differs is the grazing reflection,
which an exponent highlight lacks and no width can take away). The table is written by `python -m fenrain.core.models.exponent.highlight`.

References: Walter et al. 2007 for the width that shares the peak's curvature, the start of the fit; the height of the peak
gives the first strength: Ks/π = F D(0)/4, D(0) = 1/(π α²), so F = 8 Ks/(n + 2).
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np

from fenrain.core.optics.arrays import lookup
from fenrain.core.optics.microfacet import alpha_from_exponent, exponent_from_alpha

TABLE_FILE = Path(__file__).with_name("highlight_table.npz")
NODES = 33
FACING = 0.5
"""Cosine of the steepest view that the fit looks at."""


def ggx_of_exponent(exponent: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(width α of the GGX lobe, its F0 for a highlight of strength 1); exponent ≥ 0, any shape."""
    alpha = alpha_from_exponent(exponent)
    across = np.sqrt(alpha)
    width, strength = (lookup(_table()[name], across) for name in ("width", "strength"))
    return alpha * width, 8.0 / (exponent + 2.0) * strength


def exponent_of_ggx(alpha: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(exponent, F0 of a highlight of strength 1) of the exponent highlight nearest to a GGX lobe; the inverse of the above."""
    nodes = np.linspace(0.0, 1.0, NODES) ** 2
    widths = nodes * _table()["width"]
    exponent = exponent_from_alpha(np.interp(alpha, widths, nodes))
    return exponent, ggx_of_exponent(exponent)[1]


@cache
def _table() -> dict[str, np.ndarray]:
    with np.load(TABLE_FILE) as stored:
        return {name: stored[name] for name in stored.files}


def fit() -> dict[str, np.ndarray]:
    """Width and strength, as factors of the first guess, at equal steps of √α of the exponent."""
    from scipy.optimize import minimize

    from fenrain.core.checking.directions import directions
    from fenrain.core.lobes.exponent import BlinnHighlight
    from fenrain.core.lobes.microfacet import Microfacet, Schlick

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
