"""The colour of a metal from its measured index and extinction.

References
- Born & Wolf, Principles of Optics, §14.2: reflectance of a conductor.
- CIE 015:2018: colour-matching functions of the 1931 2° observer and illuminant D65, 360 to 830 nm in steps of 5 nm
  (`cie_1931_d65.npz`: their products, scaled to a luminance of 1).
- IEC 61966-2-1: XYZ to linear Rec.709, scaled so that an even reflectance of 1 is white.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np

from fenrain.core.colour import XYZ_TO_RGB
from fenrain.core.optics.fresnel import GRAZING_COSINE, fresnel_conductor, tint_of_curve

CURVE_NODES = 65
"""Nodes of a curve against the cosine."""
GAMUT_TOLERANCE = 5e-3
"""A linear channel this far outside of 0…1 is rounding, not a colour out of gamut."""


def linear_reflectance(table: np.ndarray, cosine: np.ndarray | float) -> np.ndarray:
    """Reflectance in linear Rec.709 under D65, not cut to the gamut.

    table: rows of wavelength (nm), n, k, ascending, (rows, 3), or the same in one row; cosine: any shape. Returns (…, 3).
    """
    rows = np.asarray(table, dtype=float).reshape(-1, 3)
    stored = _observer()
    n, k = (np.interp(stored["wavelength"], rows[:, 0], rows[:, column]) for column in (1, 2))
    reflected = fresnel_conductor(np.asarray(cosine, dtype=float)[..., None], n, k)
    xyz = reflected @ stored["xyz"]
    white = XYZ_TO_RGB @ stored["xyz"].sum(axis=0)
    return xyz @ XYZ_TO_RGB.T / white


def metal_tint_of(table: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(facing colour, tint near 82°) of the metal, both in the gamut, as `metal_tint_kutz2021` takes them."""
    facing = np.clip(linear_reflectance(table, 1.0), 0.0, 1.0)
    return facing, tint_of_curve(np.clip(linear_reflectance(table, GRAZING_COSINE), 0.0, 1.0), facing)


@lru_cache(maxsize=256)
def reflectance_curve(table: tuple[float, ...]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Red, green and blue reflectance at `CURVE_NODES` equal steps of the cosine, cut to the gamut."""
    curve = np.clip(linear_reflectance(np.asarray(table), np.linspace(0.0, 1.0, CURVE_NODES)), 0.0, 1.0)
    red, green, blue = (np.ascontiguousarray(curve[:, channel]) for channel in range(3))
    return red, green, blue


@lru_cache(maxsize=1)
def _observer() -> dict[str, np.ndarray]:
    with np.load(Path(__file__).with_name("cie_1931_d65.npz")) as stored:
        return {name: stored[name] for name in stored.files}
