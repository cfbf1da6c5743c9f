"""What light loses and scatters on its way through a body.

References
- Beer 1852, Lambert 1760: T(x) = exp(−σ x); KHR_materials_volume: T(x) = C^(x/D) for the colour C reached at distance D.
- OpenPBR Surface 1.1, translucent base: extinction −ln(T)/λ, scattering S/λ, absorption their difference, shifted where below zero.
- Kulla & Conty 2017, Revisiting Physically Based Shading at Imageworks, and OpenPBR 1.1 (from memory): the albedo of one scattering
  event that gives a half space its diffuse colour.
"""

from __future__ import annotations

from fenrain.core.optics.arrays import Array, exp, is_colour, log, maximum, minimum, raw_sqrt, select, square

DARKEST = 1e-4
"""A channel of a tint below this counts as this: black would absorb without end."""


def absorption_of(colour: Array, distance: Array) -> Array:
    """σ (1/length) with which light has `colour` after `distance`: −ln C ÷ D; 0 where the distance is 0 (no volume).

    >>> round(float(absorption_of(0.5, 2.0)), 6)
    0.346574
    """
    return select(distance > 0.0, -log(maximum(colour, DARKEST)) / maximum(distance, 1e-9), colour * 0.0)


def transmittance(extinction: Array, length: Array) -> Array:
    """Share of light left after `length`: exp(−σ x).

    >>> round(float(transmittance(absorption_of(0.5, 2.0), 4.0)), 6)
    0.25
    """
    return exp(-extinction * length)


def colour_at(extinction: Array, distance: Array) -> Array:
    """The colour that light has at `distance`; the inverse of `absorption_of`.

    >>> round(float(colour_at(absorption_of(0.5, 2.0), 2.0)), 6)
    0.5
    """
    return transmittance(extinction, distance)


def shifted_absorption(extinction: Array, scattering: Array) -> Array:
    """Extinction less scattering; where a channel falls below zero, all are raised by as much (OpenPBR 1.1)."""
    absorption = extinction - scattering
    lowest = minimum(minimum(absorption[0], absorption[1]), absorption[2]) if is_colour(absorption) else absorption
    return absorption - minimum(lowest, 0.0)


def single_scattering_albedo(colour: Array, anisotropy: Array) -> Array:
    """Albedo of one event in a half space that sends back `colour`: (1 − s²)/(1 − g s²),
    s = 4.09712 + 4.20863 E − √(9.59217 + 41.6808 E + 17.7126 E²) (Kulla & Conty 2017; OpenPBR 1.1)."""
    s = 4.09712 + 4.20863 * colour - raw_sqrt(9.59217 + 41.6808 * colour + 17.7126 * square(colour))
    return (1.0 - square(s)) / maximum(1.0 - anisotropy * square(s), 1e-6)


def diffuse_albedo(single: Array) -> Array:
    """The colour that a half space sends back whose events each keep `single` of the light, scattering evenly; the inverse of
    `single_scattering_albedo`, whose square root falls out.

    >>> round(float(diffuse_albedo(single_scattering_albedo(0.3, 0.0))), 6)
    0.3
    """
    rest = 4.09712 - raw_sqrt(maximum(1.0 - single, 0.0))
    return maximum((square(rest) - 9.59217) / (41.6808 - 8.41726 * rest), 0.0)


def interior_of_transmission(colour: Array, depth: Array, scatter: Array) -> tuple[Array, Array]:
    """(absorption, scattering) of a body that tints to `colour` at `depth` and scatters `scatter` over it (OpenPBR 1.1)."""
    scattering = scatter / maximum(depth, 1e-9) * select(depth > 0.0, 1.0, 0.0)
    return shifted_absorption(absorption_of(colour, depth), scattering), scattering


def interior_of_subsurface(colour: Array, radius: Array, anisotropy: Array) -> tuple[Array, Array]:
    """(absorption, scattering) of a body with subsurface scattering over `radius`, the mean free path, and comes out with `colour`."""
    extinction = 1.0 / maximum(radius, 1e-4)
    albedo = single_scattering_albedo(colour, anisotropy)
    return extinction * (1.0 - albedo), extinction * albedo


FRAUNHOFER_F, FRAUNHOFER_D, FRAUNHOFER_C = 0.4861, 0.5876, 0.6563
"""µm; the lines by which the Abbe number is defined: V = (n_d − 1)/(n_F − n_C)."""
CHANNEL_WAVELENGTHS = (0.612, 0.549, 0.465)
"""µm that stand for the red, green and blue of Rec.709 (about their dominant wavelengths)."""


def ior_at(ior: Array, abbe_number: Array, wavelength: float) -> Array:
    """Index at a wavelength (µm) of a body with index `ior` at the d line: Cauchy, n = A + B/λ² (Born & Wolf, §2.3.3).

    >>> round(float(ior_at(1.5, 50.0, 0.4861) - ior_at(1.5, 50.0, 0.6563)), 4)  # (n − 1) / Abbe number
    0.01
    """
    slope = (ior - 1.0) / maximum(abbe_number, 1e-3) / (FRAUNHOFER_F**-2 - FRAUNHOFER_C**-2)
    return ior + slope * (wavelength**-2 - FRAUNHOFER_D**-2)
