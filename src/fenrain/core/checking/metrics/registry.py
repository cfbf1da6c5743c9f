"""Finds the metrics: each module beside this file, and of installed packages, that declares `METRICS`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cache, cached_property
from typing import Any

import numpy as np

from fenrain.core.checking.angular import Angular
from fenrain.core.checking.metrics.colours import delta_e_2000
from fenrain.core.colour import linear_to_lab
from fenrain.core.discovery import declarations


class MetricSubject(StrEnum):
    """What a metric looks at: two pictures under one rig, or two surfaces on directions."""

    PICTURES = "pictures"
    SURFACES = "surfaces"


@dataclass(frozen=True)
class Limits:
    """The most that a match and that near may read."""

    match: float
    near: float


@dataclass(frozen=True)
class Reading:
    """What a metric says of one pair. value: how different, 0 for equal ones; floor: how much of it noise alone makes, where it decides;
    original, converted: what it says of each, where it says something of each."""

    value: float
    floor: float = 0.0
    original: float | None = None
    converted: float | None = None


@dataclass(frozen=True)
class Pair:
    """Two pictures (h, w, 3) linear; noise: (h, w, 3), about what is random in their difference; body, ground: where they are seen (h, w)
    bool; lit: whether light on the ground was looked for on both sides."""

    original: np.ndarray
    converted: np.ndarray
    noise: np.ndarray
    body: np.ndarray
    ground: np.ndarray
    lit: bool

    def delta_e(self, exposure: float = 0.0) -> np.ndarray:
        """ΔE2000 of each pixel as a display clipped at white shows them, this many stops brighter; 0 where nothing is looked for. Kept:
        several metrics ask."""
        if exposure not in self._delta_e:
            where = self.body | self.ground if self.lit else self.body
            found = np.zeros(where.shape)
            found[where] = delta_e_of_pictures(self.original[where] * 2.0**exposure, self.converted[where] * 2.0**exposure)
            self._delta_e[exposure] = found
        return self._delta_e[exposure]

    @cached_property
    def _delta_e(self) -> dict[float, np.ndarray]:
        return {}

    @cached_property
    def by_noise(self) -> Pair:
        """The same pair if its sides differed by nothing but noise."""
        return replace(self, converted=self.original + self.noise)


def delta_e_of_pictures(original: np.ndarray, converted: np.ndarray) -> np.ndarray:
    """ΔE2000 of each pixel of two linear pictures (…, 3), as a display clipped at white shows them."""
    return delta_e_2000(*(linear_to_lab(np.clip(picture, 0.0, 1.0).astype(float)) for picture in (original, converted)))


@dataclass(frozen=True)
class Surfaces:
    """Two surfaces asked on directions, both at the same place of their maps; open_shares: how much of what lies behind shows through
    each, over all places, 0…1."""

    original: Angular
    converted: Angular
    open_shares: tuple[float, float]


@dataclass(frozen=True)
class Metric:
    """id, title, what it shows; unit: "" for none; limits: those of a project that sets none, None for a metric that decides nothing;
    measure: from a `Pair` or from `Surfaces` to a reading, or to its value alone; order: place in lists."""

    id: str
    title: str
    says: str
    measure: Callable[[Any], Reading | float]
    order: int
    of: MetricSubject = MetricSubject.PICTURES
    unit: str = ""
    limits: Limits | None = None

    def read(self, subject: Pair | Surfaces) -> Reading:
        """The reading; with its floor, if a verdict may depend on it."""
        found = _reading(self.measure(subject))
        if isinstance(subject, Surfaces) or self.limits is None:
            return found
        return replace(found, floor=_reading(self.measure(subject.by_noise)).value)


def _reading(found: Reading | float) -> Reading:
    return found if isinstance(found, Reading) else Reading(float(found))


@cache
def metrics() -> Mapping[str, Metric]:
    """Every metric by id, in the order in which they are shown."""
    found: list[tuple[Metric, ...]] = declarations("fenrain.core.checking.metrics", "METRICS", "fenrain.metrics")
    return {metric.id: metric for metric in sorted((metric for group in found for metric in group), key=lambda metric: metric.order)}


def readings(subject: Pair | Surfaces, *, deciding: bool = False) -> dict[str, Reading]:
    """Readings of a pair of pictures, or of surfaces, by the metric's id; deciding: only those that a verdict depends on."""
    of = MetricSubject.SURFACES if isinstance(subject, Surfaces) else MetricSubject.PICTURES
    asked = (metric for metric in metrics().values() if metric.of is of and (metric.limits is not None or not deciding))
    return {metric.id: metric.read(subject) for metric in asked}
