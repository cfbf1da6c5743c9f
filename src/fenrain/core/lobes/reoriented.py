"""A lobe in a frame of its own within that of the surface it is part of."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass, replace
from typing import Any, Self

from fenrain.core.lobes.lobe import Side
from fenrain.core.optics.arrays import Array


@dataclass(frozen=True)
class Reoriented(ABC):
    """Directions are brought into the lobe's frame and back; its albedo is taken as if it were that of the surface."""

    lobe: Any

    @abstractmethod
    def into(self, direction: Array) -> Array:
        """A direction of the surface's frame in the lobe's."""

    @abstractmethod
    def back(self, direction: Array) -> Array:
        """The opposite."""

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
        return self.lobe.evaluate(self.into(wi), self.into(wo))

    def pdf(self, wi: Array, wo: Array) -> Array:
        return self.lobe.pdf(self.into(wi), self.into(wo))

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return self.back(self.lobe.sample(self.into(wo), u1, u2))

    def sampling_weight(self, cosine: Array) -> Array:
        return self.lobe.sampling_weight(cosine)

    def directional_albedo(self, cosine: Array) -> Array:
        return self.lobe.directional_albedo(cosine)

    def average_albedo(self) -> Array:
        return self.lobe.average_albedo()

    def widened(self, slope: Array) -> Self:
        """The same over facets that lean by this slope."""
        return replace(self, lobe=self.lobe.widened(slope))
