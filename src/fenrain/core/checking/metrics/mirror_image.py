"""How sharp the image is that a surface mirrors, and the one that it lets through.

What a viewer sees of a bright disc, and of a bright slit along and across, in a dim room, as the lamp grows from a twentieth of a
degree to 13°. Two surfaces differ by the largest ΔE2000 of these, each exposed so that the brighter of both is white.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from fenrain.core.checking.angular import BEHIND, Around, area
from fenrain.core.checking.metrics.colours import delta_e_2000
from fenrain.core.checking.metrics.registry import Limits, Metric, MetricSubject, Surfaces
from fenrain.core.colour import linear_to_lab

WIDTHS = 0.05 * 2.0 ** np.arange(9)
"""Radii of the discs and half widths of the slits, degrees."""
SLIT_LENGTH = 30.0
"""Half of it, degrees."""
LAMP, ROOM = 10.0, 0.3
"""Radiance of lamp and room, display white is 1."""
VIEWS = (20.0, 60.0)


def mirrored_detail(surfaces: Surfaces) -> float:
    sides = surfaces.original, surfaces.converted
    return max(_difference(angle, *((side.around_mirror(angle), side.own) for side in sides)) for angle in VIEWS)


def detail_through(surfaces: Surfaces) -> float:
    """0 where neither lets light through."""
    first, second = (side.behind() for side in (surfaces.original, surfaces.converted))
    if first is None and second is None:
        return 0.0
    own = surfaces.original.own, surfaces.converted.own
    return _difference(BEHIND, (_or_dark(first, second), own[0]), (_or_dark(second, first), own[1]))


def _or_dark(side: Around | None, other: Around | None) -> Around:
    """What comes through one side; nothing where it lets nothing through, over the other's cells."""
    if side is not None:
        return side
    assert other is not None
    return Around(np.zeros_like(other.cells), other.steradians)


def _difference(angle: float, original: tuple[Around, np.ndarray], converted: tuple[Around, np.ndarray]) -> float:
    lit = lamps(angle)
    first, second = (image_of(around.within(lit), around.total) + own for around, own in (original, converted))
    return float(delta_e_2000(*exposed(first, second)).max())


def image_of(within: np.ndarray, total: np.ndarray) -> np.ndarray:
    """What a viewer sees of lamps in a room, from what comes from within each and from everywhere where all is at radiance 1."""
    return within * (LAMP - ROOM) + total * ROOM


def exposed(first: np.ndarray, second: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two images of lamps (…, lamps, 3), linear, in Lab, each lamp exposed so that the brighter of both is white."""
    white = np.maximum(np.maximum(first.max(axis=-1), second.max(axis=-1)), 1.0)[..., None]
    return linear_to_lab(first / white), linear_to_lab(second / white)


@cache
def lamps(angle: float, coarse: int = 1) -> np.ndarray:
    """How much of each cell about the middle of a view lies in each lamp, (lamps, cells); coarse: by how much cells are larger."""

    def disc(width: float) -> np.ndarray:
        return area(angle, lambda x, y: np.hypot(x, y) <= width, coarse)

    def slit(width: float, *, along: bool) -> np.ndarray:
        return area(angle, lambda x, y: (np.abs(x if along else y) <= SLIT_LENGTH) & (np.abs(y if along else x) <= width), coarse)

    return np.stack([lamp for width in WIDTHS for lamp in (disc(width), slit(width, along=True), slit(width, along=False))])


METRICS = (
    Metric(
        "mirrored_detail",
        "mirrored detail",
        "largest difference in the image of lamps of any width, discs and slits",
        mirrored_detail,
        5,
        MetricSubject.SURFACES,
        "ΔE2000",
        Limits(6.0, 20.0),
    ),
    Metric(
        "detail_through",
        "detail seen through",
        "the same of lamps behind the body",
        detail_through,
        6,
        MetricSubject.SURFACES,
        "ΔE2000",
        Limits(6.0, 20.0),
    ),
)
