"""Interference in a thin film on a dielectric or a metal.

Source: Belcour & Barla 2017, A Practical Extension to Microfacet Theory for the Modeling of Varying Iridescence: the Airy sum over the
film's inner reflections, integrated over the eye's sensitivities by Gaussians. Constants, and treating a metal by its Schlick curve,
are those of MaterialX 1.39 (`mx_fresnel_airy`), which OpenPBR, Standard Surface and glTF rely on.
"""

from __future__ import annotations

from collections.abc import Callable

from fenrain.core.optics.arrays import PI, Array, clip, colour, cos, exp, is_colour, maximum, raw_sqrt, select, sqrt, square

INNER_REFLECTIONS = 2
VALUES, PLACES, WIDTHS = (5.4856e-13, 4.4201e-13, 5.2481e-13), (1.6810e06, 1.7953e06, 2.2084e06), (4.3278e09, 9.3046e09, 6.6121e09)
SECOND_RED = (9.7470e-14, 2.2399e06, 4.5282e09)
NORM = 1.0685e-7
XYZ_TO_RGB = ((2.3706743, -0.9000405, -0.4706338), (-0.5138850, 1.4253036, 0.0885814), (0.0052982, -0.0146949, 1.0093968))

Polarised = tuple[Array, Array]


def film_reflectance(cosine: Array, film_ior: Array, thickness: Array, base_ior: Array, below: Callable[[Array], Polarised]) -> Array:
    """Linear RGB reflectance of a base with a film on it.

    cosine: outside, 0…1; thickness: nm; base_ior: of what lies below, a scalar or a colour; below: from the cosine in the film to the
    base's reflectance as seen from there, (parallel, perpendicular), each a scalar or a colour.
    """
    index = maximum(film_ior, 1.0)
    inner = sqrt(1.0 - (1.0 - square(cosine)) / square(index))
    first = _polarised(cosine, inner, index)
    brewster = 1.0 / raw_sqrt(1.0 + square(index))
    rotated = (select(cosine < brewster, 0.0, PI), PI)
    length = 2.0 * index * inner * thickness * 1e-9
    seen = below(inner)
    channels = []
    for channel in range(3):
        shift = select(_channel(base_ior, channel) < index, PI, 0.0)
        both = [_airy(first[side], _channel(seen[side], channel), length, shift + rotated[side], channel) for side in (0, 1)]
        channels.append(0.5 * (both[0] + both[1]))
    return colour(*(clip(row[0] * channels[0] + row[1] * channels[1] + row[2] * channels[2], 0.0, 1.0) for row in XYZ_TO_RGB))


def dielectric_below(film_ior: Array, base_ior: Array) -> Callable[[Array], Polarised]:
    """Fresnel reflectance between film and base, by polarisation (Born & Wolf §1.5)."""
    ratio = base_ior / maximum(film_ior, 1.0)

    def reflected(inner: Array) -> Polarised:
        transmitted = 1.0 - (1.0 - square(inner)) / square(ratio)
        parallel, perpendicular = _polarised(inner, sqrt(transmitted), ratio)
        return select(transmitted <= 0.0, 1.0, parallel), select(transmitted <= 0.0, 1.0, perpendicular)

    return reflected


def _polarised(outer: Array, inner: Array, ratio: Array) -> Polarised:
    parallel = (ratio * outer - inner) / maximum(ratio * outer + inner, 1e-9)
    perpendicular = (outer - ratio * inner) / maximum(outer + ratio * inner, 1e-9)
    return square(parallel), square(perpendicular)


def _airy(first: Array, second: Array, length: Array, shift: Array, channel: int) -> Array:
    """The mean term and the first inner reflections, of one polarisation, as the eye's `channel` sees them."""
    passed = 1.0 - first
    mean = square(passed) * second / maximum(1.0 - first * second, 1e-6)
    total = first + mean
    term = mean - passed
    for order in range(1, INNER_REFLECTIONS + 1):
        term = term * sqrt(first * second)
        total = total + term * 2.0 * _sensitivity(order * length, order * shift, channel)
    return total


def _sensitivity(length: Array, shift: Array, channel: int) -> Array:
    phase = 2.0 * PI * length
    found = _gauss(VALUES[channel], PLACES[channel], WIDTHS[channel], phase, shift)
    return (found + _gauss(*SECOND_RED, phase, shift) if channel == 0 else found) / NORM


def _gauss(value: float, place: float, width: float, phase: Array, shift: Array) -> Array:
    return value * (2.0 * PI * width) ** 0.5 * cos(place * phase + shift) * exp(-width * square(phase))


def _channel(value: Array, channel: int) -> Array:
    return value[channel] if is_colour(value) else value
