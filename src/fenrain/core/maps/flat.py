"""A map that holds one value everywhere becomes a constant."""

from __future__ import annotations

import numpy as np

from fenrain.core.maps.caching import kept
from fenrain.core.maps.mean import thumbnail
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.values import Constant, Value

SMALLEST_STEP = 1.0 / 1024.0
"""Differences below this are lost in an 8-bit map anyway."""


def flattened(value: Value) -> Value:
    """A constant where the value hardly varies over all its texels; else the value as it is."""
    # Constants never enter the cache, in which 1, 1.0 and True would be the same.
    return value if isinstance(value, Constant) else _flattened(value)


@kept(1 << 20)
def _flattened(value: Value) -> Value:
    if _spread(thumbnail(value)) > SMALLEST_STEP:
        return value
    grid = grid_of([value])
    lowest, highest = np.inf, -np.inf
    with Texels(grid) as texels:
        for begin, end in grid.bands():
            band = np.asarray(texels.at(value, begin, end))
            axes = tuple(range(band.ndim - 1))
            lowest, highest = np.minimum(lowest, band.min(axis=axes)), np.maximum(highest, band.max(axis=axes))
            if np.max(highest - lowest) > SMALLEST_STEP:
                return value
    middle = np.atleast_1d((lowest + highest) / 2.0)
    return Constant(tuple(float(part) for part in middle) if middle.size == 3 else float(middle[0]))


def _spread(texels: np.ndarray) -> float:
    return float(np.max(texels.max(axis=(0, 1)) - texels.min(axis=(0, 1))))
