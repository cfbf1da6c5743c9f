"""Where everything of a check kit stands: the camera, the bodies that carry materials, and the reference cards.

A kit of one material is a stand as it is. Of several, each lies on a copy of the stand's body, without ground, far enough from the next
that it takes next to none of its light: one picture shows all.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from fenrain.core.errors import InputError
from fenrain.core.rendering.stands.registry import Stand

Place = tuple[float, float, float]
ASPECT = 1.5
"""Width to height of the picture of a kit of one material."""
SPACING, MARGIN = 8.0, 4.0
"""From one body of a sheet to the next, and from the outer ones' cells to the edge of the picture; bodies are about two units wide."""
CELL = 1.3
"""Half the edge of what is looked at of a body on a sheet."""
SHEET_CARD = 3.0
CAMERA_AWAY = 4.0
"""How far the camera stands from a sheet, in halves of its longer side: the longer, the more alike are the directions of view."""
CARDS_NEAR, CARD_SHARE = 0.55, 0.4
"""Where cards stand on the way from the camera to a stand, and their edge in half heights of the picture there."""
NO_FLOOR = -1e4
"""Height of the ground where there is none."""
MOST_ON_A_SHEET = 60


@dataclass(frozen=True)
class Frame:
    """The camera of a kit. eye, target: y is up; field_of_view: vertical, degrees; aspect: width to height."""

    eye: Place
    target: Place
    field_of_view: float
    aspect: float

    @property
    def axes(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Unit vectors forward, right and up."""
        forward = np.subtract(self.target, self.eye)
        forward = forward / np.linalg.norm(forward)
        right = np.cross(forward, [0.0, 1.0, 0.0])
        right /= np.linalg.norm(right)
        return forward, right, np.cross(right, forward)

    @property
    def slope(self) -> float:
        """Half the picture's height at a distance of 1."""
        return math.tan(math.radians(self.field_of_view) / 2.0)

    def places_of(self, points: np.ndarray) -> np.ndarray:
        """Where points of the scene (n, 3) are seen, (n, 2): right and up of the middle, in half heights of the picture."""
        forward, right, up = self.axes
        away = np.asarray(points, dtype=float) - np.asarray(self.eye)
        return np.stack([away @ right, away @ up], axis=-1) / (away @ forward)[:, None] / self.slope

    def pixels_of(self, places: np.ndarray, size: tuple[int, int]) -> np.ndarray:
        """The same places in pixels of a picture of this width and height, across and down from the middle of the first pixel."""
        width, height = size
        return np.stack([width + height * places[:, 0], height - height * places[:, 1]], axis=-1) * 0.5 - 0.5


@dataclass(frozen=True)
class Tile:
    """Where a material is looked at. offset: of its body from where the stand has it; middle: of what is looked at, in half heights right
    and up of the picture's; half: half the edge of that."""

    offset: Place
    middle: tuple[float, float]
    half: float


@dataclass(frozen=True)
class CardPlace:
    """A reference card, which faces the camera. middle: of it; edge: its length."""

    middle: Place
    edge: float


@dataclass(frozen=True)
class Layout:
    frame: Frame
    tiles: tuple[Tile, ...]
    cards: tuple[CardPlace, ...]
    has_ground: bool


def layout_of(stand: Stand, materials: int) -> Layout:
    """Raises InputError for a sheet of nothing or of too many, or on a stand that is more than its body."""
    if materials == 1:
        return _stand_layout(stand)
    if not 1 <= materials <= MOST_ON_A_SHEET:
        raise InputError(
            f"A kit holds 1 to {MOST_ON_A_SHEET} materials, not {materials}.", place="kit", remedy="Choose fewer, or make several kits."
        )
    if stand.props():
        raise InputError(
            f"“{stand.title}” is more than one body, so that several materials do not share a sheet on it.",
            place="--stand",
            remedy="Make a kit of one material, or choose a stand that is one body, such as the sphere.",
        )
    return _sheet_layout(materials)


def _stand_layout(stand: Stand) -> Layout:
    frame = Frame(*stand.camera, stand.field_of_view, ASPECT)
    forward, right, up = frame.axes
    distance = CARDS_NEAR * float(np.linalg.norm(np.subtract(stand.camera[1], stand.camera[0])))
    half = distance * frame.slope
    across, high, edge = 0.5 * (1.0 + ASPECT) * half, 0.72 * half, CARD_SHARE * half
    centre = np.asarray(frame.eye) + distance * forward
    middles = [centre + side * across * right + above * high * up for above in (1, -1) for side in (-1, 1)]
    return Layout(frame, (Tile((0.0, 0.0, 0.0), (0.0, 0.0), 1.0),), tuple(CardPlace(_place(one), edge) for one in middles), True)


def _sheet_layout(materials: int) -> Layout:
    columns = min(materials, math.ceil(math.sqrt(1.5 * materials)))
    rows = math.ceil(materials / columns)
    half_width, half_height = 0.5 * SPACING * columns + MARGIN, 0.5 * SPACING * rows + MARGIN
    away = CAMERA_AWAY * max(half_width, half_height)
    frame = Frame((0.0, 0.0, away), (0.0, 0.0, 0.0), 2.0 * math.degrees(math.atan(half_height / away)), half_width / half_height)
    tiles = []
    for index in range(materials):
        row, column = divmod(index, columns)
        offset = (SPACING * (column - 0.5 * (columns - 1)), SPACING * (0.5 * (rows - 1) - row), 0.0)
        (across, up) = frame.places_of(np.array([offset]))[0]
        tiles.append(Tile(offset, (float(across), float(up)), CELL / half_height))
    x, y = half_width - 0.5 * MARGIN, half_height - 0.5 * MARGIN
    cards = tuple(CardPlace((side * x, above * y, 0.0), SHEET_CARD) for above in (1, -1) for side in (-1, 1))
    return Layout(frame, tuple(tiles), cards, False)


def stand_of_tile(stand: Stand, layout: Layout, index: int, stand_id: str) -> Stand:
    """The stand as our renderer takes a tile's picture: its body in its own place, and the kit's camera moved along with it."""
    frame, tile = layout.frame, layout.tiles[index]
    eye = np.subtract(frame.eye, tile.offset)
    target = eye + frame.axes[0] * float(np.linalg.norm(np.subtract(frame.target, frame.eye)))
    narrow = 2.0 * math.degrees(math.atan(tile.half * frame.slope))
    across, up = tile.middle
    placed = replace(
        stand,
        id=stand_id,
        camera=(_place(eye), _place(target)),
        field_of_view=narrow,
        shift=(across / tile.half, up / tile.half),
    )
    return placed if layout.has_ground else replace(placed, floor=NO_FLOOR, props=tuple)


def _place(point: np.ndarray) -> Place:
    return float(point[0]), float(point[1]), float(point[2])
