"""Gloss as instruments read it.

References
- ISO 2813:2014, Determination of gloss value at 20°, 60° and 85°: source image 0.75° × 2.5°, receptor apertures in and across the plane of
  incidence; 100 is a polished black glass of index 1.567 (from memory of the text).
- ASTM D5767: distinctness of image by what falls 0.3° beside the mirror direction at 30°, against what falls on it (from memory).
"""

from __future__ import annotations

from functools import cache

import numpy as np

from fenrain.core.checking.angular import Around, area, ring_edges
from fenrain.core.checking.metrics.registry import Metric, MetricSubject, Reading, Surfaces
from fenrain.core.optics.fresnel import fresnel_dielectric

REFERENCE_INDEX = 1.567
SOURCE = (0.75, 2.5)
RECEPTORS = {20: (1.8, 3.6), 60: (4.4, 11.7), 85: (4.0, 6.0)}
"""Aperture in and across the plane of incidence, degrees, by the angle of incidence."""
SOURCE_PLACES = 7
DISTINCTNESS_ANGLE, DISTINCTNESS_OFFSET, DISTINCTNESS_SLIT = 30.0, 0.3, (0.15, 0.5)
"""Degrees; half sizes of the slit."""


def gloss(around: Around, angle: int) -> float:
    """Gloss units: light in the receptor, from a source of a finite size, relative to the reference glass."""
    caught = float(around.within(_receptor(angle)[None]).mean())
    return 100.0 * caught / float(fresnel_dielectric(np.cos(np.radians(angle)), REFERENCE_INDEX))


def distinctness(around: Around) -> float:
    """100 for a mirror, 0 where as much light falls beside the mirror direction as on it."""
    beside, on = around.within(_slits()).mean(axis=1)
    return float(100.0 * max(0.0, 1.0 - beside / max(on, 1e-12)))


def half_width(around: Around) -> float:
    """Degrees from the middle to where the highlight is half as bright as there: a facet that leans turns what it mirrors twice as far."""
    profile, leans = around.profile, 0.5 * (ring_edges()[1:] + ring_edges()[:-1])
    below = np.flatnonzero(profile < 0.5 * profile[0])
    if below.size == 0:
        return 90.0
    last = max(int(below[0]), 1)
    upper, lower = profile[last - 1], profile[last]
    share = (upper - 0.5 * profile[0]) / max(upper - lower, 1e-30)
    return float(2.0 * (leans[last - 1] + np.clip(share, 0.0, 1.0) * (leans[last] - leans[last - 1])))


@cache
def _receptor(angle: int) -> np.ndarray:
    """How much of each cell's light is caught, averaged over the places of the source."""
    width, height = RECEPTORS[angle]
    places = (np.arange(SOURCE_PLACES) + 0.5) / SOURCE_PLACES - 0.5
    caught = [
        area(
            float(angle),
            lambda x, y, dx=dx, dy=dy: (np.abs(x + dx * SOURCE[0]) <= width / 2) & (np.abs(y + dy * SOURCE[1]) <= height / 2),  # type: ignore[misc]
        )
        for dx in places
        for dy in places
    ]
    return np.asarray(np.mean(caught, axis=0))


@cache
def _slits() -> np.ndarray:
    """Beside (mean of both sides) and on the mirror direction, (2, cells)."""
    wide, high = DISTINCTNESS_SLIT

    def slit(offset: float) -> np.ndarray:
        return area(DISTINCTNESS_ANGLE, lambda x, y: (np.abs(x - offset) <= wide) & (np.abs(y) <= high))

    return np.stack([0.5 * (slit(-DISTINCTNESS_OFFSET) + slit(DISTINCTNESS_OFFSET)), slit(0.0)])


def _meter(angle: int) -> Metric:
    def measure(surfaces: Surfaces) -> Reading:
        first, second = (gloss(side.around_mirror(float(angle)), angle) for side in (surfaces.original, surfaces.converted))
        return Reading(abs(second - first), 0.0, first, second)

    return Metric(
        f"gloss_{angle}",
        f"gloss at {angle}°",
        "as a gloss meter reads it; polished black glass is 100",
        measure,
        10 + angle // 20,
        MetricSubject.SURFACES,
        "GU",
    )


def _distinctness(surfaces: Surfaces) -> Reading:
    first, second = (distinctness(side.around_mirror(DISTINCTNESS_ANGLE)) for side in (surfaces.original, surfaces.converted))
    return Reading(abs(second - first), 0.0, first, second)


def _width(surfaces: Surfaces) -> Reading:
    first, second = (half_width(side.around_mirror(20.0)) for side in (surfaces.original, surfaces.converted))
    return Reading(abs(second - first), 0.0, first, second)


def _peak(surfaces: Surfaces) -> Reading:
    """Stops between the brightest places."""
    first, second = (float(side.around_mirror(20.0).profile.max()) for side in (surfaces.original, surfaces.converted))
    return Reading(abs(float(np.log2(max(second, 1e-6) / max(first, 1e-6)))), 0.0, first, second)


METRICS = (
    *(_meter(angle) for angle in RECEPTORS),
    Metric("distinctness", "distinctness of image", "at 30°; 100 for a mirror", _distinctness, 15, MetricSubject.SURFACES),
    Metric("highlight_width", "width of the highlight", "at 20°, to half of its peak", _width, 16, MetricSubject.SURFACES, "°"),
    Metric("highlight_peak", "peak of the highlight", "at 20°, BSDF × cosine", _peak, 17, MetricSubject.SURFACES, "EV"),
)
