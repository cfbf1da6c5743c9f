"""Grazing reflection of fibres and dust, as OpenPBR (fuzz) and glTF (sheen) define it.

References
- Zeltner, Burley, Chiang 2022, Practical Multiple-Scattering Sheen Using Linearly Transformed Cosines; the fits to its
  table are those of the MaterialX 1.39 node library (`mx_microfacet_sheen`).
- Estevez & Kulla 2017, Production Friendly Microfacet Sheen BRDF; albedo fit as in MaterialX 1.39.
"""

from __future__ import annotations

import numpy as np

from fenrain.core.optics.arrays import (
    PI,
    Array,
    clip,
    exp,
    maximum,
    normalise,
    power,
    raw_sqrt,
    select,
    sqrt,
    square,
    vector,
)
from fenrain.core.optics.microfacet import sample_cosine


def zeltner_albedo(cosine: Array, roughness: Array) -> Array:
    """Directional albedo of the fuzz lobe (Gaussian fit of MaterialX to the table of Zeltner et al. 2022)."""
    x, y = cosine, clip(roughness, 0.01, 1.0)
    s = y * (0.0206607 + 1.58491 * y) / (0.0379424 + y * (1.32227 + y))
    m = y * (-0.193854 + y * (-1.14885 + y * (1.7932 - 0.95943 * y * y))) / (0.046391 + y)
    o = y * (0.000654023 + (-0.0207818 + 0.119681 * y) * y) / (1.26264 + y * (-1.92021 + y))
    return exp(-0.5 * square((x - m) / s)) / (s * raw_sqrt(2.0 * PI)) + o


def _zeltner_matrix(cosine: Array, roughness: Array) -> tuple[Array, Array]:
    x, y = cosine, clip(roughness, 0.01, 1.0)
    a = (2.58126 * x + 0.813703 * y) * y / (1.0 + 0.310327 * x * x + 2.60994 * x * y)
    b = sqrt(1.0 - x) * (y - 1.0) * y * y * y / (0.0000254053 + 1.71228 * x - 1.71506 * x * y + 1.34174 * y * y)
    return a, b


def _view_frame(wo: Array) -> tuple[Array, Array]:
    """Cosine and sine of the azimuth of `wo`."""
    length = sqrt(square(wo[0]) + square(wo[1]))
    tiny = length < 1e-6
    return select(tiny, 1.0, wo[0] / maximum(length, 1e-6)), select(tiny, 0.0, wo[1] / maximum(length, 1e-6))


def zeltner_pdf(wi: Array, wo: Array, roughness: Array) -> Array:
    """The linearly transformed cosine: a density over `wi` that integrates to one."""
    a, b = _zeltner_matrix(wo[2], roughness)
    c, s = _view_frame(wo)
    x, y, z = wi[0] * c + wi[1] * s, wi[1] * c - wi[0] * s, wi[2]
    untransformed = vector(a * x + b * z, a * y, z)
    length2 = square(untransformed[0]) + square(untransformed[1]) + square(untransformed[2])
    return maximum(z, 0.0) / PI * square(a / maximum(length2, 1e-12))


def sample_zeltner(wo: Array, roughness: Array, u1: Array, u2: Array) -> Array:
    """A direction with the density `zeltner_density`."""
    a, b = _zeltner_matrix(wo[2], roughness)
    c, s = _view_frame(wo)
    w = sample_cosine(u1, u2)
    x, y = w[0] / a - w[2] * b / a, w[1] / a
    return normalise(vector(x * c - y * s, x * s + y * c, w[2]))


def estevez_kulla(wi: Array, wo: Array, half_cosine: Array, roughness: Array) -> Array:
    """BRDF (without cosine): D of Estevez & Kulla 2017 eq. 2, smooth denominator as in MaterialX."""
    inverse = 1.0 / maximum(roughness, 0.005)
    d = (2.0 + inverse) * power(maximum(1.0 - square(half_cosine), 1e-9), inverse * 0.5) / (2.0 * PI)
    return d / (4.0 * maximum(wi[2] + wo[2] - wi[2] * wo[2], 1e-6))


def estevez_kulla_albedo(cosine: Array, roughness: Array) -> Array:
    """Rational fit to the directional albedo (MaterialX 1.39 `mx_imageworks_sheen_dir_albedo_analytic`)."""
    x, y = cosine, roughness
    above = 13.67300 - 68.78018 * x + 799.08825 * y - 905.00061 * x * y + 60.28956 * x * x + 1086.96473 * y * y
    below = 1.0 + 61.57746 * x + 442.78211 * y + 2597.49308 * x * y + 121.81241 * x * x + 3045.55075 * y * y
    return clip(above / below, 0.0, 1.0)


SHEEN_NODES = (0.02, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0)
NEAREST_FUZZ = (0.232, 0.325, 0.421, 0.549, 0.628, 0.682, 0.723, 0.754, 0.801, 0.834)
FUZZ_STRENGTH = (1.340, 1.520, 1.358, 1.109, 0.999, 0.938, 0.885, 0.851, 0.795, 0.761)
"""For each roughness of Estevez & Kulla the Zeltner lobe with the least lobe error over the directions of `checking.directions`."""


def fuzz_of_sheen(roughness: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(roughness, strength) of the fuzz nearest to a sheen; NumPy only."""
    return np.interp(roughness, SHEEN_NODES, NEAREST_FUZZ), np.interp(roughness, SHEEN_NODES, FUZZ_STRENGTH)


def sheen_of_fuzz(roughness: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The inverse: (roughness, strength) of the sheen nearest to a fuzz."""
    nearest = np.interp(roughness, NEAREST_FUZZ, SHEEN_NODES)
    return nearest, 1.0 / np.interp(nearest, SHEEN_NODES, FUZZ_STRENGTH)
