"""Finds the rigs beside this file, and the sky they are painted on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache, cached_property, lru_cache

import numpy as np

from fenrain.core.discovery import declarations
from fenrain.core.errors import NotFoundError
from fenrain.core.rendering.recent_items import RecentItems

SKY_HEIGHT = 512
"""Rows of the pictures that skies are painted on, one number for all: kernels are made for it."""
Paint = Callable[[np.ndarray], np.ndarray]
"""From unit directions (h, w, 3), y up, to radiance (h, w, 3). Of all a rig's light together, a white surface turned to it sends back about
1."""
LOWEST, HIGHEST = 2.0, 85.0
"""Degrees above the ground between which a rig's lamp can be put."""


def _dark(directions: np.ndarray) -> np.ndarray:
    return np.zeros(directions.shape)


@dataclass(frozen=True)
class Hour:
    """Where a rig's lamp stands at an hour of the day: how far the light is turned for it (degrees), and how high it is."""

    hour: float
    turn: float
    height: float


@dataclass(frozen=True)
class Rig:
    """id, title, what it shows; order: place in lists. surroundings, lamps: its light, told apart, since there are models that answer lamps
    differently. stands_by: looked through only where somebody asks for it, not by every check; at_height: the same with its lamp so many
    degrees above the ground, None where it has none to move; height: where it is; hours: where it stands in the course of
    a day.

    Two rigs of one id are the same.
    """

    id: str
    title: str
    says: str
    order: int
    surroundings: Paint = field(default=_dark, compare=False)
    lamps: Paint = field(default=_dark, compare=False)
    stands_by: bool = field(default=False, compare=False)
    at_height: Callable[[float], Rig] | None = field(default=None, compare=False)
    height: float | None = field(default=None, compare=False)
    hours: tuple[Hour, ...] = field(default=(), compare=False)

    def sky(self) -> np.ndarray:
        """The environment as a latitude-longitude picture, (512, 1024, 3) float32."""
        return self._painted[0]

    def lamp_shares(self) -> np.ndarray:
        """How much of it comes from lamps, (512, 1024) float32, 0…1."""
        return self._painted[1]

    @cached_property
    def _painted(self) -> tuple[np.ndarray, np.ndarray]:
        directions = sky_directions()
        lamps = np.broadcast_to(self.lamps(directions), directions.shape)
        whole = self.surroundings(directions) + lamps
        return whole.astype(np.float32), (lamps.sum(axis=-1) / np.maximum(whole.sum(axis=-1), 1e-12)).astype(np.float32)


@cache
def rigs() -> dict[str, Rig]:
    """Every rig by id, in the order in which they are shown."""
    found: list[Rig] = declarations("fenrain.core.rendering.rigs", "RIG", "fenrain.rigs")
    return {rig.id: rig for rig in sorted(found, key=lambda rig: rig.order)}


def standing_rigs() -> tuple[str, ...]:
    """Ids of those by which everything is checked unless others are chosen."""
    return tuple(rig.id for rig in rigs().values() if not rig.stands_by)


OPENED = RecentItems[Rig](12)
"""Rigs that are no files beside this one."""


@lru_cache(maxsize=24)
def rig_of(rig_id: str) -> Rig:
    """By its id, or by that and the height of its lamp: “low_sun:35”. Raises NotFoundError."""
    if rig_id in OPENED:
        return OPENED[rig_id]
    name, colon, height = rig_id.partition(":")
    if name not in rigs():
        raise NotFoundError(f"There is no light rig “{name}”.", place=rig_id, remedy=f"Known: {', '.join(rigs())}.")
    rig = rigs()[name]
    if not colon:
        return rig
    degrees = _degrees(height)
    if rig.at_height is None or degrees is None:
        raise NotFoundError(
            f"There is no light rig “{rig_id}”.",
            place=rig_id,
            remedy=f"A height goes with a rig whose lamp moves, in degrees, {LOWEST:g} to {HIGHEST:g}: “low_sun:35”.",
        )
    return replace(rig.at_height(degrees), id=f"{name}:{degrees:g}", title=f"{rig.title} at {degrees:g}°", height=degrees)


def _degrees(text: str) -> float | None:
    try:
        degrees = round(float(text), 1)
    except ValueError:
        return None
    return degrees if LOWEST <= degrees <= HIGHEST else None


def sky_directions() -> np.ndarray:
    """Unit directions of the texels of a latitude-longitude picture, twice as wide as high, y up: its middle looks along +z, the side of
    the camera, and a quarter from its left edge along +x, as the OpenEXR library's environment maps have it."""
    theta = (np.arange(SKY_HEIGHT) + 0.5) / SKY_HEIGHT * np.pi
    phi = (np.arange(2 * SKY_HEIGHT) + 0.5) / SKY_HEIGHT * np.pi
    sin = np.sin(theta)[:, None]
    return np.stack([sin * np.sin(phi), np.cos(theta)[:, None] + 0.0 * phi, -sin * np.cos(phi)], axis=-1)


def towards(azimuth: float, elevation: float) -> np.ndarray:
    """Unit direction; azimuth in degrees from the camera's side (+z) to the right (+x), elevation above the ground."""
    a, e = np.radians(azimuth), np.radians(elevation)
    return np.array([np.cos(e) * np.sin(a), np.sin(e), np.cos(e) * np.cos(a)])


def soft_edge(cosine: np.ndarray, inner: float, outer: float) -> np.ndarray:
    """1 within `inner` degrees of an axis, 0 beyond `outer`, smooth between."""
    angle = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    t = np.clip((outer - angle) / (outer - inner), 0, 1)
    return t * t * (3 - 2 * t)


def disc(directions: np.ndarray, axis: np.ndarray, radius: float) -> np.ndarray:
    """1 within so many degrees of an axis, 0 beyond, smooth over a quarter of the radius: (h, w, 1)."""
    return soft_edge(directions @ axis, 0.875 * radius, 1.125 * radius)[..., None]


def panel(directions: np.ndarray, centre: np.ndarray, half_width: float, half_height: float, soft: float = 0.15) -> np.ndarray:
    """A rectangle of light about a direction, 0…1; half sizes in degrees; soft: how far its edge runs out, as a share of them."""
    right = np.cross([0.0, 1.0, 0.0], centre)
    right /= np.linalg.norm(right)
    up = np.cross(centre, right)
    forward = directions @ centre
    x = np.degrees(np.arctan2(directions @ right, forward)) / half_width
    y = np.degrees(np.arctan2(directions @ up, forward)) / half_height
    inside = np.clip((1.0 + soft - np.maximum(np.abs(x), np.abs(y))) / (2.0 * soft), 0, 1)
    return np.where(forward > 0, inside * inside * (3 - 2 * inside), 0.0)
