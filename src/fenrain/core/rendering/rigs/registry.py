"""Finds the rigs beside this file, and the sky they are painted on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np

from fenrain.core.discovery import declarations
from fenrain.core.errors import NotFoundError

SKY_HEIGHT = 512
"""Rows of the pictures that skies are painted on, one number for all: kernels are made for it."""


@dataclass(frozen=True)
class Rig:
    """id, title, what it shows; paint: from unit directions (h, w, 3), y up, to radiance (h, w, 3). A white surface turned to the
    light has a radiance of about 1. order: place in lists."""

    id: str
    title: str
    says: str
    paint: Callable[[np.ndarray], np.ndarray]
    order: int

    def sky(self) -> np.ndarray:
        """The environment as a latitude-longitude picture, (512, 1024, 3) float32."""
        return np.asarray(self.paint(sky_directions()), dtype=np.float32)


@cache
def rigs() -> dict[str, Rig]:
    """Every rig by id, in the order in which they are shown."""
    found: list[Rig] = declarations("fenrain.core.rendering.rigs", "RIG", "fenrain.rigs")
    return {rig.id: rig for rig in sorted(found, key=lambda rig: rig.order)}


def rig_of(rig_id: str) -> Rig:
    """Raises NotFoundError."""
    if rig_id not in rigs():
        raise NotFoundError(f"There is no light rig “{rig_id}”.", place=rig_id, remedy=f"Known: {', '.join(rigs())}.")
    return rigs()[rig_id]


def sky_directions() -> np.ndarray:
    """Unit directions of the texels of a latitude-longitude picture, twice as wide as high, y up."""
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
