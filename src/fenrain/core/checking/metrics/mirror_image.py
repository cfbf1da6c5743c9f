"""How sharp the image is that a surface mirrors, and the one that it lets through.

What a viewer sees of a bright disc, and of a bright slit along and across, in a dim room, as the lamp grows from a twentieth of a
degree to 13°. Two surfaces differ by the largest ΔE2000 of these, each exposed so that the brighter of both is white.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from fenrain.core.checking.angular import Angular, Around, area
from fenrain.core.checking.metrics.colours import delta_e_2000
from fenrain.core.checking.metrics.registry import Limits, Metric, Of, Surfaces
from fenrain.core.colour import linear_to_lab

WIDTHS = 0.05 * 2.0 ** np.arange(9)
"""Radii of the discs and half widths of the slits, degrees."""
SLIT_LENGTH = 30.0
"""Half of it, degrees."""
LAMP, ROOM = 10.0, 0.3
"""Radiance of lamp and room, display white is 1."""
VIEWS = (20.0, 60.0)


def mirrored_detail(surfaces: Surfaces) -> float:
    return max(_difference(*((side.around_mirror(angle), side.own) for side in (surfaces.original, surfaces.converted))) for angle in VIEWS)


def detail_through(surfaces: Surfaces) -> float:
    """0 where neither lets light through."""
    sides = surfaces.original, surfaces.converted
    if all(side.behind() is None for side in sides):
        return 0.0
    return _difference(*((_or_dark(side), side.own) for side in sides))


def _or_dark(side: Angular) -> Around:
    return side.behind() or Around(np.zeros_like(side.around_mirror(VIEWS[0]).cells))


def _difference(original: tuple[Around, np.ndarray], converted: tuple[Around, np.ndarray]) -> float:
    first, second = (around.within(_lamps()) * (LAMP - ROOM) + around.total * ROOM + own for around, own in (original, converted))
    white = np.maximum(np.maximum(first.max(axis=1), second.max(axis=1)), 1.0)[:, None]
    return float(delta_e_2000(linear_to_lab(first / white), linear_to_lab(second / white)).max())


@cache
def _lamps() -> np.ndarray:
    """(lamps, cells)."""
    discs = [area(lambda x, y, width=width: np.hypot(x, y) <= width) for width in WIDTHS]  # type: ignore[misc]
    along = [area(lambda x, y, width=width: (np.abs(x) <= SLIT_LENGTH) & (np.abs(y) <= width)) for width in WIDTHS]  # type: ignore[misc]
    across = [area(lambda x, y, width=width: (np.abs(y) <= SLIT_LENGTH) & (np.abs(x) <= width)) for width in WIDTHS]  # type: ignore[misc]
    return np.stack(discs + along + across)


METRICS = (
    Metric(
        "mirrored_detail",
        "mirrored detail",
        "largest difference in the image of lamps of any width, discs and slits",
        mirrored_detail,
        5,
        Of.SURFACES,
        "ΔE2000",
        Limits(6.0, 20.0),
    ),
    Metric(
        "detail_through",
        "detail seen through",
        "the same of lamps behind the body",
        detail_through,
        6,
        Of.SURFACES,
        "ΔE2000",
        Limits(6.0, 20.0),
    ),
)
