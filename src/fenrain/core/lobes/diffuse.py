"""Diffuse lobes: Lambert, the qualitative rough diffuse of Oren & Nayar, and the energy-preserving one of OpenPBR."""

from __future__ import annotations

from dataclasses import dataclass

from fenrain.core.lobes.lobe import Side
from fenrain.core.optics.arrays import PI, Array, maximum, power
from fenrain.core.optics.diffuse import eon, oren_nayar
from fenrain.core.optics.microfacet import above, sample_cosine


class _CosineSampled:
    diffuse = True
    side = Side.ABOVE

    def pdf(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, wi[2] / PI)

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return sample_cosine(u1, u2)


@dataclass(frozen=True)
class Lambert(_CosineSampled):
    """Equal radiance in all directions (Lambert 1760)."""

    colour: Array

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, self.colour * (wi[2] / PI))

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour


@dataclass(frozen=True)
class RoughDiffuse(_CosineSampled):
    """EON (Portsmouth et al. 2024); roughness 0 is Lambert."""

    colour: Array
    roughness: Array

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, eon(wi, wo, self.colour, self.roughness) * maximum(wi[2], 0.0))

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour


@dataclass(frozen=True)
class OrenNayar(_CosineSampled):
    """The qualitative model (Oren & Nayar 1994); roughness 0 is Lambert."""

    colour: Array
    roughness: Array

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, self.colour * (oren_nayar(wi, wo, self.roughness) * maximum(wi[2], 0.0)))

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour


@dataclass(frozen=True)
class PowerDiffuse(_CosineSampled):
    """Lambert with a power on its fall-off, cosᵖ θi/π, not normalised (common practice of forward-shaded games)."""

    colour: Array
    exponent: Array

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, self.colour * (power(maximum(wi[2], 1e-6), self.exponent) / PI))

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour * (2.0 / (self.exponent + 1.0))


@dataclass(frozen=True)
class FlatDiffuse(_CosineSampled):
    """Light without shading from its direction: as much from everywhere, with the energy of Lambert."""

    colour: Array

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, self.colour * (0.5 / PI))

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour
