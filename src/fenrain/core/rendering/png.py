"""Pictures as PNG bytes: a surface as a display shows it, and a difference on a scale."""

from __future__ import annotations

import numpy as np

from fenrain.core.colour import linear_to_srgb
from fenrain.core.maps.image import png_bytes

DELTA_E_SCALE = 10.0
"""ΔE2000 at the bright end of the difference scale."""
SCALE_STOPS = np.array([[0.07, 0.075, 0.085], [0.16, 0.22, 0.42], [0.42, 0.3, 0.55], [0.83, 0.45, 0.36], [0.98, 0.86, 0.55]])
"""Encoded sRGB from no difference to the most, lightness rising throughout."""


def picture_png(linear: np.ndarray) -> bytes:
    """A linear picture (h, w, 3), clipped at display white, as sRGB."""
    return png_bytes(linear_to_srgb(linear))


def difference_png(delta_e: np.ndarray) -> bytes:
    """ΔE2000 of each pixel (h, w) on the scale."""
    position = np.clip(delta_e / DELTA_E_SCALE, 0.0, 1.0) * (len(SCALE_STOPS) - 1)
    lower = np.minimum(position.astype(int), len(SCALE_STOPS) - 2)
    share = (position - lower)[..., None]
    return png_bytes(SCALE_STOPS[lower] * (1 - share) + SCALE_STOPS[lower + 1] * share)


def pair_pngs(original: np.ndarray, converted: np.ndarray, delta_e: np.ndarray) -> dict[str, bytes]:
    """Both linear pictures (h, w, 3) and their difference (h, w), by what each shows."""
    return {"original": picture_png(original), "converted": picture_png(converted), "difference": difference_png(delta_e)}
