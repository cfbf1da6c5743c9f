"""Light that goes through: rough refraction at the surface of a body, the thin wall without an inside, and diffuse light from behind."""

from __future__ import annotations

from dataclasses import dataclass

from fenrain.core.lobes.lobe import Side
from fenrain.core.lobes.microfacet import Dielectric, Reflectance
from fenrain.core.optics.albedo import Scattering
from fenrain.core.optics.arrays import PI, Array, absolute, clip, cos, dot, maximum, normalise, select, sign, sin, sqrt, square, vector
from fenrain.core.optics.fresnel import both_surfaces, fresnel_dielectric
from fenrain.core.optics.microfacet import (
    SMALLEST_ALPHA,
    across_surface,
    ggx_distribution,
    ggx_lambda,
    reflect,
    sample_cosine,
    sample_visible_ggx,
    smith_masking,
)

LEAST_BEND = 0.01
"""An index is kept this far from 1, where the lobe would be a line and the half vector would have no direction."""
TILTS = ((0.0, 0.4), (1.0, 0.2), (-1.0, 0.2), (3.0, 0.1), (-3.0, 0.1))
"""Facets that stand for all of a rough boundary, in widths of the lobe, and how many of it each stands for."""
LEAST_PASSING = 0.01


@dataclass(frozen=True)
class _Interface:
    """The rough boundary of a body; alpha_x, alpha_y: GGX widths; ior: of the inside relative to the outside; colour: multiplies;
    reflectance: what it throws back, by the angle outside, where that does not follow from the index."""

    alpha_x: Array
    alpha_y: Array
    ior: Array
    colour: Array = 1.0
    reflectance: Reflectance | None = None
    diffuse = False

    def _widths(self) -> tuple[Array, Array]:
        return maximum(self.alpha_x, SMALLEST_ALPHA), maximum(self.alpha_y, SMALLEST_ALPHA)

    def _beyond(self, cosine: Array) -> Array:
        """Index of the far side relative to the side that is seen, above for a cosine above 0."""
        bent = select(self.ior >= 1.0, maximum(self.ior, 1.0 + LEAST_BEND), clip(self.ior, 1e-3, 1.0 / (1.0 + LEAST_BEND)))
        return select(cosine > 0.0, bent, 1.0 / bent)

    def _facet(self, wo: Array, u1: Array, u2: Array) -> Array:
        """A facet, normal upwards, with the density of those visible from `wo` on either side."""
        return sample_visible_ggx(wo * select(wo[2] > 0.0, 1.0, -1.0), *self._widths(), u1, u2)

    def _visible_pdf(self, wo: Array, half: Array) -> Array:
        """Density of the facet, 1/sr: G1 D |o·h| / |cos θo|."""
        widths = self._widths()
        masking = 1.0 / (1.0 + ggx_lambda(wo, *widths))
        return masking * ggx_distribution(half, *widths) * absolute(dot(wo, half)) / maximum(absolute(wo[2]), 1e-6)

    def _thrown_back(self, cosine: Array, side: Array) -> Array:
        """Share that a facet does not let through, for the cosine there of a direction whose z is `side`: the same from both sides along
        one path of light, and all of it beyond the critical angle."""
        beyond, seen = self._beyond(side), clip(absolute(cosine), 0.0, 1.0)
        if self.reflectance is None:
            return fresnel_dielectric(seen, beyond)
        across = 1.0 - (1.0 - square(seen)) / square(beyond)
        return select(across <= 0.0, 1.0, self.reflectance.at(select(side > 0.0, seen, sqrt(across))))

    def _passing(self, cosine: Array) -> Array:
        """About the share of facets' light that gets out for a direction inside: near the critical angle, some facets let through what the
        even surface throws back whole."""
        width, sine = 0.5 * (self.alpha_x + self.alpha_y), sqrt(1.0 - square(cosine))
        passed = 0.0 * cosine
        for widths, share in TILTS:
            tilted = absolute(cosine) * cos(widths * width) - sine * sin(widths * width)
            passed = passed + share * (1.0 - self._thrown_back(clip(tilted, 1e-3, 1.0), cosine))
        return clip(passed, LEAST_PASSING, 1.0 - LEAST_PASSING)


@dataclass(frozen=True)
class Refraction(_Interface):
    """From one side to the other (Walter et al. 2007, eq. 21), with separable masking; radiance, so divided by the square of the
    index (Veach 1997, §5.2)."""

    side = Side.THROUGH

    def evaluate(self, wi: Array, wo: Array) -> Array:
        half, faces, lit, seen, beyond = self._bend(wi, wo)
        masking = 1.0 / ((1.0 + ggx_lambda(wi, *self._widths())) * (1.0 + ggx_lambda(wo, *self._widths())))
        passed = 1.0 - self._thrown_back(seen, wo[2])
        shape = ggx_distribution(half, *self._widths()) * masking * absolute(lit * seen)
        spread = maximum(absolute(wo[2]) * square(seen + beyond * lit), 1e-12)
        return self.colour * select(faces, passed * shape / spread, 0.0)

    def pdf(self, wi: Array, wo: Array) -> Array:
        half, faces, lit, seen, beyond = self._bend(wi, wo)
        rotated = square(beyond) * absolute(lit) / maximum(square(seen + beyond * lit), 1e-12)
        return select(faces, self._visible_pdf(wo, half) * rotated, 0.0)

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        half, beyond = self._facet(wo, u1, u2), self._beyond(wo[2])
        seen = dot(wo, half)
        inner = 1.0 - (1.0 - square(seen)) / square(beyond)
        bent = wo * (-1.0 / beyond) + half * (seen / beyond - sign(seen) * sqrt(inner))
        return normalise(bent) * select(inner > 0.0, 1.0, 0.0)

    def sampling_weight(self, cosine: Array) -> Array:
        # Which way a sample goes is chosen before its facet is: square roots keep the weights of what is left to chance small.
        return self.colour * select(cosine < 0.0, sqrt(self._passing(cosine)), 1.0 - self._thrown_back(cosine, cosine))

    def _bend(self, wi: Array, wo: Array) -> tuple[Array, Array, Array, Array, Array]:
        """(facet, whether light gets from one direction to the other, cosines of both at the facet, index of the far side)."""
        beyond = self._beyond(wo[2])
        half = normalise(wo + wi * beyond)
        half = half * select(half[2] < 0.0, -1.0, 1.0)
        lit, seen = dot(wi, half), dot(wo, half)
        return half, (wi[2] * wo[2] < 0.0) & (lit * wi[2] > 0.0) & (seen * wo[2] > 0.0), lit, seen, beyond


@dataclass(frozen=True)
class InnerReflection(_Interface):
    """The same boundary seen from inside: partial and, beyond the critical angle, total reflection."""

    side = Side.INSIDE

    def evaluate(self, wi: Array, wo: Array) -> Array:
        half = normalise(wi + wo) * -1.0
        reflected = self._thrown_back(dot(wo, half), wo[2])
        shape = ggx_distribution(half, *self._widths()) * smith_masking(wi, wo, *self._widths()) / (4.0 * maximum(-wo[2], 1e-6))
        return self.colour * select((wi[2] < 0.0) & (wo[2] < 0.0), reflected * shape, 0.0)

    def pdf(self, wi: Array, wo: Array) -> Array:
        half = normalise(wi + wo) * -1.0
        seen = maximum(absolute(dot(wo, half)), 1e-6)
        return select((wi[2] < 0.0) & (wo[2] < 0.0), self._visible_pdf(wo, half) / (4.0 * seen), 0.0)

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return reflect(wo, self._facet(wo, u1, u2))

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour * sqrt(1.0 - self._passing(cosine))


@dataclass(frozen=True)
class ThinWall:
    """Reflectance of a clear thin wall with two surfaces: all reflections between them, 2F/(1 + F) (optics of a plane-parallel plate,
    Born & Wolf §7.6, incoherent)."""

    ior: Array

    def at(self, cosine: Array) -> Array:
        return both_surfaces(Dielectric(self.ior).at(cosine))

    def directional_albedo(self, cosine: Array, alpha: Array, scattering: Scattering) -> Array:
        return both_surfaces(Dielectric(self.ior).directional_albedo(cosine, alpha, scattering))

    def average_albedo(self, alpha: Array, scattering: Scattering) -> Array:
        return both_surfaces(Dielectric(self.ior).average_albedo(alpha, scattering))


@dataclass(frozen=True)
class ThinWallTransmission:
    """Straight through a thin wall, blurred as its reflection is: that lobe on the other side, with what the reflectance leaves."""

    alpha_x: Array
    alpha_y: Array
    reflectance: Reflectance
    colour: Array = 1.0
    diffuse = False
    side = Side.THROUGH

    def evaluate(self, wi: Array, wo: Array) -> Array:
        mirrored, half = self._half(wi, wo)
        passed = 1.0 - self.reflectance.at(clip(absolute(dot(wo, half)), 0.0, 1.0))
        shape = ggx_distribution(half, *self._widths()) * smith_masking(mirrored, wo, *self._widths())
        return self.colour * across_surface(wi, wo, passed * shape / (4.0 * maximum(absolute(wo[2]), 1e-6)))

    def pdf(self, wi: Array, wo: Array) -> Array:
        _, half = self._half(wi, wo)
        masking = 1.0 / (1.0 + ggx_lambda(wo, *self._widths()))
        shape = masking * ggx_distribution(half, *self._widths())
        return across_surface(wi, wo, shape / (4.0 * maximum(absolute(wo[2]), 1e-6)))

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        up = select(wo[2] > 0.0, 1.0, -1.0)
        mirrored = reflect(wo * up, sample_visible_ggx(wo * up, *self._widths(), u1, u2)) * up
        return vector(mirrored[0], mirrored[1], -mirrored[2])

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour * (1.0 - self.reflectance.at(absolute(cosine)))

    def _half(self, wi: Array, wo: Array) -> tuple[Array, Array]:
        mirrored = vector(wi[0], wi[1], -wi[2])
        return mirrored, normalise(mirrored + wo)

    def _widths(self) -> tuple[Array, Array]:
        return maximum(self.alpha_x, SMALLEST_ALPHA), maximum(self.alpha_y, SMALLEST_ALPHA)


@dataclass(frozen=True)
class DiffuseTransmission:
    """Light from behind, spread evenly (KHR_materials_diffuse_transmission; OpenPBR 1.1, thin-walled subsurface)."""

    colour: Array
    diffuse = True
    side = Side.THROUGH

    def evaluate(self, wi: Array, wo: Array) -> Array:
        return across_surface(wi, wo, self.colour * (absolute(wi[2]) / PI))

    def pdf(self, wi: Array, wo: Array) -> Array:
        return across_surface(wi, wo, absolute(wi[2]) / PI)

    def sample(self, wo: Array, u1: Array, u2: Array) -> Array:
        return sample_cosine(u1, u2) * select(wo[2] > 0.0, -1.0, 1.0)

    def sampling_weight(self, cosine: Array) -> Array:
        return self.colour
