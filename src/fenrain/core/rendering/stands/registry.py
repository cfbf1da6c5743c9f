"""Finds the stands beside this file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

from fenrain.core.discovery import declarations
from fenrain.core.errors import NotFoundError
from fenrain.core.geometry import Mesh

TILES = (0.17, 0.25)
"""Reflectance of the tiles of the ground below every stand, in turn."""


@dataclass(frozen=True)
class Stand:
    """id, title, what it shows; mesh: about 2 units tall around the origin; floor: height of the ground; camera: origin and target;
    order: place in lists; convex: no light that leaves it meets it again."""

    id: str
    title: str
    says: str
    mesh: Callable[[], Mesh]
    floor: float
    camera: tuple[tuple[float, float, float], tuple[float, float, float]]
    order: int
    field_of_view: float = 26.0
    convex: bool = False


@cache
def stands() -> dict[str, Stand]:
    """Every stand by id."""
    found: list[Stand] = declarations("fenrain.core.rendering.stands", "STAND", "fenrain.stands")
    return {stand.id: stand for stand in sorted(found, key=lambda stand: stand.order)}


def stand_of(stand_id: str) -> Stand:
    """Raises NotFoundError."""
    if stand_id not in stands():
        raise NotFoundError(f"There is no stand “{stand_id}”.", place=stand_id, remedy=f"Known: {', '.join(stands())}.")
    return stands()[stand_id]
