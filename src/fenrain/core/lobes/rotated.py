"""A lobe whose tangent is rotated about the normal."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from fenrain.core.lobes.lobe import Side
from fenrain.core.optics.arrays import Array, cos, is_absent, sin, vector


@dataclass(frozen=True)
class Rotated:
    """angle: radians, from the tangent towards the bitangent."""

    lobe: Any
    angle: Array

    @property
    def diffuse(self) -> bool:
        return bool(self.lobe.diffuse)

    @property
    def follows_view(self) -> bool:
        return bool(self.lobe.follows_view)

    @property
    def side(self) -> Side:
        side: Side = self.lobe.side
        return side

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return self.lobe.evaluate(self._into(wi), self._into(wo))

    def pdf(self, wi: Array, wo: Array) -> Array:
        return self.lobe.pdf(self._into(wi), self._into(wo))

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return self._rotate(self.lobe.sample(self._into(wo), u1, u2), self.angle)

    def sampling_weight(self, cosine: Array) -> Array:
        return self.lobe.sampling_weight(cosine)

    def directional_albedo(self, cosine: Array) -> Array:
        return self.lobe.directional_albedo(cosine)

    def average_albedo(self) -> Array:
        return self.lobe.average_albedo()

    def widened(self, slope: Array) -> Rotated:
        """The same over facets that lean by this slope."""
        return replace(self, lobe=self.lobe.widened(slope))

    def _into(self, direction: Array) -> Array:
        return self._rotate(direction, -self.angle)

    @staticmethod
    def _rotate(direction: Array, angle: Array) -> Array:
        c, s = cos(angle), sin(angle)
        return vector(direction[0] * c - direction[1] * s, direction[0] * s + direction[1] * c, direction[2])


def rotated(lobe: Any, angle: Array) -> Any:
    """The lobe itself where it is known not to be rotated."""
    return lobe if is_absent(angle) else Rotated(lobe, angle)
