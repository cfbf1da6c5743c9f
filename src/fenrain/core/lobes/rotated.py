"""A lobe whose tangent is rotated about the normal."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fenrain.core.lobes.reoriented import Reoriented
from fenrain.core.optics.arrays import Array, cos, is_absent, sin, vector


@dataclass(frozen=True)
class Rotated(Reoriented):
    """angle: radians, from the tangent towards the bitangent."""

    angle: Array

    def into(self, direction: Array) -> Array:
        return self._rotate(direction, -self.angle)

    def back(self, direction: Array) -> Array:
        return self._rotate(direction, self.angle)

    @staticmethod
    def _rotate(direction: Array, angle: Array) -> Array:
        c, s = cos(angle), sin(angle)
        return vector(direction[0] * c - direction[1] * s, direction[0] * s + direction[1] * c, direction[2])


def rotated(lobe: Any, angle: Array) -> Any:
    """The lobe itself where it is known not to be rotated."""
    return lobe if is_absent(angle) else Rotated(lobe, angle)
