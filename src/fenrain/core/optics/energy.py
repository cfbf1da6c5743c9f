"""Energy between layers, on texels (channels last): what a body keeps below a reflection, and what a metal is.

References
- KHR_materials_pbrSpecularGlossiness, "Converting between workflows": the equation for metallic.
- See `albedo` for the tables.
"""

from __future__ import annotations

import numpy as np

from fenrain.core.colour import perceived_brightness, strongest_channel
from fenrain.core.optics.albedo import (
    Scattering,
    average_albedo_of_f0,
    average_of_single_scattering,
    dielectric_average_albedo,
    schlick_average_albedo,
)

CORE_F0 = 0.04
"""Reflectance of every dielectric in core glTF 2.0 (§3.9.2): an index of 1.5."""


def left_below(f0: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    """Average share of light, 1 − Ē, that gets through a dielectric reflection to the body; f0 and alpha (…, 1)."""
    return 1.0 - average_albedo_of_f0(alpha, f0)


def left_below_index(ior: np.ndarray, alpha: np.ndarray, scattering: Scattering = Scattering.GGX) -> np.ndarray:
    """The same by the index, which may lie below 1, and for lobes that scatter once."""
    return 1.0 - dielectric_average_albedo(alpha, ior, scattering=scattering)


def left_below_schlick(
    f0: np.ndarray | float, alpha: np.ndarray, f90: np.ndarray | float = 1.0, scattering: Scattering = Scattering.GGX
) -> np.ndarray:
    """The same for a Schlick reflection, as in glTF."""
    return 1.0 - schlick_average_albedo(alpha, f0, f90, scattering=scattering)


def average_coat(ior: np.ndarray | float, roughness: np.ndarray) -> np.ndarray:
    """Average share of light that a clear coat of this index and roughness reflects."""
    return dielectric_average_albedo(np.square(roughness), ior)


def compensated_f0(f0: np.ndarray, alpha: np.ndarray, kept: np.ndarray | None = None) -> np.ndarray:
    """F0 of a GGX lobe with energy compensation that reflects as much as a lobe of `f0` that scatters once.

    kept: Ē of that lobe where it is lossless, where it is not GGX of the same width. Solves Ē x (1 + g x) = kept · f0, where Ē is what
    GGX of width `alpha` keeps and g = 1/Ē − 1 the average gain of the compensation at x = 1.
    """
    whole = average_of_single_scattering(alpha, Scattering.GGX_ONCE)
    wanted = f0 if kept is None else f0 * kept / whole
    gain = np.maximum(1.0 / whole - 1.0, 1e-6)
    return (np.sqrt(1.0 + 4.0 * gain * wanted) - 1.0) / (2.0 * gain)


def single_scattering_f0(f0: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    """The inverse of `compensated_f0`."""
    return f0 * (1.0 + (1.0 / average_of_single_scattering(alpha, Scattering.GGX_ONCE) - 1.0) * f0)


def metalness_of(diffuse: np.ndarray, specular: np.ndarray) -> np.ndarray:
    """Whether a diffuse and a specular albedo (…, 3) are those of a metal: 1 where nothing diffuse is left below a bright
    reflection, 0 for all else, with a short ramp so that neighbouring texels blend.

    A bright reflection over black is how every metal is written with these two colours (common practice).
    """
    strongest = strongest_channel(specular)
    remaining = strongest_channel(diffuse) / np.maximum(strongest, 1e-6)
    return _smoothstep(0.12, 0.2, strongest) * (1.0 - _smoothstep(0.02, 0.1, remaining))


def metallic_and_base(body: np.ndarray, specular: np.ndarray, below: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Metallic and base colour of core glTF for a body and a specular albedo.

    body: light the body sends back, (…, 3); specular: F0, (…, 3); below: share that reaches the body under core's reflection, (…, 1).
    With ρ = 0.04, d and s the perceived brightness of body/below and of specular, solves
    ρ m² + (d + s − 2ρ) m + (ρ − s) = 0 (KHR_materials_pbrSpecularGlossiness; there `below` is 1 − ρ).
    """
    base_below = body / below
    d, s = perceived_brightness(base_below), perceived_brightness(specular)
    linear = d + s - 2.0 * CORE_F0
    root = np.sqrt(np.maximum(np.square(linear) - 4.0 * CORE_F0 * (CORE_F0 - s), 0.0))
    metallic = np.where(s < CORE_F0, 0.0, np.clip((root - linear) / (2.0 * CORE_F0), 0.0, 1.0))
    from_diffuse = base_below / np.maximum(1.0 - metallic, 1e-6)
    from_specular = (specular - CORE_F0 * (1.0 - metallic)) / np.maximum(metallic, 1e-6)
    share = np.square(metallic)
    return metallic, np.clip(from_diffuse * (1.0 - share) + from_specular * share, 0.0, 1.0)


def _smoothstep(low: float, high: float, x: np.ndarray) -> np.ndarray:
    t = np.minimum(np.maximum((x - low) / (high - low), 0.0), 1.0)
    return t * t * (3.0 - 2.0 * t)
