"""Relative error in linear light."""

from __future__ import annotations

import numpy as np

from fenrain.core.checking.metrics.registry import Metric


def relative_error(original: np.ndarray, converted: np.ndarray, where: np.ndarray) -> float:
    """Σ |a − b| ÷ Σ a in linear light over the pixels `where` (h, w) is true; each pixel's light limited to 4 × display white."""
    a, b = np.minimum(original[where], 4.0), np.minimum(converted[where], 4.0)
    return float(np.abs(a - b).sum() / max(float(a.sum()), 1e-6))


METRICS = (
    Metric(
        "relative_error",
        "relative error in linear light",
        "Σ difference ÷ Σ original over the stand",
        lambda pair: relative_error(pair.original, pair.converted, pair.seen),
        5,
    ),
)
