"""A lobe whose tangent is turned about the normal."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fenrain.core.optics.arrays import Array, cos, is_absent, sin, vector


@dataclass(frozen=True)
class Turned:
    """angle: radians, from the tangent towards the bitangent."""

    lobe: Any
    angle: Array

    @property
    def diffuse(self) -> bool:
        return bool(self.lobe.diffuse)

    @property
    def side(self) -> str:
        return str(self.lobe.side)

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return self.lobe.evaluate(self._into(wi), self._into(wo))

    def density(self, wi: Array, wo: Array) -> Array:
        return self.lobe.density(self._into(wi), self._into(wo))

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return self._turn(self.lobe.sample(self._into(wo), u1, u2), self.angle)

    def albedo(self, cosine: Array) -> Array:
        return self.lobe.albedo(cosine)

    def cover(self, cosine: Array) -> Array:
        return self.lobe.cover(cosine)

    def average_cover(self) -> Array:
        return self.lobe.average_cover()

    def _into(self, direction: Array) -> Array:
        return self._turn(direction, -self.angle)

    @staticmethod
    def _turn(direction: Array, angle: Array) -> Array:
        c, s = cos(angle), sin(angle)
        return vector(direction[0] * c - direction[1] * s, direction[0] * s + direction[1] * c, direction[2])


def turned(lobe: Any, angle: Array) -> Any:
    """The lobe itself where it is known not to be turned."""
    return lobe if is_absent(angle) else Turned(lobe, angle)
