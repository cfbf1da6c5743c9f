"""A lobe whose normal is not that of the surface which it is part of: a coat that lies smoothly over bumped paint."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from fenrain.core.lobes.lobe import Side
from fenrain.core.optics.arrays import Array


@dataclass(frozen=True)
class Leaning:
    """own, surface: frames of the lobe and of the surface within that of the mesh, None for the mesh's own; with `to_local` and `to_world`
    as the engine's frames have them."""

    lobe: Any
    own: Any
    surface: Any

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
        direction = self.lobe.sample(self._into(wo), u1, u2)
        direction = direction if self.own is None else self.own.to_world(direction)
        return direction if self.surface is None else self.surface.to_local(direction)

    def sampling_weight(self, cosine: Array) -> Array:
        return self.lobe.sampling_weight(cosine)

    def directional_albedo(self, cosine: Array) -> Array:
        return self.lobe.directional_albedo(cosine)

    def average_albedo(self) -> Array:
        return self.lobe.average_albedo()

    def widened(self, slope: Array) -> Leaning:
        """The same over facets that lean by this slope."""
        return replace(self, lobe=self.lobe.widened(slope))

    def _into(self, direction: Array) -> Array:
        direction = direction if self.surface is None else self.surface.to_world(direction)
        return direction if self.own is None else self.own.to_local(direction)
