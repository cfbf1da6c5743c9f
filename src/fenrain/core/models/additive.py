"""A body and a reflection that a legacy model puts together without regard to energy, in the terms of OpenPBR.

NumPy, channels last: colours (…, 3), numbers (…, 1). What each gives has the same albedo as the legacy lobes for light from everywhere;
the fit moves on from there.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.lobes.microfacet import BECKMANN
from fenrain.core.optics.energy import compensated_f0, left_below, metalness_of
from fenrain.core.optics.fresnel import HIGHEST_F0, average_schlick_weight, ior_from_f0, tint_of_curve
from fenrain.core.optics.microfacet import ggx_of_beckmann
from fenrain.core.rules.case import Case

SCHLICK_AVERAGE = average_schlick_weight()

TYPICAL_FRESNEL = 0.1
"""About what a dielectric reflects of light from everywhere; for weighing its reflection against its refraction."""

METAL_F0 = 0.04
"""F0 given to the dielectric below a full metal, where it does not show."""


@dataclass(frozen=True)
class Reflection:
    """f0: facing reflectance, single scattering, a colour; grazing: what it rises to, a colour; edge: reflectance near 82°, a colour;
    alpha: GGX width."""

    f0: np.ndarray
    grazing: np.ndarray
    edge: np.ndarray
    alpha: np.ndarray


@dataclass(frozen=True)
class Base:
    """The base of an OpenPBR material; `base_color` may still exceed 1, which says that the source gives back more than it gets."""

    base_metalness: np.ndarray
    base_color: np.ndarray
    specular_ior: np.ndarray
    specular_color: np.ndarray


def base_of(body: np.ndarray, reflection: Reflection, *, transmission: np.ndarray | float = 0.0) -> Base:
    """The OpenPBR base nearest to a reflection added to a body of this albedo.

    transmission: share that goes through, (…, 1); where there is any, the base is no metal even over a black body.
    """
    f0, alpha = np.clip(reflection.f0, 0.0, HIGHEST_F0), np.minimum(reflection.alpha, 1.0)
    metal = np.where(np.asarray(transmission) > 0.0, 0.0, metalness_of(body, f0))
    grazing = np.clip(reflection.grazing, 1e-3, 1.0)
    facing = compensated_f0(np.minimum(strongest_channel(f0 / grazing), HIGHEST_F0), alpha)
    strongest = strongest_channel(f0)
    hue = np.where(strongest > 1e-7, f0 / np.maximum(strongest, 1e-7), 1.0)
    tint = np.clip(hue * strongest_channel(grazing), 0.0, 1.0)
    dielectric = body / left_below(facing, alpha)
    metal_tint = tint_of_curve(reflection.edge, f0)
    return Base(
        metal,
        dielectric * (1.0 - metal) + compensated_f0(f0, alpha) * metal,
        ior_from_f0(facing * (1.0 - metal) + METAL_F0 * metal),
        tint * (1.0 - metal) + metal_tint * metal,
    )


FAINTEST = 0.02
"""A reflection whose strongest channel is below this fades away as a whole, so that black means none at all."""


def presence(reflection: np.ndarray, transmission: np.ndarray) -> np.ndarray:
    """The `specular_weight` for a colour that multiplies a Fresnel reflectance: 1, fading to 0 below `FAINTEST`; always 1 where light goes
    through, since OpenPBR bends it by the same index."""
    there = np.clip(strongest_channel(reflection) / FAINTEST, 0.0, 1.0)
    return np.where(strongest_channel(transmission) > 0.0, 1.0, there)


def uniform(reflected: np.ndarray, alpha: np.ndarray) -> Reflection:
    """A reflection that does not depend on the angle. As a dielectric it gets the Schlick curve with the same average: with R below
    1/21 by a weaker grazing reflection, above by F0 = (R − 1/21)/(1 − 1/21)."""
    above = np.clip((reflected - SCHLICK_AVERAGE) / (1.0 - SCHLICK_AVERAGE), 0.0, 1.0)
    bright = reflected > 0.3
    return Reflection(np.where(bright, reflected, above), np.clip(reflected / SCHLICK_AVERAGE, 0.0, 1.0), reflected, alpha)


def reflects_by_angle(case: Case) -> bool:
    """Whether the reflection follows Fresnel, for models with an `angle_dependent`."""
    return case.is_at("angle_dependent", True)


def reflects_evenly(case: Case) -> bool:
    return not reflects_by_angle(case)


def mean_width(alphas: list[np.ndarray], shares: list[np.ndarray]) -> np.ndarray:
    """One GGX width for several lobes: the mean, weighted by how much each reflects."""
    weights = [share + 1e-9 for share in shares]
    return np.asarray(sum(alpha * weight for alpha, weight in zip(alphas, weights, strict=True)) / sum(weights))


def transmission_share(passes: np.ndarray, opaque: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(transmission weight, tint, body under it) for a body that lets through a colour and has an opaque albedo beside it."""
    weight = np.clip(strongest_channel(passes), 0.0, 1.0)
    tint = np.where(weight > 0, np.clip(passes / np.maximum(weight, 1e-6), 0.0, 1.0), 1.0)
    return weight, tint, opaque / np.maximum(1.0 - weight, 1e-3)


def ggx_width(distribution: int, alpha: np.ndarray) -> np.ndarray:
    """Width of the GGX lobe nearest to a lobe of this distribution."""
    return ggx_of_beckmann(alpha) if distribution == BECKMANN else alpha
