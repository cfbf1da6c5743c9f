"""Which GGX lobe is nearest to an exponent highlight.

The lobes share neither tail nor normalisation, so the width and the strength are fitted: for each exponent the pair that
makes the normalised lobe error of `checking.quick` smallest over views up to 60° (beyond, what differs is the grazing reflection,
which an exponent highlight lacks and no width can take away). The table is written by `python -m bench.highlight_table`.

References: Walter et al. 2007 for the width that shares the peak's curvature, the start of the fit; the height of the peak
gives the first strength: Ks/π = F D(0)/4, D(0) = 1/(π α²), so F = 8 Ks/(n + 2).
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np

from fenrain.core.optics.arrays import lookups
from fenrain.core.optics.microfacet import alpha_from_exponent, exponent_from_alpha

TABLE_FILE = Path(__file__).with_name("highlight_table.npz")
NODES = 33


def ggx_of_exponent(exponent: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(width α of the GGX lobe, its F0 for a highlight of strength 1); exponent ≥ 0, any shape."""
    alpha = alpha_from_exponent(exponent)
    place = np.sqrt(alpha)
    width, strength = lookups([_table()[name] for name in ("width", "strength")], place)
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
