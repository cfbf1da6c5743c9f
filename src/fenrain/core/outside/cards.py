"""Reference cards: what stands in a kit's picture beside the materials, so that camera, exposure and colours are told from it and never
from the materials that are to be checked.

A card faces the camera. It carries a mark of four squares, by whose middle it is found; patches that glow by known amounts in grey and in
colour, which the camera alone can change; and a matt one, which shows how much light there is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fenrain.core.geometry import Mesh, joined
from fenrain.core.outside.layout import CardPlace, Frame

Rectangle = tuple[float, float, float, float]
"""Left, low, right and high on a card, 0…1."""


@dataclass(frozen=True)
class Paint:
    """What a patch is made of: a matt surface that reflects so much and glows by so much, linear, display white is 1."""

    name: str
    reflectance: float
    glow: tuple[float, float, float]


@dataclass(frozen=True)
class Patch:
    paint: Paint
    where: Rectangle


def _glowing(name: str, red: float, green: float, blue: float) -> Paint:
    return Paint(f"card_{name}", 0.0, (red, green, blue))


BLACK, MATT = Paint("card_black", 0.0, (0.0, 0.0, 0.0)), Paint("card_matt", 0.5, (0.0, 0.0, 0.0))
GREYS = tuple(_glowing(f"grey_{round(100 * value)}", value, value, value) for value in (0.05, 0.1, 0.2, 0.4, 0.8))
COLOURS = (_glowing("red", 0.6, 0.06, 0.06), _glowing("green", 0.06, 0.6, 0.06), _glowing("blue", 0.06, 0.06, 0.6))
PAINTS = (BLACK, MATT, *GREYS, *COLOURS)
MARK: Rectangle = (0.25, 0.45, 0.75, 0.95)
MARK_MIDDLE = (0.5, 0.7)
EDGE, STEP = 0.16, 0.18


def _in_row(index: int, low: float) -> Rectangle:
    left = 0.06 + STEP * index
    return left, low, left + EDGE, low + EDGE


PATCHES = (
    *(Patch(paint, _in_row(index, 0.25)) for index, paint in enumerate(GREYS)),
    *(Patch(paint, _in_row(index, 0.05)) for index, paint in enumerate(COLOURS)),
    Patch(MATT, _in_row(4, 0.05)),
)
"""Those that are measured."""
_MARKED = (
    Patch(GREYS[-1], (MARK[0], MARK_MIDDLE[1], MARK_MIDDLE[0], MARK[3])),
    Patch(GREYS[-1], (MARK_MIDDLE[0], MARK[1], MARK[2], MARK_MIDDLE[1])),
)
LIFTED = 0.004
"""How far patches stand before their card, in its edge."""


def card_meshes(cards: Sequence[CardPlace], frame: Frame) -> list[Mesh]:
    """One mesh for each paint, named and with a material by the paint's name."""
    by_paint: dict[str, list[Mesh]] = {}
    for card in cards:
        for patch in (Patch(BLACK, (0.0, 0.0, 1.0, 1.0)), *PATCHES, *_MARKED):
            lifted = 0.0 if patch.paint is BLACK else LIFTED
            by_paint.setdefault(patch.paint.name, []).append(_rectangle(card, frame, patch.where, lifted))
    found = []
    for name, parts in by_paint.items():
        mesh = joined(name, parts)
        found.append(Mesh(name, mesh.positions, mesh.normals, mesh.uvs, mesh.triangles, name))
    return found


def points_on(card: CardPlace, frame: Frame, places: np.ndarray, lifted: float = LIFTED) -> np.ndarray:
    """Points of the scene (n, 3) for places (n, 2) on a card, 0…1 to the right and up."""
    forward, right, up = frame.axes
    across, above = (np.asarray(places, dtype=float) - 0.5).T * card.edge
    flat = np.outer(across, right) + np.outer(above, up)
    return np.asarray(card.middle) - lifted * card.edge * forward + flat


def _rectangle(card: CardPlace, frame: Frame, where: Rectangle, lifted: float) -> Mesh:
    left, low, right, high = where
    corners = points_on(card, frame, np.array([(left, low), (right, low), (right, high), (left, high)]), lifted)
    uvs = np.array([(0.0, 1.0), (1.0, 1.0), (1.0, 0.0), (0.0, 0.0)])
    return Mesh("patch", corners, np.tile(-frame.axes[0], (4, 1)), uvs, np.array([(0, 1, 2), (0, 2, 3)]))


def drawn_card(edge: int) -> np.ndarray:
    """Brightness of a card as it should look, (edge, edge), linear: a template to find it by."""
    rows, columns = np.mgrid[0:edge, 0:edge]
    across, above = (columns + 0.5) / edge, 1.0 - (rows + 0.5) / edge
    picture = np.zeros((edge, edge))
    for patch in (*PATCHES, *_MARKED):
        left, low, right, high = patch.where
        inside = (across > left) & (across < right) & (above > low) & (above < high)
        picture[inside] = patch.paint.reflectance or float(np.mean(patch.paint.glow))
    return picture
