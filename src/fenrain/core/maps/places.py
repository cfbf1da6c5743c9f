"""The place on the surface itself, as a picture: u to the right and v upwards, 0…1 at the middles of its texels."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

EDGE = 256
"""As many steps as a picture of 8 bits tells apart."""


def size_of(numbers: Mapping[str, float]) -> int:
    """Texels on its edge."""
    return EDGE


def picture_of(numbers: Mapping[str, float], picture: str) -> np.ndarray:
    """(EDGE, EDGE, 2) float32; there is one picture, “uv”."""
    steps = (np.arange(EDGE, dtype=np.float32) + 0.5) / EDGE
    u, v = np.meshgrid(steps, steps[::-1])
    return np.stack([u, v], axis=-1)
