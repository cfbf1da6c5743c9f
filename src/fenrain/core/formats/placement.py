"""How a map lies on a surface, in formats whose v runs up and in ours, whose v runs down."""

from __future__ import annotations

import math

import numpy as np

from fenrain.core.values import Placement


def v_down(matrix: np.ndarray, shift: np.ndarray) -> Placement | None:
    """Of uv' = matrix · uv + shift with v up: R(rotation) · diag(scale); None for a matrix that is no such product."""
    scale = np.hypot(matrix[0], matrix[1])
    if matrix[0, 0] * matrix[1, 1] - matrix[0, 1] * matrix[1, 0] < 0.0:
        scale[1] = -scale[1]
    rotation = math.atan2(matrix[1, 0], matrix[0, 0])
    c, s = math.cos(rotation), math.sin(rotation)
    if not np.allclose(matrix, np.array([[c, -s], [s, c]]) @ np.diag(scale), atol=1e-6):
        return None
    offset = (float(shift[0] - s * scale[1]), float(1.0 - shift[1] - c * scale[1]))
    return Placement(offset, 0.0 if abs(rotation) < 1e-9 else rotation, (float(scale[0]), float(scale[1])))


def v_up_shift(placement: Placement) -> tuple[float, float]:
    """The shift of the same placement with v up; rotation and scale stay as they are."""
    (offset_u, offset_v), rotation, scale_v = placement.offset, placement.rotation, placement.scale[1]
    return offset_u + math.sin(rotation) * scale_v, 1.0 - offset_v - math.cos(rotation) * scale_v
