"""Normals from heights, and normals over normals; images with channels last, texel units.

References: Scharr 2000, Optimale Operatoren in der digitalen Bildverarbeitung; Barré-Brisebois & Hill 2012, Blending in Detail;
Toksvig 2005, Mipmapping Normal Maps.
"""

from __future__ import annotations

import numpy as np

BUMP_DEPTH = 1.0 / 128.0
"""Height of a white texel at strength 1, as a share of the tile's width. Formats give no unit; the drawn surface uses the same."""


def normals_from_height(height: np.ndarray) -> np.ndarray:
    """Unit tangent-space normals, n = normalise(−∂h/∂u, −∂h/∂v, 1), of a height image (h, w, 1) in texels that wraps at its edges.

    v points up, against the rows. Returns (h, w, 3), components −1…1.

    >>> (normals_from_height(np.zeros((4, 4, 1)))[0, 0] + 0.0).tolist()
    [0.0, 0.0, 1.0]
    """
    h = height[..., 0]
    smooth_rows = (3 * np.roll(h, 1, 0) + 10 * h + 3 * np.roll(h, -1, 0)) / 16
    smooth_columns = (3 * np.roll(h, 1, 1) + 10 * h + 3 * np.roll(h, -1, 1)) / 16
    du = (np.roll(smooth_rows, -1, 1) - np.roll(smooth_rows, 1, 1)) / 2
    dv = (np.roll(smooth_columns, 1, 0) - np.roll(smooth_columns, -1, 0)) / 2
    return normalised(np.stack([-du, -dv, np.ones_like(h)], axis=-1))


def bumped(normal: np.ndarray, strength: np.ndarray, height: np.ndarray, detail: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """The normals of a surface with a height, a normal map and a second one over it.

    normal, detail: unit, (h, w, 3) or (3,); strength, mask: of their slopes, (h, w, 1) or (1,), below 0 turns them over; height: (h, w, 1)
    in units of BUMP_DEPTH tile widths, or (1,) for an even one. Returns unit normals.
    """
    found = with_slopes_times(normal, strength)
    if np.ndim(height) == 3:
        found = blend_normals(found, normals_from_height(height * (BUMP_DEPTH * height.shape[1])))
    return blend_normals(found, with_slopes_times(detail, mask))


def with_slopes_times(normals: np.ndarray, strength: np.ndarray) -> np.ndarray:
    """Slopes times a strength; below 0 they are turned over."""
    return normalised(normals * np.concatenate([strength, strength, np.ones_like(strength)], axis=-1))


def blend_normals(base: np.ndarray, detail: np.ndarray) -> np.ndarray:
    """Detail normals turned onto base normals (reoriented normal mapping); both unit, (…, 3).

    >>> blend_normals(np.array([0.0, 0.0, 1.0]), np.array([0.6, 0.0, 0.8])).tolist()
    [0.6, 0.0, 0.8]
    """
    t = base + np.array([0.0, 0.0, 1.0])
    u = detail * np.array([-1.0, -1.0, 1.0])
    rotated = t * (t * u).sum(axis=-1, keepdims=True) / np.maximum(t[..., 2:], 1e-6) - u
    return normalised(rotated)


def widened_toksvig2005(alpha_squared: np.ndarray, length: np.ndarray) -> np.ndarray:
    """The squared width of a lobe whose normals were averaged to a vector of this length, 0…1: n' = |N| n / (|N| + n (1 − |N|)), with the
    exponent n = 2/α² − 2 of equal width (Walter et al. 2007). Of the shape of both; at least what it was.

    >>> float(widened_toksvig2005(np.array([0.04]), np.array([1.0]))[0])
    0.04
    """
    n = 2.0 / np.maximum(alpha_squared, 1e-9) - 2.0
    length = np.maximum(length, 1e-6)
    fewer = length * n / (length + n * (1.0 - length))
    return 2.0 / (fewer + 2.0)


def normalised(vectors: np.ndarray) -> np.ndarray:
    return vectors / np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-9)
