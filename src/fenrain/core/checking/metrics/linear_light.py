"""Differences in linear light: relative error, and the balance of all light."""

from __future__ import annotations

import numpy as np

from fenrain.core.checking.metrics.registry import Metric, Pair, Reading

MOST_LIGHT = 4.0
"""Each pixel's light is limited to this many times display white, so that a few do not stand for all."""


def relative_error(original: np.ndarray, converted: np.ndarray, where: np.ndarray) -> float:
    """Σ |a − b| ÷ Σ a in linear light over the pixels `where` (h, w) is true."""
    a, b = np.minimum(original[where], MOST_LIGHT), np.minimum(converted[where], MOST_LIGHT)
    return float(np.abs(a - b).sum() / max(float(a.sum()), 1e-6))


def balance(pair: Pair) -> Reading:
    """How much all light of the body differs, in percent of the original's; each side: mean light."""
    first, second = (float(picture[pair.body].mean()) for picture in (pair.original, pair.converted))
    return Reading(100.0 * abs(second - first) / max(first, 1e-6), original=first, converted=second)


METRICS = (
    Metric(
        "relative_error",
        "relative error in linear light",
        "Σ difference ÷ Σ original over the body",
        lambda pair: relative_error(pair.original, pair.converted, pair.body),
        22,
    ),
    Metric("balance", "light balance", "all light of the body; mean light of each side", balance, 23, unit="%"),
)
