"""What a surface sends to a viewer from around the mirror direction, and from straight behind: energies on rings that narrow towards the
middle.

A ring's light is the value at its middle times its solid angle. Rings are half as wide again from one to the next, from a thousandth of
a degree on, so that a mirror's image and a matt one are resolved alike, without random numbers.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property

import numpy as np

from fenrain.core.checking.quick import THICKNESS
from fenrain.core.lobes.surface import Surface
from fenrain.core.models.registry import spread

INNERMOST, RINGS, SECTORS = 1e-3, 72, 24
"""Radius of the innermost disc in degrees, and how finely the sphere is divided."""
FINELY = 4
"""Places across a cell, each way, at which it is asked whether it lies in an area."""


@cache
def ring_edges() -> np.ndarray:
    """Radii in degrees, 0…180, (RINGS + 1,)."""
    return np.concatenate([[0.0], np.geomspace(INNERMOST, 180.0, RINGS)])


@cache
def _cells(rings: int = 1, sectors: int = 1) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Radius and angle (radians) of places in each cell, and the solid angle of each place: (cells, places). rings, sectors: places
    across a cell."""
    edges = np.radians(ring_edges())
    cosines = np.cos(edges)
    # Places at equal steps of solid angle across a ring: 1 − cos θ, which keeps its digits near 0.
    lift = 2.0 * np.square(np.sin(edges / 2.0))
    steps = (np.arange(rings) + 0.5) / rings
    height = lift[:-1, None] + (lift[1:] - lift[:-1])[:, None] * steps
    radius = 2.0 * np.arcsin(np.sqrt(np.minimum(height / 2.0, 1.0)))
    angle = (np.arange(SECTORS)[:, None] + (np.arange(sectors) + 0.5) / sectors) * 2.0 * np.pi / SECTORS
    solid = 2.0 * np.pi * (lift[1:] - lift[:-1]) / SECTORS
    assert cosines.size == RINGS + 1
    shape = (RINGS, SECTORS, rings, sectors)
    radii = np.broadcast_to(radius[:, None, :, None], shape)
    angles = np.broadcast_to(angle[None, :, None, :], shape)
    return radii.reshape(RINGS * SECTORS, -1), angles.reshape(RINGS * SECTORS, -1), np.repeat(solid, SECTORS)


def area(inside: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> np.ndarray:
    """How much of each cell lies in an area about the middle, 0…1, (cells,). inside: from degrees in the plane of incidence and across
    it."""
    radius, angle, _ = _cells(FINELY, FINELY)
    degrees = np.degrees(radius)
    return np.asarray(inside(degrees * np.cos(angle), degrees * np.sin(angle)), dtype=float).mean(axis=1)


@dataclass(frozen=True)
class Around:
    """The light from each cell around a direction as the viewer sees it where every cell is at radiance 1, (3, cells)."""

    cells: np.ndarray

    @cached_property
    def total(self) -> np.ndarray:
        """From everywhere, (3,)."""
        return np.asarray(self.cells.sum(axis=1))

    def within(self, areas: np.ndarray) -> np.ndarray:
        """From areas (n, cells), as (n, 3)."""
        return np.asarray(areas @ self.cells.T)

    @cached_property
    def profile(self) -> np.ndarray:
        """Mean channel of BSDF × cosine over each ring, 1/sr, (RINGS,)."""
        _, _, solid = _cells()
        return np.asarray((self.cells.mean(axis=0) / solid).reshape(RINGS, SECTORS).mean(axis=1))


@dataclass(frozen=True)
class Angular:
    """A surface asked around the mirror direction of several views, and behind. Answers are kept."""

    surface: Surface

    def __post_init__(self) -> None:
        object.__setattr__(self, "_kept", {})

    def around_mirror(self, angle: float) -> Around:
        """Around the mirror direction of a view at this angle to the normal, degrees, along the tangent."""
        return self._asked(angle, behind=False)

    def behind(self) -> Around | None:
        """Around the direction straight through for a view along the normal, after one way through the body; None for what lets nothing
        through."""
        return self._asked(0.0, behind=True) if self.surface.transmits else None

    @cached_property
    def own(self) -> np.ndarray:
        """Its own light, (3,)."""
        return np.broadcast_to(np.asarray(self.surface.emission, dtype=float).reshape(-1), (3,))

    def _asked(self, angle: float, *, behind: bool) -> Around:
        kept: dict[tuple[float, bool], Around] = self._kept  # type: ignore[attr-defined]
        if (angle, behind) not in kept:
            kept[angle, behind] = _asked(self.surface, angle, behind=behind)
        return kept[angle, behind]


def _asked(surface: Surface, angle: float, *, behind: bool) -> Around:
    wi, wo = _directions(angle, behind)
    _, _, solid = _cells()
    lit = wi[2] < -1e-6 if behind else wi[2] > 1e-6
    cells = np.zeros((3, wi.shape[1]))
    cells[:, lit] = np.broadcast_to(spread(surface.evaluate(wi[:, lit], wo[:, lit])), (3, int(lit.sum()))) * solid[lit]
    if behind and surface.interior is not None:
        cells = cells * np.broadcast_to(np.asarray(surface.interior.passes(THICKNESS), dtype=float).reshape(-1, 1), (3, 1))
    return Around(cells)


@cache
def _directions(angle: float, behind: bool) -> tuple[np.ndarray, np.ndarray]:
    radius, around, _ = _cells()
    radius, around = radius[:, 0], around[:, 0]
    sine, cosine = np.sin(np.radians(angle)), np.cos(np.radians(angle))
    middle = np.array([-sine, 0.0, -cosine if behind else cosine])
    across = np.array([0.0, 1.0, 0.0])
    along = np.cross(across, middle)
    wi = middle[:, None] * np.cos(radius) + (along[:, None] * np.cos(around) + across[:, None] * np.sin(around)) * np.sin(radius)
    wo = np.broadcast_to(np.array([[sine], [0.0], [cosine]]), wi.shape)
    return wi, wo
