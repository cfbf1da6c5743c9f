"""The light of a rig, turned about the vertical: what comes from a direction, and directions drawn by it."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np

from fenrain.core.rendering.engine import dr, held, mi
from fenrain.core.rendering.rigs.registry import rig_of


class Sky:
    """Light from infinitely far away. turn: degrees about the vertical, held as opaque numbers, so that another turn needs no new
    kernel."""

    def __init__(self, rig_id: str, turn: float) -> None:
        self._emitter = _emitter(rig_id)
        angle = np.radians(turn)
        self._cos, self._sin = held(np.cos(angle)), held(np.sin(angle))

    def radiance(self, direction: Any, active: Any) -> Any:
        """From unit directions of the scene."""
        place = dr.zeros(mi.SurfaceInteraction3f)
        place.wi = -self._into(direction)
        return dr.select(active, self._emitter.eval(place, active), 0.0)

    def pdf(self, direction: Any, active: Any) -> Any:
        """Density (1/sr) with which `sample` gives a direction."""
        towards = dr.zeros(mi.DirectionSample3f)
        towards.d = self._into(direction)
        return dr.select(active, self._emitter.pdf_direction(dr.zeros(mi.Interaction3f), towards, active), 0.0)

    def sample(self, numbers: Any, active: Any) -> tuple[Any, Any, Any]:
        """(direction, radiance divided by its density, density) for two numbers of 0…1."""
        drawn, weight = self._emitter.sample_direction(dr.zeros(mi.Interaction3f), numbers, active)
        return self._out_of(drawn.d), weight, drawn.pdf

    def _into(self, d: Any) -> Any:
        return mi.Vector3f(self._cos * d.x - self._sin * d.z, d.y, self._sin * d.x + self._cos * d.z)

    def _out_of(self, d: Any) -> Any:
        return mi.Vector3f(self._cos * d.x + self._sin * d.z, d.y, self._cos * d.z - self._sin * d.x)


@cache
def _emitter(rig_id: str) -> Any:
    return mi.load_dict({"type": "envmap", "bitmap": mi.Bitmap(rig_of(rig_id).sky())})
