"""Body and metal: copied where the target can say the reflection, solved for where it cannot."""

from functools import partial
from typing import Any

import numpy as np

from fenrain.core.models.metal_rough.coat import NEEDED, dielectric_of, joined_here, passed_by_reflections
from fenrain.core.models.metal_rough.from_hub.allowed import RULES, keeps_depth, keeps_metal, loses_coat
from fenrain.core.models.metal_rough.from_hub.reflection import curve_caveat
from fenrain.core.models.metal_rough.from_hub.transmission import tint_of_volume
from fenrain.core.models.open_pbr.cases import (
    has_subsurface,
    is_coated,
    is_thin_walled,
    is_transmissive,
)
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import (
    SEEN_THROUGH_COAT,
    ior_below_coat,
    roughness_below_coat,
    seen_through_coat,
)
from fenrain.core.models.schlick import schlick_caveat
from fenrain.core.optics.energy import CORE_F0, left_below, left_below_schlick, metallic_and_base
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, Caveat

BODY_SOURCE = "glTF 2.0 §B.3.5 and OpenPBR 1.1: base colour below a dielectric reflection"


def keeps_base(case: Case) -> bool:
    return (
        keeps_metal(case)
        and not is_coated(case)
        and not has_subsurface(case)
        and not is_transmissive(case)
        and not is_thin_walled(case)
        and case.is_at("base_weight", 1.0)
        and case.is_at("specular_color", (1.0, 1.0, 1.0))
        and (case.is_at("base_metalness", 0.0) or case.is_at("specular_weight", 1.0))
    )


def scales_base(case: Case) -> bool:
    return keeps_metal(case) and not keeps_base(case)


def folds_reflection(case: Case) -> bool:
    return not keeps_metal(case)


RULES.copy("metallic", "base_metalness", source="glTF 2.0 §B.3.5", when=keeps_metal)
RULES.copy(
    "base_color",
    "base_color",
    source=BODY_SOURCE,
    fidelity=EQUIVALENT,
    when=keeps_base,
    also=("base_metalness", "specular_roughness"),
    caveat=lambda p: schlick_caveat(CORE_F0 * np.ones(1), np.square(p.specular_roughness), p.base_metalness, p.base_color),
)


def _body(p: OpenPbr) -> Any:
    """Colour of the body; what goes through a sheet is not part of it."""
    subsurface = p.subsurface_weight * np.where(p.geometry_thin_walled, 0.5 * (1.0 - p.subsurface_scatter_anisotropy), 1.0)
    kept = 1.0 - np.where(p.geometry_thin_walled, p.subsurface_weight, 0.0)
    own = np.where(p.geometry_thin_walled, subsurface / np.maximum(kept + subsurface, 1e-6), subsurface)
    return p.base_color * p.base_weight * (1.0 - own) + p.subsurface_color * own


def _base_caveat(p: OpenPbr) -> Caveat:
    if np.any((p.base_metalness > 0) & (p.specular_color < 1)):
        return APPROXIMATED, "A metal of glTF has no tint near 82°; its colour is kept as it is when facing."
    if np.any((p.base_metalness > 0) & (p.specular_weight < 1)):
        return APPROXIMATED, "The weight of a metal's reflection can only darken its colour, which rises to white at grazing angles."
    if np.any(p.subsurface_weight * (1.0 - p.base_metalness) > 0) and not p.geometry_thin_walled:
        return APPROXIMATED, "glTF has no subsurface scattering; its colour joins that of the body."
    return curve_caveat(p)


BASE_TEXT = (
    "{base_color} × {base_weight}, with {subsurface_weight} of {subsurface_color}, or {transmission_color} where clear "
    "({transmission_weight}), as seen through {coat_weight} of coat, less what a reflection weakened by {specular_color} lets through "
    "besides; a metal ({base_metalness}) times {specular_weight}"
)
BASE_NEEDS = (*NEEDED, *SEEN_THROUGH_COAT, "subsurface_scatter_anisotropy")


def _base(p: OpenPbr, tint: Any) -> Any:
    body = _body(p) * passed_by_reflections(p)
    if np.any(p.transmission_weight):
        body = body * (1.0 - p.transmission_weight) + tint * p.transmission_weight
    passed = seen_through_coat(p)
    return np.clip(body * passed * (1.0 - p.base_metalness) + joined_here(p, True).metal(p, passed) * p.base_metalness, 0.0, 1.0)


@RULES.rule(
    "base_color",
    id="base",
    needs=BASE_NEEDS,
    fidelity=EQUIVALENT,
    text=BASE_TEXT + "; untinted where {transmission_depth} tints by depth",
    source=BODY_SOURCE,
    when=lambda case: scales_base(case) and keeps_depth(case),
    caveat=_base_caveat,
)
def base(p: OpenPbr) -> Any:
    return _base(p, tint_of_volume(p))


def _flat_caveat(p: OpenPbr) -> Caveat:
    if np.any((p.transmission_weight > 0) & (p.transmission_depth > 0) & (p.transmission_color < 1)) and not p.geometry_thin_walled:
        return APPROXIMATED, "Without a volume the tint cannot grow with the depth; that of one crossing of the stated depth is taken."
    return _base_caveat(p)


@RULES.rule(
    "base_color",
    id="base_of_sheet",
    needs=(*BASE_NEEDS, "transmission_depth"),
    fidelity=EQUIVALENT,
    text=BASE_TEXT + "; a sheet has no depth",
    source=BODY_SOURCE,
    when=lambda case: scales_base(case) and not keeps_depth(case),
    caveat=_flat_caveat,
)
def base_of_sheet(p: OpenPbr) -> Any:
    return _base(p, p.transmission_color)


def _folded(p: OpenPbr, held: bool) -> Any:
    alpha, passed = np.square(roughness_below_coat(p)), seen_through_coat(p)
    both = joined_here(p, held)
    left = (1.0 - both.coat) / (1.0 - both.carried)
    body = (1.0 - p.base_metalness) * _body(p) * passed * left_below(f0_from_ior(ior_below_coat(p)), alpha) * left
    metal = both.metal(p, passed)
    specular = (1.0 - p.base_metalness) * dielectric_of(p, held)[0] + p.base_metalness * metal
    return metallic_and_base(body, np.clip(specular, 0.0, 1.0), left_below_schlick(CORE_F0, alpha))


def _folds(case: Case, held: bool) -> bool:
    return folds_reflection(case) and loses_coat(case) is not held


for _held in (True, False):
    RULES.rule(
        "metallic",
        "base_color",
        id="folded" if _held else "folded_with_coat",
        needs=(*NEEDED, *SEEN_THROUGH_COAT, "subsurface_scatter_anisotropy"),
        fidelity=APPROXIMATED,
        text="the metallic and base colour whose body and F0 are nearest to those of {base_color}, {base_metalness}, {specular_ior}, "
        "{specular_weight}, {specular_color}, because core glTF reflects 4 % from every dielectric"
        + ("" if _held else "; with the F0 of {coat_weight} of coat ({coat_ior}), which has no place of its own"),
        source="KHR_materials_pbrSpecularGlossiness, Converting between workflows",
        when=partial(_folds, held=_held),
    )(partial(_folded, held=_held))
