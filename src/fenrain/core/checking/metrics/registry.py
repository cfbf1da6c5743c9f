"""Finds the metrics: each module beside this file, and of installed packages, that declares `METRICS`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache

import numpy as np

from fenrain.core.discovery import declarations


@dataclass(frozen=True)
class Pair:
    """Two pictures (h, w, 3) linear, where the stand is seen (h, w) bool, and ΔE2000 of the pixels where it is."""

    original: np.ndarray
    converted: np.ndarray
    seen: np.ndarray
    delta_e: np.ndarray


@dataclass(frozen=True)
class Metric:
    """id, title, what it shows; measure: 0 for equal pictures; order: place in lists."""

    id: str
    title: str
    says: str
    measure: Callable[[Pair], float]
    order: int


@cache
def metrics() -> Mapping[str, Metric]:
    """Every metric by id, in the order in which they are shown."""
    found: list[tuple[Metric, ...]] = declarations("fenrain.core.checking.metrics", "METRICS", "fenrain.metrics")
    return {metric.id: metric for metric in sorted((metric for group in found for metric in group), key=lambda metric: metric.order)}


def readings(pair: Pair) -> dict[str, float]:
    """Every metric's value, by its id."""
    return {metric.id: metric.measure(pair) for metric in metrics().values()}
