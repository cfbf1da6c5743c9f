"""What base an OpenPBR material needs for a wanted look below its coat, the inverse of what `lobes` does. NumPy, channels last."""

from __future__ import annotations

import numpy as np

STEPS = 40


def base_ior_for(wanted: np.ndarray, coat_weight: np.ndarray, coat_ior: np.ndarray) -> np.ndarray:
    """The `specular_ior` that is `wanted` when seen below the coat: solves mix(n, n/n_coat, w) = wanted, for n above the coat's index."""
    below = (1.0 - coat_weight) + coat_weight / np.maximum(coat_ior, 1e-3)
    return np.where(coat_weight > 0, np.maximum(wanted / below, coat_ior), wanted)


def base_roughness_for(wanted: np.ndarray, coat_weight: np.ndarray, coat_roughness: np.ndarray) -> np.ndarray:
    """The `specular_roughness` that is `wanted` after the coat has spread it; 0 where the coat alone spreads more. Bisection."""
    if not np.any(coat_weight * coat_roughness):
        return wanted
    spread = 2.0 * np.power(coat_roughness, 4)
    low, high = np.zeros(np.broadcast(wanted, coat_weight, coat_roughness).shape), np.ones(1)
    for _ in range(STEPS):
        middle = 0.5 * (low + high)
        seen = middle * (1.0 - coat_weight) + coat_weight * np.power(np.minimum(spread + np.power(middle, 4), 1.0), 0.25)
        low, high = np.where(seen < wanted, middle, low), np.where(seen < wanted, high, middle)
    return np.where(wanted >= 1.0, 1.0, 0.5 * (low + high))
