"""Normals from heights, and normals over normals; images with channels last, texel units.

References: Scharr 2000, Optimale Operatoren in der digitalen Bildverarbeitung; Barré-Brisebois & Hill 2012, Blending in Detail.
"""

from __future__ import annotations

import numpy as np

RELIEF_DEPTH = 1.0 / 128.0
"""Height of a white texel at strength 1, as a share of the tile's width. Formats give no unit; the look uses the same."""


def normals_from_height(height: np.ndarray) -> np.ndarray:
    """Unit tangent-space normals, n = normalise(−∂h/∂u, −∂h/∂v, 1), of a height image (h, w, 1) in texels that wraps at its edges.

    v points up, against the rows. Returns (h, w, 3), components −1…1.
    """
    h = height[..., 0]
    smooth_rows = (3 * np.roll(h, 1, 0) + 10 * h + 3 * np.roll(h, -1, 0)) / 16
    smooth_columns = (3 * np.roll(h, 1, 1) + 10 * h + 3 * np.roll(h, -1, 1)) / 16
    du = (np.roll(smooth_rows, -1, 1) - np.roll(smooth_rows, 1, 1)) / 2
    dv = (np.roll(smooth_columns, 1, 0) - np.roll(smooth_columns, -1, 0)) / 2
    return normalised(np.stack([-du, -dv, np.ones_like(h)], axis=-1))


def blend_normals(base: np.ndarray, detail: np.ndarray) -> np.ndarray:
    """Detail normals turned onto base normals (reoriented normal mapping); both unit, (…, 3)."""
    t = base + np.array([0.0, 0.0, 1.0])
    u = detail * np.array([-1.0, -1.0, 1.0])
    turned = t * (t * u).sum(axis=-1, keepdims=True) / np.maximum(t[..., 2:], 1e-6) - u
    return normalised(turned)


def normalised(vectors: np.ndarray) -> np.ndarray:
    return vectors / np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-9)
