"""Highlights of the exponent kind.

References
- Wavefront Advanced Visualizer 1995, MTL material file format (illum 1–10): colour = Kd Σ (N·L) + Ks Σ (H·H_j)^Ns.
- Blinn 1977, Models of light reflection for computer synthesized pictures.
- Phong 1975, Illumination for computer generated pictures.
"""

from __future__ import annotations

from fenrain.core.optics.arrays import PI, Array, cos, dot, maximum, power, sin, sqrt, square, vector


def blinn_highlight(wi: Array, wo: Array, half: Array, exponent: Array) -> Array:
    """(N·H)^n / π: the highlight of unit strength times cos θ_i, in the units in which a diffuse of 1 gives cos θ_i / π.

    The formula has no cosine of its own, so it gains energy at grazing angles; that is its look.
    """
    return power(maximum(half[2], 1e-6), maximum(exponent, 1e-3)) / PI


def phong_highlight(wi: Array, wo: Array, exponent: Array) -> Array:
    """(R·V)^n / π with R the mirrored light direction."""
    mirrored = 2.0 * wi[2] * wo[2] - dot(wi, wo)
    return power(maximum(mirrored, 1e-6), maximum(exponent, 1e-3)) / PI


def sample_power_cosine(exponent: Array, u1: Array, u2: Array) -> Array:
    """A direction about +z with density (n + 1)/(2π) cosⁿ θ."""
    c = power(maximum(1.0 - u1, 1e-7), 1.0 / (exponent + 1.0))
    s, angle = sqrt(1.0 - square(c)), 2.0 * PI * u2
    return vector(s * cos(angle), s * sin(angle), c)


def power_cosine_pdf(cosine: Array, exponent: Array) -> Array:
    return (exponent + 1.0) / (2.0 * PI) * power(maximum(cosine, 1e-6), exponent)
