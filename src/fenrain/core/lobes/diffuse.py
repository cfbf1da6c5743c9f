"""Diffuse lobes: Lambert and the energy-preserving rough diffuse of OpenPBR."""

from __future__ import annotations

from dataclasses import dataclass

from fenrain.core.optics.arrays import PI, Array, maximum
from fenrain.core.optics.diffuse import eon
from fenrain.core.optics.microfacet import above, sample_cosine


class _CosineSampled:
    diffuse = True

    def density(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, wi[2] / PI)

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return sample_cosine(u1, u2)


@dataclass(frozen=True)
class Lambert(_CosineSampled):
    """Equal radiance in all directions (Lambert 1760)."""

    colour: Array

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, self.colour * (wi[2] / PI))

    def albedo(self, cosine: Array) -> Array:
        return self.colour


@dataclass(frozen=True)
class RoughDiffuse(_CosineSampled):
    """EON (Portsmouth et al. 2024); roughness 0 is Lambert."""

    colour: Array
    roughness: Array

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, eon(wi, wo, self.colour, self.roughness) * maximum(wi[2], 0.0))

    def albedo(self, cosine: Array) -> Array:
        return self.colour
