"""Microfacet reflection: GGX with a choice of reflectance against angle."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from fenrain.core.lobes.lobe import Side
from fenrain.core.optics.albedo import (
    Scattering,
    compensation,
    dielectric_albedo,
    dielectric_average_albedo,
    schlick_albedo,
    schlick_average_albedo,
)
from fenrain.core.optics.arrays import (
    Array,
    absolute,
    clip,
    colour,
    dot,
    is_absent,
    lookups,
    maximum,
    minimum,
    raw_sqrt,
    scalar_of,
    square,
)
from fenrain.core.optics.fresnel import (
    f0_from_ior,
    fresnel_conductor,
    fresnel_dielectric,
    fresnel_schlick1994,
    ior_from_f0,
    metal_tint_kutz2021,
)
from fenrain.core.optics.microfacet import (
    SMALLEST_ALPHA,
    SMALLEST_BECKMANN,
    above,
    beckmann_distribution,
    beckmann_lambda,
    ggx_distribution,
    reflect,
    safe_half,
    sample_beckmann,
    sample_visible_ggx,
    smith_masking,
    visible_ggx_pdf,
)
from fenrain.core.optics.thin_film import dielectric_below, film_reflectance


class Reflectance(Protocol):
    """How much a smooth facet reflects against angle."""

    def at(self, cosine: Array) -> Array: ...

    def directional_albedo(self, cosine: Array, alpha: Array, scattering: Scattering) -> Array:
        """Directional albedo of a lobe of this kind; a scalar, for the layers below."""
        ...

    def average_albedo(self, alpha: Array, scattering: Scattering) -> Array: ...


@dataclass(frozen=True)
class Schlick:
    """Schlick 1994 between facing and grazing reflectance; exponent: how late it rises, 5 for what Schlick found."""

    f0: Array
    f90: Array = 1.0
    exponent: Array = 5.0

    def at(self, cosine: Array) -> Array:
        return fresnel_schlick1994(cosine, self.f0, self.f90, self.exponent)

    def directional_albedo(self, cosine: Array, alpha: Array, scattering: Scattering) -> Array:
        ends = scalar_of(self.f0), scalar_of(self.f90)
        return schlick_albedo(cosine, alpha, *ends, exponent=self.exponent, scattering=scattering)

    def average_albedo(self, alpha: Array, scattering: Scattering) -> Array:
        return schlick_average_albedo(alpha, scalar_of(self.f0), scalar_of(self.f90), exponent=self.exponent, scattering=scattering)


@dataclass(frozen=True)
class MetalTint:
    """Schlick with a tint near 82° (Kutz et al. 2021)."""

    f0: Array
    tint: Array

    def at(self, cosine: Array) -> Array:
        return metal_tint_kutz2021(cosine, self.f0, self.tint)

    def directional_albedo(self, cosine: Array, alpha: Array, scattering: Scattering) -> Array:
        return schlick_albedo(cosine, alpha, scalar_of(self.f0), 1.0, scattering=scattering)

    def average_albedo(self, alpha: Array, scattering: Scattering) -> Array:
        return schlick_average_albedo(alpha, scalar_of(self.f0), 1.0, scattering=scattering)


@dataclass(frozen=True)
class Conductor:
    """Fresnel reflectance of a metal with index n and extinction k, each a colour."""

    n: Array
    k: Array

    def at(self, cosine: Array) -> Array:
        return fresnel_conductor(cosine, self.n, self.k)

    def directional_albedo(self, cosine: Array, alpha: Array, scattering: Scattering) -> Array:
        return schlick_albedo(cosine, alpha, scalar_of(self.at(1.0)), 1.0, scattering=scattering)

    def average_albedo(self, alpha: Array, scattering: Scattering) -> Array:
        return schlick_average_albedo(alpha, scalar_of(self.at(1.0)), 1.0, scattering=scattering)


@dataclass(frozen=True)
class ReflectanceCurve:
    """A measured reflectance: red, green and blue at equal steps of the cosine, 0…1."""

    red: np.ndarray
    green: np.ndarray
    blue: np.ndarray

    def at(self, cosine: Array) -> Array:
        return colour(*lookups((self.red, self.green, self.blue), cosine))

    def directional_albedo(self, cosine: Array, alpha: Array, scattering: Scattering) -> Array:
        return schlick_albedo(cosine, alpha, self._facing(), 1.0, scattering=scattering)

    def average_albedo(self, alpha: Array, scattering: Scattering) -> Array:
        return schlick_average_albedo(alpha, self._facing(), 1.0, scattering=scattering)

    def _facing(self) -> float:
        return float(self.red[-1] + self.green[-1] + self.blue[-1]) / 3.0


@dataclass(frozen=True)
class Dielectric:
    """Fresnel reflectance of a clear body; below an index of 1 total beyond the critical angle."""

    ior: Array

    def at(self, cosine: Array) -> Array:
        return fresnel_dielectric(cosine, maximum(self.ior, 1e-3))

    def directional_albedo(self, cosine: Array, alpha: Array, scattering: Scattering) -> Array:
        return dielectric_albedo(cosine, alpha, self.ior, scattering=scattering)

    def average_albedo(self, alpha: Array, scattering: Scattering) -> Array:
        return dielectric_average_albedo(alpha, self.ior, scattering=scattering)

    def f0(self) -> Array:
        return f0_from_ior(self.ior)


@dataclass(frozen=True)
class Microfacet:
    """GGX with height-correlated Smith masking: D F G/(4 cos θo), times a colour.

    alpha_x, alpha_y: widths along the tangent and across it, > 0; compensated: gives back what single scattering loses.
    """

    alpha_x: Array
    alpha_y: Array
    reflectance: Reflectance
    colour: Array = 1.0
    compensated: bool = True
    diffuse = False
    follows_view = False
    side = Side.ABOVE

    def evaluate(self, wi: Array, wo: Array) -> Array:
        alpha_x, alpha_y = self._widths()
        half = safe_half(wi, wo)
        reflected = self.reflectance.at(clip(dot(wo, half), 0.0, 1.0))
        shape = ggx_distribution(half, alpha_x, alpha_y) * smith_masking(wi, wo, alpha_x, alpha_y) / (4.0 * maximum(wo[2], 1e-6))
        if self.compensated:
            gain = compensation(wi[2], self._mean_width()) * compensation(wo[2], self._mean_width()) - 1.0
            reflected = reflected * (1.0 + reflected * gain)
        return above(wi, wo, self.colour * reflected * shape)

    def pdf(self, wi: Array, wo: Array) -> Array:
        return above(wi, wo, visible_ggx_pdf(wo, safe_half(wi, wo), *self._widths()))

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return reflect(wo, sample_visible_ggx(wo, *self._widths(), u1, u2))

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour * self.reflectance.at(cosine)

    def directional_albedo(self, cosine: Array) -> Array:
        return self.reflectance.directional_albedo(cosine, self._mean_width(), self._scattering())

    def average_albedo(self) -> Array:
        return self.reflectance.average_albedo(self._mean_width(), self._scattering())

    def widened(self, slope: Array) -> Microfacet:
        """The same over facets that lean by this slope: squared widths add up."""
        return replace(self, alpha_x=_leaning(self.alpha_x, slope), alpha_y=_leaning(self.alpha_y, slope))

    def _widths(self) -> tuple[Array, Array]:
        return maximum(self.alpha_x, SMALLEST_ALPHA), maximum(self.alpha_y, SMALLEST_ALPHA)

    def _scattering(self) -> Scattering:
        return Scattering.GGX if self.compensated else Scattering.GGX_ONCE

    def _mean_width(self) -> Array:
        return _between(*self._widths())


@dataclass(frozen=True)
class BeckmannMicrofacet:
    """The same with the Beckmann distribution, single scattering."""

    alpha_x: Array
    alpha_y: Array
    reflectance: Reflectance
    colour: Array = 1.0
    diffuse = False
    follows_view = False
    side = Side.ABOVE

    def evaluate(self, wi: Array, wo: Array) -> Array:
        widths, half = self._widths(), safe_half(wi, wo)
        masking = 1.0 / (1.0 + beckmann_lambda(wi, *widths) + beckmann_lambda(wo, *widths))
        shape = beckmann_distribution(half, *widths) * masking / (4.0 * maximum(wo[2], 1e-6))
        return above(wi, wo, self.colour * self.reflectance.at(clip(dot(wo, half), 0.0, 1.0)) * shape)

    def pdf(self, wi: Array, wo: Array) -> Array:
        half = safe_half(wi, wo)
        drawn = beckmann_distribution(half, *self._widths()) * half[2] / (4.0 * maximum(absolute(dot(wo, half)), 1e-6))
        return above(wi, wo, drawn)

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return reflect(wo, sample_beckmann(*self._widths(), u1, u2))

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour * self.reflectance.at(cosine)

    def directional_albedo(self, cosine: Array) -> Array:
        return self.reflectance.directional_albedo(cosine, _between(*self._widths()), Scattering.BECKMANN_ONCE)

    def average_albedo(self) -> Array:
        return self.reflectance.average_albedo(_between(*self._widths()), Scattering.BECKMANN_ONCE)

    def widened(self, slope: Array) -> BeckmannMicrofacet:
        """The same over facets that lean by this slope: squared widths add up."""
        return replace(self, alpha_x=_leaning(self.alpha_x, slope), alpha_y=_leaning(self.alpha_y, slope))

    def _widths(self) -> tuple[Array, Array]:
        return maximum(self.alpha_x, SMALLEST_BECKMANN), maximum(self.alpha_y, SMALLEST_BECKMANN)


def _between(alpha_x: Array, alpha_y: Array) -> Array:
    """The round width that stands for two in the tables."""
    return clip(raw_sqrt(alpha_x * alpha_y), SMALLEST_ALPHA, 1.0)


def _leaning(alpha: Array, slope: Array) -> Array:
    return minimum(raw_sqrt(square(alpha) + square(slope)), 1.0)


GGX, BECKMANN = 0, 1
DISTRIBUTIONS = ((GGX, "GGX"), (BECKMANN, "Beckmann"))
"""The microfacet distributions that legacy models choose among."""


def glossy(
    distribution: int, alpha_x: Array, alpha_y: Array, reflectance: Reflectance, colour: Array = 1.0
) -> Microfacet | BeckmannMicrofacet:
    """A single-scattering lobe with the chosen distribution."""
    if distribution == BECKMANN:
        return BeckmannMicrofacet(alpha_x, alpha_y, reflectance, colour)
    return Microfacet(alpha_x, alpha_y, reflectance, colour, compensated=False)


@dataclass(frozen=True)
class Film:
    """A thin film over another reflectance. weight: share of the surface it lies on; thickness: nm; base_ior: of what lies below, where
    it is a dielectric; else its Schlick curve stands for it."""

    base: Reflectance
    weight: Array
    thickness: Array
    ior: Array
    base_ior: Array | None = None

    def at(self, cosine: Array) -> Array:
        plain = self.base.at(cosine)
        if self.base_ior is not None:
            index, below = self.base_ior, dielectric_below(self.ior, self.base_ior)
        else:
            index, below = ior_from_f0(self.base.at(1.0)), self._schlick_below
        film = film_reflectance(cosine, self.ior, self.thickness, index, below)
        return plain + (film - plain) * self.weight

    def directional_albedo(self, cosine: Array, alpha: Array, scattering: Scattering) -> Array:
        return clip(self.base.directional_albedo(cosine, alpha, scattering) * self._gain(cosine), 0.0, 1.0)

    def average_albedo(self, alpha: Array, scattering: Scattering) -> Array:
        return clip(self.base.average_albedo(alpha, scattering) * self._gain(MEAN_COSINE), 0.0, 1.0)

    def _schlick_below(self, inner: Array) -> tuple[Array, Array]:
        half = self.base.at(inner) * 0.5
        return half, half

    def _gain(self, cosine: Array) -> Array:
        """How much more it reflects than the base alone."""
        return scalar_of(self.at(cosine)) / maximum(scalar_of(self.base.at(cosine)), 1e-4)


MEAN_COSINE = 2.0 / 3.0
"""Mean of the cosine in light from everywhere."""


def filmed(base: Reflectance, weight: Array, thickness: Array, ior: Array, base_ior: Array | None = None) -> Reflectance:
    """The base alone where it is known that no film lies on it."""
    return base if is_absent(weight) else Film(base, weight, thickness, ior, base_ior)
