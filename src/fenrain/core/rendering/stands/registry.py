"""Finds the stands beside this file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache, lru_cache
from typing import NamedTuple

import numpy as np

from fenrain.core.discovery import declarations
from fenrain.core.errors import NotFoundError
from fenrain.core.geometry import Mesh, uv_spans
from fenrain.core.rendering.opened import Opened

TILES = (0.17, 0.25)
"""Reflectance of the tiles of the ground below every stand, in turn."""
GROUND_REACH = 14.0
"""The ground is a square about the origin, this far to each side, of tiles half a unit wide."""


@dataclass(frozen=True)
class Prop:
    """Something matt that belongs to a stand and not to the look. reflectance: 0…1; glow: radiance of its own light."""

    mesh: Mesh
    reflectance: float
    glow: float = 0.0


def _nothing() -> tuple[Prop, ...]:
    return ()


METRES = 0.1
"""Of a scene unit on the stands that come with Fenrain: a sphere is as large as a fist."""


@dataclass(frozen=True)
class Stand:
    """id, title, what it shows; mesh: of the look, about 2 units tall around the origin; floor: height of the ground; camera: origin and
    target; order: place in lists; convex: no light that leaves it meets it or a prop again; props: what stands beside its mesh; unit: scene
    units to which one of a material's units of length comes; metres: of a scene unit; shift: how far the picture is moved beside where the
    camera points, to the right and up, in half edges of it, as a lens that is shifted does.
    """

    id: str
    title: str
    says: str
    mesh: Callable[[], Mesh]
    floor: float
    camera: tuple[tuple[float, float, float], tuple[float, float, float]]
    order: int
    field_of_view: float = 26.0
    convex: bool = False
    props: Callable[[], tuple[Prop, ...]] = field(default=_nothing, compare=False)
    unit: float = 1.0
    metres: float = METRES
    shift: tuple[float, float] = (0.0, 0.0)


class Spans(NamedTuple):
    """What lengths of a material are measured by: metres on the surface for a whole step of u, and of v; scene units for one of its own."""

    u: float = 1.0
    v: float = 1.0
    unit: float = 1.0


WHOLE = Spans()
CAMERAS = {"near": (0.6, "near"), "far": (2.4, "from afar")}
"""How far away the camera stands, as a share of the usual distance, by what follows a stand's id: “sphere:near”."""


@cache
def stands() -> dict[str, Stand]:
    """Every stand by id."""
    found: list[Stand] = declarations("fenrain.core.rendering.stands", "STAND", "fenrain.stands")
    return {stand.id: stand for stand in sorted(found, key=lambda stand: stand.order)}


MOST_OPENED = 32
OPENED = Opened[Stand](MOST_OPENED)
"""Stands that are no files beside this one."""


@lru_cache(maxsize=MOST_OPENED)
def spans_of(stand_id: str) -> Spans:
    stand = stand_of(stand_id)
    along_u, along_v = uv_spans(stand.mesh())
    return Spans(stand.metres * along_u, stand.metres * along_v, stand.unit)


def stand_of(stand_id: str) -> Stand:
    """By its id, or by that and where the camera stands: “sphere:near”. Raises NotFoundError."""
    name, colon, distance = stand_id.partition(":")
    stand = stands().get(name) or OPENED.get(name)
    if stand is None:
        raise NotFoundError(f"There is no stand “{name}”.", place=stand_id, remedy=f"Known: {', '.join(stands())}.")
    if not colon:
        return stand
    if distance not in CAMERAS:
        raise NotFoundError(f"No camera stands “{distance}”.", place=stand_id, remedy=f"Known: {', '.join(CAMERAS)}.")
    share, where = CAMERAS[distance]
    eye, target = (np.array(place) for place in stand.camera)
    x, y, z = target + share * (eye - target)
    return replace(stand, id=stand_id, title=f"{stand.title}, {where}", camera=((x, max(y, stand.floor + 0.05), z), stand.camera[1]))
