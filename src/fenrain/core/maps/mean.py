"""Constants in place of maps: the mean over the surface, and small copies."""

from __future__ import annotations

import numpy as np

from fenrain.core.maps.caching import kept
from fenrain.core.maps.texels import Texels, small_grid
from fenrain.core.values import Value


@kept(1 << 20)
def mean_of(value: Value) -> float | tuple[float, ...]:
    """The mean of a map, in linear light."""
    mean = thumbnail(value).reshape(-1, thumbnail(value).shape[-1]).mean(axis=0)
    return tuple(float(part) for part in mean) if mean.size == 3 else float(mean[0])


@kept(64 << 20)
def thumbnail(value: Value) -> np.ndarray:
    """The value on a small grid, (edge, edge, channels)."""
    small = small_grid([value])
    with Texels(small) as texels:
        result = np.asarray(texels.at(value, 0, small.height))
    return np.broadcast_to(result, (small.height, small.width, result.shape[-1]))
