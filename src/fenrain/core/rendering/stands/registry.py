"""Finds the stands beside this file."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache, lru_cache
from typing import NamedTuple

import numpy as np

from fenrain.core.discovery import declarations
from fenrain.core.errors import NotFoundError
from fenrain.core.geometry import Mesh, uv_spans
from fenrain.core.rendering.recent_items import RecentItems

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
HIGHEST = 85.0
CLOSEST, FARTHEST = 1.7, 40.0
"""Where a camera may stand that was turned by hand: degrees above what it looks at, and scene units away from that."""


@cache
def stands() -> dict[str, Stand]:
    """Every stand by id."""
    found: list[Stand] = declarations("fenrain.core.rendering.stands", "STAND", "fenrain.stands")
    return {stand.id: stand for stand in sorted(found, key=lambda stand: stand.order)}


MOST_OPENED = 32
OPENED = RecentItems[Stand](MOST_OPENED)
"""Stands that are no files beside this one."""


@lru_cache(maxsize=4 * MOST_OPENED)
def spans_of(stand_id: str, unit: float = 0.0) -> Spans:
    """unit: metres of a material's unit of length, 0 where nobody knows: then it counts in scene units. On a mesh that somebody brought it
    counts as the file does."""
    stand = stand_of(stand_id)
    along_u, along_v = uv_spans(stand.mesh())
    is_shipped = stand_id.partition(":")[0] in stands()
    return Spans(stand.metres * along_u, stand.metres * along_v, unit / stand.metres if unit and is_shipped else stand.unit)


def stand_of(stand_id: str) -> Stand:
    """By its id, or by that and where the camera stands: “sphere:near”, or “sphere:30,15,5.2”, which is 30° about the vertical from +z
    towards +x, 15° up, and 5.2 scene units away. Raises NotFoundError."""
    name, colon, camera = stand_id.partition(":")
    stand = stands().get(name) or OPENED.get(name)
    if stand is None:
        raise NotFoundError(f"There is no stand “{name}”.", place=stand_id, remedy=f"Known: {', '.join(stands())}.")
    if not colon:
        return stand
    eye, target = (np.array(place) for place in stand.camera)
    if camera in CAMERAS:
        share, where = CAMERAS[camera]
        x, y, z = target + share * (eye - target)
    else:
        numbers = _numbers(camera, stand_id)
        camera, where = ",".join(f"{number:g}" for number in numbers), "turned by hand"
        x, y, z = target + _away(*numbers)
    placed = (x, max(y, stand.floor + 0.05), z), stand.camera[1]
    return replace(stand, id=f"{name}:{camera}", title=f"{stand.title}, {where}", camera=placed)


def _numbers(camera: str, stand_id: str) -> tuple[float, float, float]:
    """Degrees about the vertical, degrees up, scene units away. Raises NotFoundError."""
    try:
        about, up, distance = (float(part) for part in camera.split(","))
    except ValueError:
        about = up = distance = math.nan
    if not (abs(about) <= 360.0 and 0.0 <= up <= HIGHEST and CLOSEST <= distance <= FARTHEST):
        remedy = (
            f"Known: {', '.join(CAMERAS)}, and three numbers: degrees about the vertical, degrees up (0 to {HIGHEST:g}), "
            f"scene units away ({CLOSEST:g} to {FARTHEST:g})."
        )
        raise NotFoundError(f"No camera stands “{camera}”.", place=stand_id, remedy=remedy)
    return about, up, distance


def _away(about: float, up: float, distance: float) -> np.ndarray:
    """Where a camera stands from what it looks at."""
    turned, raised = math.radians(about), math.radians(up)
    return distance * np.array([math.cos(raised) * math.sin(turned), math.sin(raised), math.cos(raised) * math.cos(turned)])
