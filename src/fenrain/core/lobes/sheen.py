"""Fibre lobes: the fuzz of OpenPBR and the sheen of glTF."""

from __future__ import annotations

from dataclasses import dataclass

from fenrain.core.lobes.lobe import Side
from fenrain.core.lobes.microfacet import MEAN_COSINE
from fenrain.core.optics.arrays import PI, Array, clip, maximum
from fenrain.core.optics.microfacet import above, safe_half, sample_cosine
from fenrain.core.optics.sheen import (
    estevez_kulla,
    estevez_kulla_albedo,
    sample_zeltner,
    zeltner_albedo,
    zeltner_pdf,
)


@dataclass(frozen=True)
class Fuzz:
    """Zeltner et al. 2022. Its shape follows the viewer, so it is not reciprocal."""

    colour: Array
    roughness: Array
    diffuse = True
    follows_view = True
    side = Side.ABOVE

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, self.colour * (zeltner_albedo(wo[2], self.roughness) * zeltner_pdf(wi, wo, self.roughness)))

    def pdf(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, zeltner_pdf(wi, wo, self.roughness))

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return sample_zeltner(wo, self.roughness, u1, u2)

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour * self.directional_albedo(cosine)

    def directional_albedo(self, cosine: Array) -> Array:
        return clip(zeltner_albedo(cosine, self.roughness), 0.0, 1.0)

    def average_albedo(self) -> Array:
        return self.directional_albedo(MEAN_COSINE)


@dataclass(frozen=True)
class Sheen:
    """Estevez & Kulla 2017 with the smooth denominator; `roughness` already as the lobe takes it."""

    colour: Array
    roughness: Array
    diffuse = True
    follows_view = True
    side = Side.ABOVE

    def evaluate(self, wi: Array, wo: Array) -> Array:
        half = safe_half(wi, wo)
        return above(wi, wo, self.colour * (estevez_kulla(wi, wo, half[2], self.roughness) * maximum(wi[2], 0.0)))

    def pdf(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, wi[2] / PI)

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return sample_cosine(u1, u2)

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour * self.directional_albedo(cosine)

    def directional_albedo(self, cosine: Array) -> Array:
        return estevez_kulla_albedo(cosine, self.roughness)

    def average_albedo(self) -> Array:
        return self.directional_albedo(MEAN_COSINE)
