"""What a coat of OpenPBR becomes in glTF, whose own has one index: as much of it as that one reflects; the rest joins the base's
reflection."""

from __future__ import annotations

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.metal_rough.surface import CLEARCOAT_IOR
from fenrain.core.models.open_pbr.one_lobe import ONE_LOBE_NEEDS, Joined, base_reflection, joined
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import ior_below_coat, roughness_below_coat
from fenrain.core.optics.energy import average_coat, left_below
from fenrain.core.optics.fresnel import FADING_F0, both_surfaces, f0_from_ior, fading_grazing

NEEDED = (*ONE_LOBE_NEEDS, "transmission_color", "geometry_thin_walled")
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


def joined_here(p: OpenPbr, held: bool) -> Joined:
    """Coat and base in glTF. held: whether the target has a coat."""
    carries = held and np.any(p.coat_weight)
    return joined(p, clearcoat_of(p) * average_coat(CLEARCOAT_IOR, p.coat_roughness) if carries else np.zeros_like(p.coat_weight))


def dielectric_of(p: OpenPbr, held: bool) -> tuple[np.ndarray, np.ndarray]:
    """(facing, grazing reflectance) of the dielectric with what joins it of the coat: a colour and a number.

    Of a sheet with both of its surfaces; below an F0 of 2 % it fades at grazing angles as well.
    """
    f0, both = f0_from_ior(ior_below_coat(p)), joined_here(p, held)
    f0 = both_surfaces(f0) if p.geometry_thin_walled else f0
    facing = f0 * p.specular_color * both.base
    grazing = fading_grazing(f0) * strongest_channel(p.specular_color) * both.base
    above = p.coat_weight * both.share
    return facing + above * f0_from_ior(p.coat_ior) * (1.0 - facing), grazing + above * (1.0 - grazing)


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
    both = joined_here(p, True)
    return (1.0 - taken) * (1.0 - both.coat) / ((1.0 - here) * (1.0 - both.carried))
