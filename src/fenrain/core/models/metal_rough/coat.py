"""What a coat of OpenPBR becomes in glTF, whose own has one index: as much of it as that one reflects; the rest joins the base's
reflection."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.metal_rough.surface import CLEARCOAT_IOR
from fenrain.core.models.open_pbr.inverse import distance_of_widths
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import ior_below_coat, roughness_below_coat
from fenrain.core.optics.energy import average_coat, left_below
from fenrain.core.optics.fresnel import FADING_F0, both_surfaces, f0_from_ior, fading_grazing
from fenrain.core.optics.microfacet import widths_openpbr

NEEDED = (
    *("specular_ior", "specular_weight", "specular_color", "specular_roughness", "coat_weight", "coat_ior", "coat_roughness"),
    *("base_color", "base_weight", "base_metalness", "transmission_weight", "transmission_color", "geometry_thin_walled"),
)
"""What the functions here read."""


def clearcoat_of(p: OpenPbr) -> np.ndarray:
    """The weight of glTF's coat that reflects as much light from everywhere, at most all of it; 0 where the base is better at it: a
    dielectric whose own reflection is less than what that coat would miss."""
    ratio = average_coat(p.coat_ior, p.coat_roughness) / average_coat(CLEARCOAT_IOR, p.coat_roughness)
    weight = np.clip(p.coat_weight * ratio, 0.0, 1.0)
    facing = np.abs(p.coat_weight * f0_from_ior(p.coat_ior) - weight * f0_from_ior(CLEARCOAT_IOR))
    missed = facing + np.abs(p.coat_weight - weight) * GRAZING_SHARE
    is_base = (p.base_metalness <= 0.0) & (base_reflection(p) < missed) & (missed > LEAST_MISSED)
    return np.where(is_base, 0.0, weight)


LEAST_MISSED = 0.045
"""What a coat of any usual index differs from glTF's own; a coat stays a coat below it."""
GRAZING_SHARE = 0.1
"""About how much the grazing reflectance counts beside the facing one."""


def base_reflection(p: OpenPbr) -> np.ndarray:
    """Average share of light that the base sends back as a reflection, or lets through."""
    alpha = np.square(roughness_below_coat(p))
    dielectric = (1.0 - left_below(f0_from_ior(ior_below_coat(p)), alpha)) * p.specular_color.mean(axis=-1, keepdims=True)
    metal = (p.base_color * p.base_weight * p.specular_weight).mean(axis=-1, keepdims=True)
    return np.maximum(dielectric, p.transmission_weight) * (1.0 - p.base_metalness) + metal * p.base_metalness


@dataclass(frozen=True)
class Joined:
    """The coat's reflection and the base's, of which glTF's base has to be both where its coat cannot carry the first.

    coat, carried: average shares of light that the coat reflects, and that glTF's does; share: of the coat that joins the base; base: 0
    where the base's own reflection gives way, else 1; is_coat: where the coat is the stronger.
    """

    coat: np.ndarray
    carried: np.ndarray
    share: np.ndarray
    base: np.ndarray
    is_coat: np.ndarray


def joined(p: OpenPbr, held: bool) -> Joined:
    """What becomes of the coat that is not carried. held: whether the target has a coat.

    One lobe has one width, that of the stronger; the weaker joins it where their widths differ by less than the weaker itself would by
    being left out (`distance_of_widths` below 1).
    """
    coat = p.coat_weight * average_coat(p.coat_ior, p.coat_roughness)
    carried = clearcoat_of(p) * average_coat(CLEARCOAT_IOR, p.coat_roughness) if held else np.zeros_like(coat)
    base, below = base_reflection(p), roughness_below_coat(p)
    is_coat = coat - carried > base
    near = distance_of_widths(np.square(p.coat_roughness), np.square(below)) < 1.0
    left = np.where(coat > 1e-6, (coat - carried) / np.maximum(coat, 1e-6), 0.0)
    return Joined(coat, carried, np.where(near | is_coat, left, 0.0), np.where(near | ~is_coat, 1.0, 0.0), is_coat)


def dielectric_of(p: OpenPbr, held: bool) -> tuple[np.ndarray, np.ndarray]:
    """(facing, grazing reflectance) of the dielectric with what joins it of the coat: a colour and a number.

    Of a sheet with both of its surfaces; below an F0 of 2 % it fades at grazing angles as well.
    """
    f0, both = f0_from_ior(ior_below_coat(p)), joined(p, held)
    f0 = both_surfaces(f0) if p.geometry_thin_walled else f0
    facing = f0 * p.specular_color * both.base
    grazing = fading_grazing(f0) * strongest_channel(p.specular_color) * both.base
    above = p.coat_weight * both.share
    return facing + above * f0_from_ior(p.coat_ior) * (1.0 - facing), grazing + above * (1.0 - grazing)


def metal_of(p: OpenPbr, held: bool, passed: np.ndarray) -> np.ndarray:
    """F0 of the metal, seen through the coat (`passed`), with what joins it of that."""
    both = joined(p, held)
    metal = p.base_color * p.base_weight * p.specular_weight * passed * both.base
    return metal + (1.0 - metal) * both.share * both.coat


def said(p: OpenPbr, held: bool = True) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(F0, strength, tint) as KHR_materials_specular takes them: F0 · tint · strength when facing, the strength at grazing angles."""
    facing, grazing = dielectric_of(p, held)
    strongest = strongest_channel(facing)
    f0 = np.where(grazing > 1e-6, strongest / np.maximum(grazing, 1e-6), FADING_F0)
    return np.minimum(f0, 1.0), grazing, np.where(strongest > 1e-9, facing / np.maximum(strongest, 1e-9), 1.0)


def passed_by_reflections(p: OpenPbr) -> np.ndarray:
    """Share of the body's light that gets out below OpenPBR's reflection and coat, over that below glTF's."""
    alpha = np.square(roughness_below_coat(p))
    by_one = 1.0 - left_below(f0_from_ior(ior_below_coat(p)), alpha)
    taken = both_surfaces(by_one) if p.geometry_thin_walled else by_one
    f0, strength, tint = said(p)
    here = strength * (1.0 - left_below(f0 * tint.mean(axis=-1, keepdims=True), alpha))
    both = joined(p, True)
    return (1.0 - taken) * (1.0 - both.coat) / ((1.0 - here) * (1.0 - both.carried))


def widths_of_stronger(p: OpenPbr, held: bool) -> tuple[np.ndarray, np.ndarray]:
    """The GGX widths of the coat where what of it is not carried reflects more than the base sends back or through, else of the base."""
    is_coat = joined(p, held).is_coat
    roughness = np.where(is_coat, p.coat_roughness, roughness_below_coat(p))
    anisotropy = np.where(is_coat, p.coat_roughness_anisotropy, p.specular_roughness_anisotropy)
    alpha_x, alpha_y = widths_openpbr(roughness, anisotropy)
    return alpha_x, alpha_y
