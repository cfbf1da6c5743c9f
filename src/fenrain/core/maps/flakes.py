"""The pattern of flakes in a paint: cells that tile, each with at most one flake that leans its own way."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

TEXELS_A_CELL = 10
SMALLEST_EDGE, LARGEST_EDGE = 512, 4096
MOST_CELLS = LARGEST_EDGE // 4
ROUND_RADIUS = 0.5
"""Of a round flake, in cells: it touches its neighbours."""


SMALLEST_SCALE = 1e-3


@dataclass(frozen=True)
class Flakes:
    """mask: where there are flakes, (n, n) bool; normals: of the flakes there, (n, n, 3), unit, up where there is none; ids: a number
    0…1 for each flake, spread evenly, (n, n)."""

    mask: np.ndarray
    normals: np.ndarray
    ids: np.ndarray


def flakes(amount: float, tilt: float, size: float, seed: int, *, cellular: bool, variation: float = 0.0) -> Flakes:
    """amount: share of the surface that they cover, 0…1; tilt: root mean square of the slope with which they lean, both ways together, so
    that many of them are as rough as a Beckmann surface of α = tilt (Beckmann & Spizzichino 1963: α² is the mean of the squared slope);
    size: of a cell, in tile widths; seed: chooses among patterns of equal kind; cellular: cells whose outlines are those of the places
    nearest to each flake's middle (Worley 1996), else round flakes; variation: by which share the smallest are smaller than the largest,
    0…1, all sizes between them alike often.
    """
    cells = cells_of(size)
    edge = edge_of(cells)
    random = np.random.default_rng(int(seed))
    middles = random.uniform(0.2, 0.8, (cells, cells, 2)) if cellular else np.full((cells, cells, 2), 0.5)
    slopes = random.normal(0.0, tilt / np.sqrt(2.0), (cells, cells, 2))
    chance, ids = random.uniform(0.0, 1.0, (2, cells, cells))
    scale = 1.0 - variation * random.uniform(0.0, 1.0, (cells, cells))
    place = (np.arange(edge) + 0.5) / edge * cells
    row, column, distance = _nearest(place, middles, np.maximum(scale, SMALLEST_SCALE))
    mean_area = 1.0 - variation + variation**2 / 3.0
    share = amount if cellular else amount / (np.pi * ROUND_RADIUS**2 * mean_area)
    radius = np.inf if cellular else ROUND_RADIUS * np.sqrt(max(share, 1.0))
    mask = (chance[row, column] < share) & (distance < radius)
    slope = np.where(mask[..., None], slopes[row, column], 0.0)
    normals = np.concatenate([-slope, np.ones((edge, edge, 1))], axis=-1)
    return Flakes(mask, normals / np.linalg.norm(normals, axis=-1, keepdims=True), ids[row, column])


def cells_of(size: float) -> int:
    """Cells in a row, for their size in tile widths."""
    return int(np.clip(round(1.0 / max(size, 1e-6)), 1, MOST_CELLS))


def edge_of(cells: int) -> int:
    """Texels in a row."""
    return int(np.clip(cells * TEXELS_A_CELL, SMALLEST_EDGE, LARGEST_EDGE))


@lru_cache(maxsize=4)
def flakes_of(amount: float, tilt: float, size: float, seed: float, cellular: float, variation: float) -> Flakes:
    """The same, kept."""
    return flakes(amount, tilt, size, int(seed), cellular=bool(cellular), variation=variation)


def size_of(numbers: Mapping[str, float]) -> int:
    """Texels on the edge of the pattern that is drawn from these numbers."""
    return edge_of(cells_of(numbers["size"]))


def picture_of(numbers: Mapping[str, float], picture: str) -> np.ndarray:
    """One of the pattern's pictures, (n, n, channels) float32: normals, mask or ids."""
    drawn: np.ndarray = getattr(flakes_of(**numbers), picture)
    return (drawn if drawn.ndim == 3 else drawn[..., None]).astype(np.float32)


def _nearest(place: np.ndarray, middles: np.ndarray, scale: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(row, column) of the flake whose middle is nearest to each texel, and how far away that is, in cells ÷ its scale."""
    cells = len(scale)
    own = place.astype(int)
    shape = (len(place), len(place))
    best, row, column = np.full(shape, np.inf), np.zeros(shape, int), np.zeros(shape, int)
    for down in (-1, 0, 1):
        for across in (-1, 0, 1):
            rows, columns = (own + down) % cells, (own + across) % cells
            middle = middles[rows[:, None], columns[None, :]]
            from_above = place[:, None] - (own + down)[:, None] - middle[..., 1]
            from_left = place[None, :] - (own + across)[None, :] - middle[..., 0]
            distance = np.hypot(from_above, from_left) / scale[rows[:, None], columns[None, :]]
            nearer = distance < best
            best = np.where(nearer, distance, best)
            row, column = np.where(nearer, rows[:, None], row), np.where(nearer, columns[None, :], column)
    return row, column, best
