"""What a surface sends to a viewer from around the mirror direction, and from straight behind: energies of cells that narrow towards the
middle.

About the mirror direction cells are divided by the facet that would mirror them (its lean on rings, each a fifth wider than the one
within, and its direction on sectors), since a highlight is round in facets at every angle of view: a mirror's image and a matt one are
resolved alike, without random numbers. A cell's light is the value at its middle times its steradians.

Reference: Walter et al. 2007, eq. 13 for the steradians of directions mirrored by facets, 4 |o·h| dω_h.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property

import numpy as np

from fenrain.core.checking.quick import THICKNESS
from fenrain.core.lobes.surface import Surface
from fenrain.core.models.registry import spread

INNERMOST, RINGS, SECTORS = 5e-4, 72, 24
"""Lean of the innermost facets in degrees, and how finely the half sphere of facets is divided."""
FINELY = 4
"""Places across a cell, each way, at which it is asked whether it lies in an area."""
BEHIND = -1.0
"""Stands for the angle of view of what is seen straight through."""


@cache
def ring_edges(coarse: int = 1) -> np.ndarray:
    """Leans of facets in degrees, 0…90, (RINGS/coarse + 1,)."""
    return np.concatenate([[0.0], np.geomspace(INNERMOST, 90.0, RINGS // coarse)])


@dataclass(frozen=True)
class _Cells:
    """Places of cells at an angle of view. light: unit directions to the light, (3, cells, places); view: to the viewer, (3,); steradians:
    of each cell, (cells,); along, across: degrees from the middle in the plane of incidence and across it, (cells, places)."""

    light: np.ndarray
    view: np.ndarray
    steradians: np.ndarray
    along: np.ndarray
    across: np.ndarray


@cache
def _cells(angle: float, places: int, coarse: int = 1) -> _Cells:
    """places: across a cell, each way; coarse: by how much cells are larger, each way. For what is behind, cells lie about the direction
    straight through instead of being mirrored."""
    lean, turn, steradians = _facets(places, coarse)
    facet = np.stack([np.sin(lean) * np.cos(turn), np.sin(lean) * np.sin(turn), np.cos(lean)])
    sine, cosine = (0.0, 1.0) if angle == BEHIND else (np.sin(np.radians(angle)), np.cos(np.radians(angle)))
    view = np.array([sine, 0.0, cosine])
    if angle == BEHIND:
        light, middle = facet * np.array([1.0, 1.0, -1.0]).reshape(3, 1, 1), np.array([0.0, 0.0, -1.0])
    else:
        seen = np.einsum("i,icp->cp", view, facet)
        light, middle = 2.0 * seen * facet - view.reshape(3, 1, 1), np.array([-sine, 0.0, cosine])
        steradians = steradians * 4.0 * np.abs(seen.mean(axis=1)) * (seen.mean(axis=1) > 0.0)
    across = np.array([0.0, 1.0, 0.0])
    along = np.cross(across, middle)
    forward = np.einsum("i,icp->cp", middle, light)
    offsets = [np.degrees(np.arctan2(np.einsum("i,icp->cp", axis, light), forward)) for axis in (along, across)]
    return _Cells(light, view, steradians, *offsets)


def _facets(places: int, coarse: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Lean and direction (radians) of places in each cell of the half sphere, (cells, places), and the steradians of each cell."""
    # Places at equal steps of area across a ring: by 1 − cos θ = 2 sin²(θ/2), which keeps its digits near 0.
    rings, sectors = RINGS // coarse, SECTORS // coarse
    lift = 2.0 * np.square(np.sin(np.radians(ring_edges(coarse)) / 2.0))
    steps = (np.arange(places) + 0.5) / places
    height = lift[:-1, None] + (lift[1:] - lift[:-1])[:, None] * steps
    if places == 1:
        # The middle at which a tail that falls by the square of the area, as GGX does, gives its own integral.
        height[1:, 0] = np.sqrt(lift[1:-1] * lift[2:])
    lean = 2.0 * np.arcsin(np.sqrt(np.minimum(height / 2.0, 1.0)))
    turn = (np.arange(sectors)[:, None] + steps) * 2.0 * np.pi / sectors
    shape = (rings, sectors, places, places)
    leans = np.broadcast_to(lean[:, None, :, None], shape).reshape(rings * sectors, -1)
    turns = np.broadcast_to(turn[None, :, None, :], shape).reshape(rings * sectors, -1)
    return leans, turns, np.repeat(2.0 * np.pi * (lift[1:] - lift[:-1]) / sectors, sectors)


def places_about(angle: float, coarse: int = 1) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """The middles of cells at an angle of view: directions to the light, (3, cells), that to the viewer, (3, 1), the steradians of each
    cell, and whether light comes from there. coarse: by how much cells are larger, each way."""
    places = _cells(angle, 1, coarse)
    wi = places.light[:, :, 0]
    lit = (wi[2] < -1e-6 if angle == BEHIND else wi[2] > 1e-6) & (places.steradians > 0.0)
    return wi, places.view[:, None], places.steradians, lit


def area(angle: float, inside: Callable[[np.ndarray, np.ndarray], np.ndarray], coarse: int = 1) -> np.ndarray:
    """How much of each cell at an angle of view lies in an area about the middle, 0…1, (cells,). inside: from degrees in the plane of
    incidence and across it; coarse: by how much cells are larger, each way."""
    cells = _cells(angle, FINELY, coarse)
    return np.asarray(inside(cells.along, cells.across), dtype=float).mean(axis=1)


@dataclass(frozen=True)
class Around:
    """The light from each cell as the viewer sees it where every cell is at radiance 1, (3, cells); steradians: of each cell."""

    cells: np.ndarray
    steradians: np.ndarray

    @cached_property
    def total(self) -> np.ndarray:
        """From everywhere, (3,)."""
        return np.asarray(self.cells.sum(axis=1))

    def within(self, areas: np.ndarray) -> np.ndarray:
        """From areas (n, cells), as (n, 3)."""
        return np.asarray(areas @ self.cells.T)

    @cached_property
    def profile(self) -> np.ndarray:
        """Mean channel of BSDF × cosine for facets of each ring, 1/sr, (RINGS,)."""
        values = self.cells.mean(axis=0) / np.maximum(self.steradians, 1e-30)
        return np.asarray(values.reshape(RINGS, SECTORS).mean(axis=1))


@dataclass(frozen=True)
class Angular:
    """A surface asked around the mirror direction of several views, and behind. Answers are kept."""

    surface: Surface

    def around_mirror(self, angle: float) -> Around:
        """Around the mirror direction of a view at this angle to the normal, degrees, along the tangent."""
        return self._asked(float(angle))

    def behind(self) -> Around | None:
        """Around the direction straight through for a view along the normal, after one way through the body; None for what lets nothing
        through."""
        return self._asked(BEHIND) if self.surface.transmits else None

    @cached_property
    def own(self) -> np.ndarray:
        """Its own light, (3,)."""
        return np.broadcast_to(np.asarray(self.surface.emission, dtype=float).reshape(-1), (3,))

    @cached_property
    def _kept(self) -> dict[float, Around]:
        return {}

    def _asked(self, angle: float) -> Around:
        if angle not in self._kept:
            self._kept[angle] = _asked(self.surface, angle)
        return self._kept[angle]


def _asked(surface: Surface, angle: float) -> Around:
    wi, wo, steradians, lit = places_about(angle)
    cells = np.zeros(wi.shape)
    value = np.broadcast_to(spread(surface.evaluate(wi[:, lit], wo)), (3, int(lit.sum())))
    cells[:, lit] = value * steradians[lit]
    if angle == BEHIND and surface.interior is not None:
        cells = cells * np.broadcast_to(np.asarray(surface.interior.passes(THICKNESS), dtype=float).reshape(-1, 1), (3, 1))
    return Around(cells, steradians)
