"""Rough diffuse reflection that keeps its energy.

References
- Fujii 2012, A tiny improvement of Oren-Nayar reflectance model.
- Oren & Nayar 1994, Generalization of Lambert's reflectance model: the qualitative form, as `standard_surface` uses it.
- Portsmouth, Kutz, Hill 2024, EON: A practical energy-preserving rough diffuse BRDF (the diffuse lobe of OpenPBR 1.1).
"""

from __future__ import annotations

import numpy as np

from fenrain.core.optics.arrays import PI, Array, arccos, clip, dot, maximum, select, sqrt, square

C1 = 0.5 - 2.0 / (3.0 * PI)
C2 = 2.0 / 3.0 - 28.0 / (15.0 * PI)


def eon_directional_albedo(cosine: Array, roughness: Array) -> Array:
    """Single-scattering albedo of the Fujii lobe for a white surface (Portsmouth et al. 2024, eq. 14)."""
    a = 1.0 / (1.0 + C1 * roughness)
    c = clip(cosine, 1e-4, 1.0)
    s = sqrt(1.0 - square(c))
    g = s * (arccos(c) - s * c) + 2.0 * ((s / c) * (1.0 - s * s * s) - s) / 3.0
    return a * (1.0 + roughness * g / PI)


def eon(wi: Array, wo: Array, albedo: Array, roughness: Array) -> Array:
    """BRDF (without cosine) of the energy-preserving Oren–Nayar lobe; albedo a colour, roughness 0…1."""
    s = dot(wi, wo) - wi[2] * wo[2]
    stretch = select(s > 0.0, s / maximum(maximum(wi[2], wo[2]), 1e-6), s)
    a = 1.0 / (1.0 + C1 * roughness)
    single = albedo * (a * (1.0 + roughness * stretch) / PI)
    average = a * (1.0 + C2 * roughness)
    colour = square(albedo) * average / (1.0 - albedo * maximum(1.0 - average, 0.0))
    lost = maximum(1.0 - eon_directional_albedo(wi[2], roughness), EPSILON_LOSS)
    lost_out = maximum(1.0 - eon_directional_albedo(wo[2], roughness), EPSILON_LOSS)
    return single + colour * (lost * lost_out / (PI * maximum(1.0 - average, EPSILON_LOSS)))


EPSILON_LOSS = 1e-7


def oren_nayar(wi: Array, wo: Array, roughness: Array) -> Array:
    """BRDF (without cosine) of a white surface: (A + B s₊)/π (Oren & Nayar 1994, qualitative model; roughness as σ)."""
    s = dot(wi, wo) - wi[2] * wo[2]
    stretch = select(s > 0.0, s / maximum(maximum(wi[2], wo[2]), 1e-6), 0.0)
    a, b = oren_nayar_terms(roughness)
    return (a + b * stretch) / PI


def oren_nayar_terms(roughness: Array) -> tuple[Array, Array]:
    """A and B.

    >>> tuple(float(term) for term in oren_nayar_terms(0.0))
    (1.0, 0.0)
    """
    variance = square(roughness)
    return 1.0 - 0.5 * variance / (variance + 0.33), 0.45 * variance / (variance + 0.09)


STRETCHED_SHARE = 0.21397
"""Average of s₊ over both hemispheres, by quadrature."""


def oren_nayar_albedo(roughness: Array) -> Array:
    """Average albedo of a white surface, A + B · 0.214; the model loses light as it gets rougher.

    >>> round(float(oren_nayar_albedo(0.0)), 6)
    1.0
    """
    a, b = oren_nayar_terms(roughness)
    return a + b * STRETCHED_SHARE


def eon_of_oren_nayar(roughness: Array) -> Array:
    """The EON roughness with the same share of the stretched term, B/A."""
    a, b = oren_nayar_terms(roughness)
    return b / a


def oren_nayar_of_eon(roughness: Array) -> Array:
    """The inverse of `eon_of_oren_nayar`, by a table; NumPy only. The shares reach no further than 0.66."""
    nodes = np.linspace(0.0, 1.0, 129)
    return np.interp(roughness, eon_of_oren_nayar(nodes), nodes)
