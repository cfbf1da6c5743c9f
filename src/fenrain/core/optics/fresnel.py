"""Reflectance of an interface against angle, and the index of refraction it belongs to.

References
- Born & Wolf, Principles of Optics, §1.5: Fresnel equations.
- Schlick 1994, An Inexpensive BRDF Model for Physically-based Rendering.
- Kutz, Hasan, Edmondson 2021: reflectance of a metal with a tint near 82°, as OpenPBR 1.1 takes it over.
- Gulbrandsen 2014, Artist Friendly Metallic Fresnel: n and k of a metal from two colours, as `standard_surface` uses it.
- OpenPBR Surface 1.1: modulated index of refraction.
"""

from __future__ import annotations

import numpy as np

from fenrain.core.optics.arrays import Array, clip, maximum, power, raw_sqrt, select, sign, sqrt, square

GRAZING_COSINE = 1.0 / 7.0
"""Cosine of the angle (about 82°) at which the tint of a metal is stated."""

HIGHEST_F0 = 0.99999
"""Keeps the index that belongs to a reflectance finite; the limit of the OpenPBR node graph."""


def f0_from_ior(ior: Array) -> Array:
    """Reflectance of a dielectric at normal incidence, ((n − 1)/(n + 1))².

    ior: relative index of refraction, > 0, any shape. Returns the same shape, 0…1.
    Source: Fresnel equations at θ = 0 (Born & Wolf, §1.5).

    >>> round(float(f0_from_ior(1.5)), 6)
    0.04
    """
    return square((ior - 1.0) / (ior + 1.0))


def ior_from_f0(f0: Array) -> Array:
    """Index above one whose reflectance at normal incidence is `f0`: (1 + √F0)/(1 − √F0).

    >>> round(float(ior_from_f0(0.04)), 6)
    1.5
    """
    root = raw_sqrt(clip(f0, 0.0, HIGHEST_F0))
    return (1.0 + root) / (1.0 - root)


def both_surfaces(reflected: Array) -> Array:
    """Reflectance of a clear thin wall, of which one surface reflects this share: all reflections between the two, 2F/(1 + F)
    (optics of a plane-parallel plate, Born & Wolf §7.6, incoherent).

    >>> round(float(both_surfaces(0.04)), 4)
    0.0769
    """
    return 2.0 * reflected / (1.0 + reflected)


def of_one_surface(reflected: Array) -> Array:
    """The inverse of `both_surfaces`: F/(2 − F)."""
    return reflected / (2.0 - reflected)


def modulated_ior(ior: Array, weight: Array) -> Array:
    """Index whose F0 is `weight` times that of `ior`, on the same side of one (OpenPBR 1.1, specular_weight).

    >>> round(float(modulated_ior(1.5, 1.0)), 6)
    1.5
    """
    root = sign(ior - 1.0) * raw_sqrt(clip(weight * f0_from_ior(ior), 0.0, HIGHEST_F0))
    return (1.0 + root) / (1.0 - root)


def fresnel_schlick1994(cosine: Array, f0: Array, f90: Array = 1.0, exponent: Array = 5.0) -> Array:
    """F = F0 + (F90 − F0)(1 − c)^p; cosine 0…1, scalars or colours.

    >>> float(fresnel_schlick1994(1.0, 0.04)), float(fresnel_schlick1994(0.0, 0.04))
    (0.04, 1.0)
    """
    return f0 + (f90 - f0) * schlick_weight(cosine, exponent)


FADING_F0 = 0.02
"""Below this F0 (an index of 1.33) the grazing reflection fades as well: an index of 1 reflects nothing at any angle, and a black
specular colour means no reflection at all (common practice)."""


def fading_grazing(f0: Array) -> Array:
    """F90 that goes with a strongest F0: 1, fading to 0 below 2 %."""
    return clip(f0 / FADING_F0, 0.0, 1.0)


def schlick_weight(cosine: Array, exponent: Array = 5.0) -> Array:
    """(1 − c)^p; 1 everywhere for p = 0."""
    away = clip(1.0 - cosine, 0.0, 1.0)
    if isinstance(exponent, float) and exponent == 5.0:
        return square(square(away)) * away
    return power(maximum(away, 1e-6), exponent)


def average_schlick_weight(exponent: Array = 5.0) -> Array:
    """2 ∫ (1 − c)^p c dc = 2/((p + 1)(p + 2)): its share in light from everywhere, 1/21 for p = 5.

    >>> round(21 * float(average_schlick_weight()), 6)
    1.0
    """
    return 2.0 / ((exponent + 1.0) * (exponent + 2.0))


def schlick_of_falloff(exponent: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(u, v) with (1 − c)^p ≈ u + v (1 − c)^5, by least squares over light from everywhere; NumPy only.

    With m(k) = 2/((k + 1)(k + 2)), the average of (1 − c)^k: u + v m(5) = m(p), u m(5) + v m(10) = m(p + 5).

    >>> tuple(round(abs(float(part)), 6) for part in schlick_of_falloff(np.asarray(5.0)))
    (0.0, 1.0)
    """
    five, ten = average_schlick_weight(5.0), average_schlick_weight(10.0)
    own, beside = average_schlick_weight(exponent), average_schlick_weight(exponent + 5.0)
    v = (beside - five * own) / (ten - five * five)
    return own - v * five, v


def metal_tint_kutz2021(cosine: Array, f0: Array, tint: Array) -> Array:
    """Schlick, lowered so that F at cosine 1/7 is `tint` times what Schlick gives there.

    F(c) = Schlick(c) − a c (1 − c)^6, a = Schlick(1/7)(1 − tint)/(1/7 · (6/7)^6).
    """
    lowered = fresnel_schlick1994(GRAZING_COSINE, f0) * (1.0 - tint) / (GRAZING_COSINE * (1.0 - GRAZING_COSINE) ** 6)
    away = clip(1.0 - cosine, 0.0, 1.0)
    six = square(square(away) * away)
    return maximum(fresnel_schlick1994(cosine, f0) - lowered * cosine * six, 0.0)


def fresnel_dielectric(cosine: Array, ior: Array) -> Array:
    """Unpolarised Fresnel reflectance of a dielectric.

    cosine: of the angle on the outer side, 0…1; ior: of the inside relative to the outside, > 0.
    Total reflection (ior < 1 at grazing angles) gives 1. Source: Born & Wolf, §1.5.

    >>> round(float(fresnel_dielectric(1.0, 1.5)), 6)
    0.04
    >>> round(float(fresnel_dielectric(0.0, 1.5)), 6)
    1.0
    """
    transmitted = 1.0 - (1.0 - square(cosine)) / square(ior)
    inner = sqrt(transmitted)
    parallel = (ior * cosine - inner) / maximum(ior * cosine + inner, 1e-12)
    perpendicular = (cosine - ior * inner) / maximum(cosine + ior * inner, 1e-12)
    return select(transmitted <= 0.0, 1.0, 0.5 * (square(parallel) + square(perpendicular)))


def fresnel_conductor(cosine: Array, n: Array, k: Array) -> Array:
    """Unpolarised Fresnel reflectance of a conductor with complex index n + ik (Born & Wolf, §14.2).

    >>> round(float(fresnel_conductor(1.0, 0.18, 3.4)), 3)  # gold at about 650 nm
    0.944
    """
    c2 = square(cosine)
    s2 = 1.0 - c2
    real = square(n) - square(k) - s2
    a2_plus_b2 = raw_sqrt(square(real) + 4.0 * square(n * k))
    a = raw_sqrt(maximum(0.5 * (a2_plus_b2 + real), 0.0))
    perpendicular = (a2_plus_b2 + c2 - 2.0 * cosine * a) / (a2_plus_b2 + c2 + 2.0 * cosine * a)
    left, right = c2 * a2_plus_b2 + square(s2), 2.0 * cosine * a * s2
    return maximum(0.5 * perpendicular * (1.0 + (left - right) / (left + right)), 0.0)


def tint_of_curve(cosine_82: Array, f0: Array) -> Array:
    """The tint with which `metal_tint_kutz2021` meets a reflectance `cosine_82` near 82°, for this F0; 0…1."""
    return clip(cosine_82 / maximum(fresnel_schlick1994(GRAZING_COSINE, f0), 1e-6), 0.0, 1.0)


def tint_of_dimmed_metal(share: Array, f0: Array) -> Array:
    """The tint with which a metal of F0 share · `f0` is nearest to share · Schlick(f0), by least squares over light from everywhere; 0…1.

    Schlick(share · f0) exceeds it by (1 − share) w, w = (1 − c)^5, of which `metal_tint_kutz2021` takes a c (1 − c)^6 away: the best a is
    (1 − share) ∫ w c² (1 − c)^6 dc / ∫ c³ (1 − c)^12 dc = (1 − share) B(3, 12) / B(4, 13) = (1 − share) · 20/3.
    """
    away = (1.0 - share) * (20.0 / 3.0) * GRAZING_COSINE * (1.0 - GRAZING_COSINE) ** 6
    return clip(1.0 - away / fresnel_schlick1994(GRAZING_COSINE, share * f0), 0.0, 1.0)


BRIGHTEST_METAL = 0.99
"""Reflectivity above which `metal_of_colours` stops, as the standard's code does."""


def metal_of_colours(reflectivity: Array, edge: Array) -> tuple[Array, Array]:
    """n and k of a metal with this reflectance when facing; `edge` 0…1 chooses among those that have it (Gulbrandsen 2014)."""
    r = clip(reflectivity, 0.0, BRIGHTEST_METAL)
    root = raw_sqrt(r)
    lowest, highest = (1.0 - r) / (1.0 + r), (1.0 + root) / (1.0 - root)
    n = highest + (lowest - highest) * edge
    return n, sqrt((square(n + 1.0) * r - square(n - 1.0)) / (1.0 - r))


def tint_of_conductor(n: Array, k: Array) -> Array:
    """What `metal_tint_kutz2021` takes as tint so that it meets a conductor near 82°; above 1 where the metal dips less than Schlick."""
    f0 = (square(n - 1.0) + square(k)) / (square(n + 1.0) + square(k))
    return fresnel_conductor(GRAZING_COSINE, n, k) / fresnel_schlick1994(GRAZING_COSINE, f0)


def edge_of_tint(f0: np.ndarray, tint: np.ndarray) -> np.ndarray:
    """The edge colour with which `metal_of_colours` meets `metal_tint_kutz2021` near 82°; by bisection, NumPy only."""
    wanted = metal_tint_kutz2021(GRAZING_COSINE, np.asarray(f0), np.asarray(tint))
    low, high = np.zeros(np.shape(wanted)), np.ones(np.shape(wanted))
    for _ in range(30):
        middle = 0.5 * (low + high)
        seen = fresnel_conductor(GRAZING_COSINE, *metal_of_colours(f0, middle))
        low, high = np.where(seen < wanted, middle, low), np.where(seen < wanted, high, middle)
    return 0.5 * (low + high)
