"""Exponent highlights, in the halfway (Blinn) and the mirror-direction (Phong) form, as the MTL format states them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from fenrain.core.lobes.lobe import Side
from fenrain.core.lobes.microfacet import Reflectance
from fenrain.core.optics.arrays import PI, Array, clip, dot, maximum, minimum, normalise, power, raw_sqrt, select, sqrt, square, vector
from fenrain.core.optics.exponent import blinn_highlight, phong_highlight, power_cosine_pdf, sample_power_cosine
from fenrain.core.optics.microfacet import above, reflect, safe_half, sample_cosine


@dataclass(frozen=True)
class BlinnHighlight:
    """Ks (N·H)^n / π, without a cosine: brightest at the mirror direction, not normalised. reflectance: times this at the half vector."""

    colour: Array
    exponent: Array
    reflectance: Reflectance | None = None
    diffuse = False
    side = Side.ABOVE

    def evaluate(self, wi: Array, wo: Array) -> Array:
        strength = self.colour * _reflected(self.reflectance, wi, wo)
        return above(wi, wo, strength * blinn_highlight(wi, wo, safe_half(wi, wo), self.exponent))

    def pdf(self, wi: Array, wo: Array) -> Array:
        half = safe_half(wi, wo)
        return above(wi, wo, power_cosine_pdf(half[2], self.exponent) / (4.0 * maximum(dot(wo, half), 1e-6)))

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return reflect(wo, sample_power_cosine(self.exponent, u1, u2))

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour * _facing(self.reflectance) * minimum(8.0 / (self.exponent + 2.0), 1.0)

    def widened(self, slope: Array) -> BlinnHighlight:
        """The same over facets that lean by this slope, with the same energy: 2/(n + 2) is the squared width (Walter et al. 2007)."""
        wider = 2.0 / (2.0 / (self.exponent + 2.0) + square(slope)) - 2.0
        return replace(self, colour=self.colour * ((wider + 2.0) / (self.exponent + 2.0)), exponent=maximum(wider, 0.0))


@dataclass(frozen=True)
class PhongHighlight:
    """Ks (R·V)^n / π. reflectance: times this at the half vector."""

    colour: Array
    exponent: Array
    reflectance: Reflectance | None = None
    diffuse = False
    side = Side.ABOVE

    def evaluate(self, wi: Array, wo: Array) -> Array:
        strength = self.colour * _reflected(self.reflectance, wi, wo)
        return above(wi, wo, strength * phong_highlight(wi, wo, self.exponent))

    def pdf(self, wi: Array, wo: Array) -> Array:
        mirrored = 2.0 * wi[2] * wo[2] - dot(wi, wo)
        return above(wi, wo, power_cosine_pdf(mirrored, self.exponent))

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        around = sample_power_cosine(self.exponent, u1, u2)
        axis = vector(-wo[0], -wo[1], wo[2])
        side, other = _frame_about(axis)
        return side * around[0] + other * around[1] + axis * around[2]

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour * _facing(self.reflectance) * minimum(2.0 / (self.exponent + 1.0), 1.0)

    def widened(self, slope: Array) -> PhongHighlight:
        """The same over facets that lean by this slope; a mirror-direction exponent is a quarter of the halfway one."""
        wider = BlinnHighlight(self.colour, 4.0 * self.exponent).widened(slope)
        return replace(self, colour=wider.colour, exponent=0.25 * wider.exponent)


@dataclass(frozen=True)
class StretchedHighlight:
    """Ks sin(T, H)^n / π: a highlight drawn out across the tangent, as on hair and brushed metal (Kajiya & Kay 1989, halfway form)."""

    colour: Array
    exponent: Array
    diffuse = False
    side = Side.ABOVE

    def evaluate(self, wi: Array, wo: Array) -> Array:
        along_tangent = safe_half(wi, wo)[0]
        drawn = power(maximum(sqrt(1.0 - square(along_tangent)), 1e-6), maximum(self.exponent, 1e-3)) / PI
        return above(wi, wo, self.colour * drawn * maximum(wi[2], 0.0))

    def pdf(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, wi[2] / PI)

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return sample_cosine(u1, u2)

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour * minimum(2.0 / raw_sqrt(self.exponent + 1.0), 1.0)

    def widened(self, slope: Array) -> StretchedHighlight:
        """The same over facets that lean by this slope: across the stretch, as the halfway form is widened."""
        wider = BlinnHighlight(1.0, self.exponent).widened(slope)
        return StretchedHighlight(self.colour * raw_sqrt(wider.colour), wider.exponent)


def _reflected(reflectance: Reflectance | None, wi: Array, wo: Array) -> Array:
    return 1.0 if reflectance is None else reflectance.at(clip(dot(wo, safe_half(wi, wo)), 0.0, 1.0))


def _facing(reflectance: Reflectance | None) -> Array:
    return 1.0 if reflectance is None else reflectance.at(1.0)


def _frame_about(axis: Array) -> tuple[Array, Array]:
    """Two unit vectors across `axis`."""
    steep = select(axis[2] > 0.999, 1.0, 0.0)
    side = normalise(vector(axis[2] * steep + axis[1] * (1.0 - steep), -axis[0] * (1.0 - steep), -axis[0] * steep))
    other = vector(axis[1] * side[2] - axis[2] * side[1], axis[2] * side[0] - axis[0] * side[2], axis[0] * side[1] - axis[1] * side[0])
    return side, other
