"""Microfacet distributions, their masking, and the relations between roughness, gloss and exponent.

References
- Walter, Marschner, Li, Torrance 2007, Microfacet Models for Refraction through Rough Surfaces.
- Heitz 2014, Understanding the Masking-Shadowing Function.
- Dupuy & Benyoub 2023, Sampling Visible GGX Normals with Spherical Caps.
- OpenPBR Surface 1.1; KHR_materials_anisotropy; KHR_materials_pbrSpecularGlossiness.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fenrain.core.optics.arrays import (
    PI,
    Array,
    absolute,
    clip,
    cos,
    dot,
    exp,
    lerp,
    log,
    maximum,
    minimum,
    normalise,
    raw_sqrt,
    select,
    sin,
    sqrt,
    square,
    vector,
)

SMALLEST_ALPHA = 2.5e-4
"""Below this width a lobe is a mirror to the eye, and single precision no longer resolves it."""

SMALLEST_BECKMANN = 2e-3
"""Beckmann's exponential runs out of single precision sooner than GGX."""

NO_WIDTH = 1e-12
"""Keeps a highlight of no width at all round, and the ratio of any others."""


def widths_openpbr(roughness: Array, anisotropy: Array) -> tuple[Array, Array]:
    """(α along the tangent, α across) = r² √(2/(1 + (1 − a)²)), times (1 − a) across (OpenPBR 1.1).

    >>> tuple(round(float(width), 6) for width in widths_openpbr(0.5, 0.0))
    (0.25, 0.25)
    """
    alpha_x = square(roughness) * raw_sqrt(2.0 / (1.0 + square(1.0 - anisotropy)))
    return alpha_x, (1.0 - anisotropy) * alpha_x


def widths_gltf(roughness: Array, strength: Array) -> tuple[Array, Array]:
    """(α along, α across) = (mix(r², 1, s²), r²) (KHR_materials_anisotropy).

    >>> tuple(round(float(width), 6) for width in widths_gltf(0.5, 1.0))
    (1.0, 0.25)
    """
    alpha_y = square(roughness)
    return lerp(alpha_y, 1.0, square(strength)), alpha_y


def widths_materialx(roughness: Array, anisotropy: Array) -> tuple[Array, Array]:
    """(α along, α across) = (min(r²/s, 1), r² s), s = √(1 − a), a at most 0.98 (MaterialX node `roughness_anisotropy`)."""
    stretch = raw_sqrt(1.0 - clip(anisotropy, 0.0, 0.98))
    return minimum(square(roughness) / stretch, 1.0), square(roughness) * stretch


def roughness_from_widths_materialx(alpha_x: Array, alpha_y: Array) -> tuple[Array, Array]:
    """The (roughness, anisotropy) of that node with these widths; along ≥ across."""
    ratio = clip((alpha_y + NO_WIDTH) / (alpha_x + NO_WIDTH), 0.02, 1.0)
    return sqrt(raw_sqrt(alpha_x * alpha_y)), 1.0 - ratio


def roughness_from_widths_openpbr(alpha_x: Array, alpha_y: Array) -> tuple[Array, Array]:
    """The (roughness, anisotropy) of OpenPBR with these widths; along ≥ across > 0.

    >>> tuple(round(float(part), 6) for part in roughness_from_widths_openpbr(0.25, 0.25))
    (0.5, 0.0)
    """
    ratio = clip((alpha_y + NO_WIDTH) / (alpha_x + NO_WIDTH), 0.0, 1.0)
    return sqrt(alpha_x * raw_sqrt(0.5 * (1.0 + square(ratio)))), 1.0 - ratio


def roughness_from_widths_gltf(alpha_x: Array, alpha_y: Array) -> tuple[Array, Array]:
    """The (roughness, strength) of glTF with these widths; along ≥ across.

    >>> tuple(round(float(part), 6) for part in roughness_from_widths_gltf(1.0, 0.25))
    (0.5, 1.0)
    """
    return sqrt(alpha_y), sqrt(clip((alpha_x - alpha_y) / maximum(1.0 - alpha_y, 1e-6), 0.0, 1.0))


def mean_of_widths(
    lobes: Sequence[tuple[np.ndarray, np.ndarray, np.ndarray]], shares: Sequence[np.ndarray]
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(the larger width, the smaller, rotation of the larger from the tangent) of several lobes as one; NumPy only.

    lobes: (α along, α across, rotation in radians) of each; shares: how much each counts. Widths are averaged as tensors,
    R(φ) diag(α_x, α_y) R(φ)ᵀ, so that two lobes stretched crosswise make a round one.

    >>> quarter = np.pi / 2
    >>> crossed = mean_of_widths([(0.3, 0.1, 0.0), (0.3, 0.1, quarter)], [np.ones(()), np.ones(())])
    >>> tuple(round(float(part), 6) for part in crossed[:2])
    (0.2, 0.2)
    """
    total = sum(shares) + 1e-12
    xx = yy = xy = np.zeros(())
    for (alpha_x, alpha_y, rotation), share in zip(lobes, shares, strict=True):
        c, s, part = np.cos(rotation), np.sin(rotation), share / total
        xx = xx + part * (alpha_x * c * c + alpha_y * s * s)
        yy = yy + part * (alpha_x * s * s + alpha_y * c * c)
        xy = xy + part * (alpha_x - alpha_y) * c * s
    middle, apart = 0.5 * (xx + yy), np.hypot(0.5 * (xx - yy), xy)
    return middle + apart, np.maximum(middle - apart, 0.0), 0.5 * np.arctan2(2.0 * xy, xx - yy)


def alpha_from_exponent(exponent: Array) -> Array:
    """Width with the same curvature at the peak as a halfway-vector exponent: √(2/(n + 2)) (Walter et al. 2007).

    >>> round(float(alpha_from_exponent(6.0)), 6)
    0.5
    """
    return raw_sqrt(2.0 / (maximum(exponent, 0.0) + 2.0))


def exponent_from_alpha(alpha: Array) -> Array:
    """n = 2/α² − 2.

    >>> round(float(exponent_from_alpha(0.5)), 6)
    6.0
    """
    return maximum(2.0 / square(maximum(alpha, 1e-4)) - 2.0, 0.0)


def ggx_distribution(half: Array, alpha_x: Array, alpha_y: Array) -> Array:
    """D(h) of the anisotropic GGX distribution (Walter et al. 2007, eq. 33; Heitz 2014, eq. 85).

    >>> round(float(np.pi * ggx_distribution(np.array([0.0, 0.0, 1.0]), 0.5, 0.5)), 6)
    4.0
    """
    tilt = square(half[0] / alpha_x) + square(half[1] / alpha_y) + square(half[2])
    return 1.0 / (PI * alpha_x * alpha_y * square(tilt))


def beckmann_distribution(half: Array, alpha_x: Array, alpha_y: Array) -> Array:
    """D(h) of the anisotropic Beckmann distribution (Walter et al. 2007, eq. 25; Heitz 2014, eq. 79)."""
    upright = maximum(square(half[2]), 1e-6)
    slope = (square(half[0] / alpha_x) + square(half[1] / alpha_y)) / upright
    return select(half[2] > 0.0, exp(-slope) / (PI * alpha_x * alpha_y * square(upright)), 0.0)


def beckmann_lambda(direction: Array, alpha_x: Array, alpha_y: Array) -> Array:
    """Λ of Smith masking for Beckmann, by the rational fit of Walter et al. 2007 (eq. 27)."""
    slope = raw_sqrt(maximum(square(alpha_x * direction[0]) + square(alpha_y * direction[1]), 1e-12))
    a = absolute(direction[2]) / slope
    masking = (3.535 * a + 2.181 * square(a)) / (1.0 + 2.276 * a + 2.577 * square(a))
    return select(a < 1.6, 1.0 / maximum(masking, 1e-6) - 1.0, 0.0)


def sample_beckmann(alpha_x: Array, alpha_y: Array, u1: Array, u2: Array) -> Array:
    """A half vector with density D(h) cos θ (Walter et al. 2007, eq. 28, stretched)."""
    radius, angle = sqrt(-log(maximum(1.0 - u1, 1e-7))), 2.0 * PI * u2
    return normalise(vector(-alpha_x * radius * cos(angle), -alpha_y * radius * sin(angle), 1.0 + 0.0 * radius))


BECKMANN_NODES = (0.0, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0)
NEAREST_GGX = (0.92, 0.927, 0.917, 0.925, 0.937, 0.956, 0.981, 0.994, 1.028, 1.055)
"""Width of the GGX lobe with the least lobe error against a Beckmann lobe, as a share of its width (over `checking.directions`)."""


def ggx_of_beckmann(alpha: np.ndarray) -> np.ndarray:
    """Width of the GGX lobe nearest to a Beckmann lobe, which is never narrower than `SMALLEST_BECKMANN`; NumPy only."""
    alpha = np.maximum(alpha, SMALLEST_BECKMANN)
    return np.minimum(alpha * np.interp(alpha, BECKMANN_NODES, NEAREST_GGX), 1.0)


def ggx_lambda(direction: Array, alpha_x: Array, alpha_y: Array) -> Array:
    """Λ of Smith masking for GGX (Heitz 2014, eq. 72)."""
    slope = (square(alpha_x * direction[0]) + square(alpha_y * direction[1])) / maximum(square(direction[2]), 1e-12)
    return 0.5 * (raw_sqrt(1.0 + slope) - 1.0)


def smith_masking(wi: Array, wo: Array, alpha_x: Array, alpha_y: Array) -> Array:
    """Height-correlated masking and shadowing, 1/(1 + Λ(wi) + Λ(wo)) (Heitz 2014, eq. 99).

    >>> round(float(smith_masking(np.array([0.0, 0.0, 1.0]), np.array([0.0, 0.0, 1.0]), 0.5, 0.5)), 6)
    1.0
    """
    return 1.0 / (1.0 + ggx_lambda(wi, alpha_x, alpha_y) + ggx_lambda(wo, alpha_x, alpha_y))


def sample_visible_ggx(wo: Array, alpha_x: Array, alpha_y: Array, u1: Array, u2: Array) -> Array:
    """A half vector with the density of the normals visible from `wo` (Dupuy & Benyoub 2023)."""
    stretched = normalise(vector(alpha_x * wo[0], alpha_y * wo[1], wo[2]))
    z = (1.0 - u2) * (1.0 + stretched[2]) - stretched[2]
    radius, angle = sqrt(1.0 - square(z)), 2.0 * PI * u1
    cap = vector(radius * cos(angle), radius * sin(angle), z) + stretched
    return normalise(vector(alpha_x * cap[0], alpha_y * cap[1], maximum(cap[2], 1e-7)))


def visible_ggx_pdf(wo: Array, half: Array, alpha_x: Array, alpha_y: Array) -> Array:
    """Density of the reflected direction when its half vector is drawn by `sample_visible_ggx`: G1(wo) D(h)/(4 cos θo)."""
    masking = 1.0 / (1.0 + ggx_lambda(wo, alpha_x, alpha_y))
    return masking * ggx_distribution(half, alpha_x, alpha_y) / (4.0 * maximum(wo[2], 1e-6))


def reflect(wo: Array, half: Array) -> Array:
    return 2.0 * dot(wo, half) * half - wo


def sample_cosine(u1: Array, u2: Array) -> Array:
    """A direction with density cos θ/π."""
    radius, angle = sqrt(u1), 2.0 * PI * u2
    return vector(radius * cos(angle), radius * sin(angle), sqrt(1.0 - u1))


def safe_half(wi: Array, wo: Array) -> Array:
    """Unit half vector of two directions above the surface."""
    return normalise(wi + wo)


def above(wi: Array, wo: Array, value: Array) -> Array:
    """`value` where both directions lie above the surface, else 0."""
    return select((wi[2] > 0.0) & (wo[2] > 0.0), value, 0.0)


def across_surface(wi: Array, wo: Array, value: Array) -> Array:
    """`value` where the directions lie on different sides of the surface, else 0."""
    return select(wi[2] * wo[2] < 0.0, value, 0.0)
