"""OpenPBR to glTF metallic-roughness, with whatever extensions the target allows."""

from functools import partial
from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.emission_and_opacity import BLENDED, CUT_OUT_MODE, OPAQUE
from fenrain.core.models.metal_rough.coat import (
    NEEDED,
    clearcoat_of,
    dielectric_of,
    joined_here,
    passed_by_reflections,
    said,
)
from fenrain.core.models.metal_rough.surface import CLEARCOAT_IOR
from fenrain.core.models.open_pbr.cases import (
    has_interior,
    has_subsurface,
    is_coated,
    is_fuzzy,
    is_thin_walled,
    is_translucent_thin_wall,
    is_transmissive,
)
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import (
    SEEN_THROUGH_COAT,
    emission_through_coat,
    ior_below_coat,
    roughness_below_coat,
    seen_through_coat,
)
from fenrain.core.models.registry import rule_of
from fenrain.core.models.schlick import THROUGH, schlick_caveat
from fenrain.core.optics.energy import CORE_F0, left_below, left_below_schlick, metallic_and_base
from fenrain.core.optics.fresnel import f0_from_ior, ior_from_f0
from fenrain.core.optics.microfacet import roughness_from_widths_gltf
from fenrain.core.optics.sheen import sheen_of_fuzz
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet
from fenrain.core.values import Computed, Constant, Value

RULES = RuleSet("metal_rough.from_hub", OpenPbr)
SPECULAR, IOR = "KHR_materials_specular", "KHR_materials_ior"
CLEARCOAT, SHEEN = "KHR_materials_clearcoat", "KHR_materials_sheen"
ANISOTROPY, STRENGTH = "KHR_materials_anisotropy", "KHR_materials_emissive_strength"
TRANSMISSION, VOLUME, DISPERSION = "KHR_materials_transmission", "KHR_materials_volume", "KHR_materials_dispersion"
DIFFUSE_TRANSMISSION, IRIDESCENCE = "KHR_materials_diffuse_transmission", "KHR_materials_iridescence"

BODY_SOURCE = "glTF 2.0 §B.3.5 and OpenPBR 1.1: base colour below a dielectric reflection"


# Body and metal: copied where the target can say the reflection, solved for where it cannot.


def reflects_plainly(case: Case) -> bool:
    """The reflection that core glTF has anyway: index 1.5, full strength, untinted, and no coat above it."""
    return (
        case.is_at("specular_ior", 1.5)
        and case.is_at("specular_weight", 1.0)
        and case.is_at("specular_color", (1.0, 1.0, 1.0))
        and not is_coated(case)
        and not has_subsurface(case)
        and not is_transmissive(case)
        and not is_thin_walled(case)
    )


def keeps_metal(case: Case) -> bool:
    return case.allows(SPECULAR) or reflects_plainly(case)


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


def keeps_coat(case: Case) -> bool:
    return is_coated(case) and case.allows(CLEARCOAT)


def loses_coat(case: Case) -> bool:
    return is_coated(case) and not case.allows(CLEARCOAT)


def keeps_depth(case: Case) -> bool:
    """Whether what tints by depth can do so: a body with an inside, where the target has volumes."""
    return has_interior(case) and case.allows(VOLUME)


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


def _schlick(p: OpenPbr) -> Caveat:
    through = p.transmission_weight * THROUGH * p.transmission_color
    body = p.base_color * p.base_weight * (1.0 - p.transmission_weight) + through
    return schlick_caveat(said(p)[0], np.square(roughness_below_coat(p)), p.base_metalness, body)


def _base_caveat(p: OpenPbr) -> Caveat:
    if np.any((p.base_metalness > 0) & (p.specular_color < 1)):
        return APPROXIMATED, "A metal of glTF has no tint near 82°; its colour is kept as it is when facing."
    if np.any((p.base_metalness > 0) & (p.specular_weight < 1)):
        return APPROXIMATED, "The weight of a metal's reflection can only darken its colour, which rises to white at grazing angles."
    if np.any(p.subsurface_weight * (1.0 - p.base_metalness) > 0) and not p.geometry_thin_walled:
        return APPROXIMATED, "glTF has no subsurface scattering; its colour joins that of the body."
    return _schlick(p)


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


def _tint_of_volume(p: OpenPbr) -> Any:
    """What tints at the surface where a depth is not: the volume tints elsewhere."""
    return np.where(p.transmission_depth > 0, 1.0, p.transmission_color)


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
    return _base(p, _tint_of_volume(p))


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


# Reflection

REFLECTION_VALUES = ("specular_ior", "specular_weight", "specular_color", "coat_weight", "coat_ior")


def has_reflection_map(case: Case) -> bool:
    return any(case.has_map(name) for name in REFLECTION_VALUES)


def _by_number(case: Case) -> bool:
    return case.allows(SPECULAR) and case.allows(IOR) and not reflects_plainly(case) and not has_reflection_map(case)


def is_coated_glass(case: Case) -> bool:
    return is_coated(case) and is_transmissive(case) and has_interior(case)


def says_reflection(case: Case) -> bool:
    return _by_number(case) and not is_coated_glass(case)


def says_reflection_of_coated_glass(case: Case) -> bool:
    return _by_number(case) and is_coated_glass(case)


def _by_map(case: Case) -> bool:
    return case.allows(SPECULAR) and case.allows(IOR) and has_reflection_map(case)


def says_reflection_by_map(case: Case) -> bool:
    return _by_map(case) and not is_transmissive(case)


def says_reflection_by_map_of_glass(case: Case) -> bool:
    """Glass needs its index for what it bends, so that the index cannot be spent on the reflection."""
    return _by_map(case) and is_transmissive(case) and not case.has_map("specular_ior")


def says_tint_alone(case: Case) -> bool:
    of_glass = _by_map(case) and is_transmissive(case) and case.has_map("specular_ior")
    return of_glass or (case.allows(SPECULAR) and not case.allows(IOR) and not reflects_plainly(case))


def _tint_caveat(p: OpenPbr) -> Caveat:
    if np.ptp(p.specular_color, axis=-1).max() > 0.02:
        return APPROXIMATED, "The tint also colours grazing reflections in OpenPBR; in glTF they stay white."
    if p.geometry_thin_walled:
        return APPROXIMATED, "The reflection of two surfaces rises sooner towards grazing angles than Schlick's curve does."
    return _schlick(p)


@RULES.rule(
    "ior",
    "specular",
    "specular_color",
    id="reflection",
    needs=NEEDED,
    fidelity=EQUIVALENT,
    text="index with the F0 of {specular_ior} at {specular_weight} below {coat_weight} of coat, with what glTF's coat cannot reflect of "
    "{coat_ior}, and {specular_color}; strength that of its strongest channel, fading with an F0 below 2 %; of a sheet both surfaces, "
    "since glTF's reflects once",
    source="KHR_materials_ior, KHR_materials_specular; OpenPBR 1.1: specular_weight scales F0; Born & Wolf §7.6: 2F/(1 + F)",
    when=says_reflection,
    caveat=_tint_caveat,
)
def reflection(p: OpenPbr) -> Any:
    f0, strength, tint = said(p)
    return ior_from_f0(f0), strength, tint


@RULES.rule(
    "ior",
    "specular",
    "specular_color",
    id="reflection_of_coated_glass",
    needs=NEEDED,
    fidelity=EQUIVALENT,
    text="{specular_ior} below {coat_weight} of {coat_ior} for what it bends; the tint is F0 with what glTF's coat cannot reflect ÷ that "
    "of the index, {specular_color} and {specular_weight} in it",
    source="KHR_materials_specular: F0 = min(F0(ior) · specularColor, 1) · specular",
    when=says_reflection_of_coated_glass,
    caveat=_tint_caveat,
)
def reflection_of_coated_glass(p: OpenPbr) -> Any:
    f0, strength, tint = said(p)
    bent = ior_below_coat(p)
    return bent, strength, tint * f0 / np.maximum(f0_from_ior(bent), 1e-6)


@RULES.choose(
    "ior",
    "specular_ior",
    id="whole_reflection",
    fidelity=EQUIVALENT,
    text="0, which stands for an F0 of 1, so that the tint is the whole F0",
    source="KHR_materials_ior: 0 is F0 = 1; an index cannot be a map",
    when=says_reflection_by_map,
)
def whole_reflection(specular_ior: Value) -> float:
    return 0.0


@RULES.rule(
    "specular",
    "specular_color",
    id="reflection_by_map",
    needs=NEEDED,
    fidelity=EQUIVALENT,
    text="{specular_color} × F0 of {specular_ior} at {specular_weight} below {coat_weight} of coat; strength fading with an F0 below 2 %",
    source="KHR_materials_specular: F0 = specularColor · specular where F0(ior) = 1",
    when=says_reflection_by_map,
    caveat=_tint_caveat,
)
def reflection_by_map(p: OpenPbr) -> Any:
    f0, strength, tint = said(p)
    return strength, tint * f0


RULES.copy("ior", "specular_ior", source="KHR_materials_ior", when=says_reflection_by_map_of_glass)


@RULES.rule(
    "specular",
    "specular_color",
    id="reflection_by_map_of_glass",
    needs=NEEDED,
    fidelity=EQUIVALENT,
    text="{specular_color} × F0 at {specular_weight} below {coat_weight} of coat ÷ that of {specular_ior} alone; strength fading with an "
    "F0 below 2 %",
    source="KHR_materials_specular: F0 = min(F0(ior) · specularColor, 1) · specular",
    when=says_reflection_by_map_of_glass,
    caveat=_tint_caveat,
)
def reflection_by_map_of_glass(p: OpenPbr) -> Any:
    f0, strength, tint = said(p)
    return strength, tint * f0 / np.maximum(f0_from_ior(p.specular_ior), 1e-6)


@RULES.rule(
    "specular",
    "specular_color",
    id="tint_alone",
    needs=NEEDED,
    fidelity=EQUIVALENT,
    text="{specular_color} × F0 of {specular_ior} at {specular_weight} ÷ 0.04, because the index stays 1.5",
    source="KHR_materials_specular: F0 = min(0.04 · specularColor, 1) · specular",
    when=says_tint_alone,
    caveat=_tint_caveat,
)
def tint_alone(p: OpenPbr) -> Any:
    f0, strength, tint = said(p)
    return strength, tint * f0 / CORE_F0


def stretches(case: Case) -> bool:
    return case.is_set("specular_roughness_anisotropy") and not case.is_at("specular_roughness_anisotropy", 0.0)


def keeps_roughness(case: Case) -> bool:
    return not stretches(case) and not is_coated(case)


def stretches_here(case: Case) -> bool:
    return stretches(case) and case.allows(ANISOTROPY)


def averages_roughness(case: Case) -> bool:
    return not keeps_roughness(case) and not stretches_here(case)


RULES.copy("roughness", "specular_roughness", source="glTF 2.0 §B.3.1 and OpenPBR 1.1: α = r²", when=keeps_roughness)


WIDTHS_NEEDED = (*NEEDED, "specular_roughness_anisotropy", "coat_roughness_anisotropy")


def _widths_caveat(p: OpenPbr) -> Caveat:
    return (APPROXIMATED, ONE_FOR_BOTH) if np.any(joined_here(p, True).is_coat) else None


ONE_FOR_BOTH = "What glTF's coat cannot reflect is more than the base does; one width stands for both."


@RULES.rule(
    "roughness",
    "anisotropy_strength",
    id="widths",
    needs=WIDTHS_NEEDED,
    fidelity=EXACT,
    text="the pair with the widths of {specular_roughness}, {specular_roughness_anisotropy} below {coat_roughness} of coat, or of the coat "
    "where more of that is left than glTF's reflects",
    source="OpenPBR 1.1; KHR_materials_anisotropy: (mix(r², 1, s²), r²)",
    when=stretches_here,
    caveat=_widths_caveat,
)
def widths(p: OpenPbr) -> Any:
    return roughness_from_widths_gltf(*joined_here(p, True).widths(p))


RULES.copy(
    "anisotropy_rotation",
    "geometry_tangent_rotation",
    source="KHR_materials_anisotropy: from the tangent, counter-clockwise",
    when=stretches_here,
)


def _mean_caveat(p: OpenPbr, held: bool) -> Caveat:
    if p.specular_roughness_anisotropy.max() > 0:
        return None
    if np.any(joined_here(p, held).is_coat):
        return APPROXIMATED, ONE_FOR_BOTH
    return EQUIVALENT, "The base as a rough coat spreads it."


def _mean_roughness(p: OpenPbr, held: bool) -> Any:
    alpha_x, alpha_y = joined_here(p, held).widths(p)
    return np.sqrt(np.sqrt(alpha_x * alpha_y))


def _averages(case: Case, held: bool) -> bool:
    return averages_roughness(case) and loses_coat(case) is not held


for _held in (True, False):
    RULES.rule(
        "roughness",
        id="mean_roughness" if _held else "mean_roughness_with_coat",
        needs=WIDTHS_NEEDED,
        fidelity=APPROXIMATED,
        text="width between those along and across, of {specular_roughness}, {specular_roughness_anisotropy} below {coat_roughness} of "
        "coat, or that of the coat, whichever sends more of what " + ("glTF's own coat leaves" if _held else "has to stand for both"),
        source="OpenPBR 1.1: (2 rc⁴ + r⁴)^¼; the geometric mean keeps the height of the highlight",
        when=partial(_averages, held=_held),
        caveat=partial(_mean_caveat, held=_held),
    )(partial(_mean_roughness, held=_held))


RULES.drop("base_diffuse_roughness", why="glTF has a Lambert body only.", nearest="Lambert")


# Coat


@RULES.rule(
    "clearcoat",
    id="clearcoat",
    needs=NEEDED,
    fidelity=APPROXIMATED,
    text="{coat_weight}, scaled to reflect on average what {coat_ior} does at {coat_roughness}; none where the base is better at it, "
    "because its own reflection ({specular_ior}, {specular_weight}) is less than what that coat would miss",
    source="KHR_materials_clearcoat: a fixed index of 1.5",
    when=keeps_coat,
)
def clearcoat(p: OpenPbr) -> Any:
    return clearcoat_of(p)


RULES.copy("clearcoat_roughness", "coat_roughness", source="KHR_materials_clearcoat", when=keeps_coat)
RULES.copy("clearcoat_normal", "geometry_coat_normal", source="KHR_materials_clearcoat", when=keeps_coat)
RULES.drop("coat_weight", why="core glTF has no coat.", nearest="its reflection joins that of the base", when=loses_coat)
RULES.drop("coat_roughness_anisotropy", why="glTF's coat is isotropic.", nearest="its roughness along both ways")


# Fuzz


def keeps_fuzz(case: Case) -> bool:
    return is_fuzzy(case) and case.allows(SHEEN)


def loses_fuzz(case: Case) -> bool:
    return is_fuzzy(case) and not case.allows(SHEEN)


@RULES.rule(
    "sheen_color",
    "sheen_roughness",
    id="sheen",
    fidelity=APPROXIMATED,
    text="the sheen nearest to {fuzz_weight} × {fuzz_color} of fuzz at {fuzz_roughness}",
    source="OpenPBR 1.1 (Zeltner et al. 2022); KHR_materials_sheen (Estevez & Kulla 2017, roughness squared); fitted to each other",
    when=keeps_fuzz,
)
def sheen(p: OpenPbr) -> Any:
    nearest, strength = sheen_of_fuzz(p.fuzz_roughness)
    return np.clip(p.fuzz_color * p.fuzz_weight * strength, 0.0, 1.0), np.sqrt(nearest)


RULES.drop("fuzz_weight", why="core glTF has no sheen.", nearest="the surface without it", when=loses_fuzz)


# Transmission and volume


def keeps_transmission(case: Case) -> bool:
    return is_transmissive(case) and case.allows(TRANSMISSION)


def keeps_transmissive_body(case: Case) -> bool:
    return keeps_transmission(case) and has_interior(case) and case.allows(VOLUME)


def loses_transmission(case: Case) -> bool:
    return is_transmissive(case) and not case.allows(TRANSMISSION)


def has_volume(case: Case) -> bool:
    return keeps_transmissive_body(case) and not case.is_at("transmission_depth", 0.0)


def flattens_body(case: Case) -> bool:
    return keeps_transmission(case) and has_interior(case) and not case.allows(VOLUME)


TRANSMISSION_TEXT = (
    "how much of {transmission_weight} × {transmission_color} and of the body beside it, {base_color} × {base_weight}, goes through: one "
    "base colour is that of both"
)
TRANSMISSION_SOURCE = "KHR_materials_transmission: base colour × transmission goes through, base colour × (1 − transmission) comes back"


def _part_clear(p: OpenPbr, tint: Any) -> Caveat:
    body = p.base_color * p.base_weight
    partly = (p.transmission_weight > 0.0) & (p.transmission_weight < 1.0)
    if np.any(partly & (np.abs(body / np.maximum(body.max(axis=-1, keepdims=True), 1e-6) - tint) > 0.02)):
        return APPROXIMATED, "What goes through and what comes back differ in colour; in glTF they share one."
    return None


def _share_through(p: OpenPbr, tint: Any) -> Any:
    clear = p.transmission_weight * tint * np.ones(3)
    opaque = (1.0 - p.transmission_weight) * p.base_color * p.base_weight
    through, whole = (part.sum(axis=-1, keepdims=True) for part in (clear, clear + opaque))
    return np.where(whole > 1e-6, through / np.maximum(whole, 1e-6), p.transmission_weight)


@RULES.rule(
    "transmission",
    id="transmission",
    fidelity=EQUIVALENT,
    text=TRANSMISSION_TEXT + " ({transmission_depth})",
    source=TRANSMISSION_SOURCE,
    when=lambda case: keeps_transmission(case) and keeps_depth(case),
    caveat=lambda p: _part_clear(p, _tint_of_volume(p)),
)
def transmission(p: OpenPbr) -> Any:
    return _share_through(p, _tint_of_volume(p))


@RULES.rule(
    "transmission",
    id="transmission_of_sheet",
    fidelity=EQUIVALENT,
    text=TRANSMISSION_TEXT,
    source=TRANSMISSION_SOURCE,
    when=lambda case: keeps_transmission(case) and not keeps_depth(case),
    caveat=lambda p: _part_clear(p, p.transmission_color),
)
def transmission_of_sheet(p: OpenPbr) -> Any:
    return _share_through(p, p.transmission_color)


@RULES.rule(
    "thickness",
    id="thickness",
    fidelity=EQUIVALENT,
    text="1: the body has an inside ({transmission_weight}, {geometry_thin_walled}); what traces light takes the mesh's own depth",
    source="KHR_materials_volume: a thickness above 0 makes the mesh the boundary of a volume",
    when=keeps_transmissive_body,
)
def thickness(p: OpenPbr) -> Any:
    return 1.0


RULES.copy("attenuation_color", "transmission_color", source="KHR_materials_volume: C^(x/D)", when=has_volume)
RULES.copy("attenuation_distance", "transmission_depth", source="KHR_materials_volume: C^(x/D)", when=has_volume)
RULES.drop("geometry_thin_walled", why="without KHR_materials_volume everything clear is a sheet.", nearest="a sheet", when=flattens_body)
RULES.drop("transmission_scatter", why="glTF's volume absorbs, it does not scatter.", nearest="absorption alone", when=is_transmissive)
RULES.drop("transmission_scatter_anisotropy", why="glTF's volume does not scatter.", nearest="left out", when=is_transmissive)


@RULES.rule(
    "dispersion",
    id="dispersion",
    fidelity=EXACT,
    text="20 ÷ {transmission_dispersion_abbe_number} × {transmission_dispersion_scale}",
    source="KHR_materials_dispersion: 20/V",
    when=lambda case: keeps_transmissive_body(case) and case.allows(DISPERSION),
)
def dispersion(p: OpenPbr) -> Any:
    return 20.0 * p.transmission_dispersion_scale / np.maximum(p.transmission_dispersion_abbe_number, 1e-3)


def keeps_sheet(case: Case) -> bool:
    return is_translucent_thin_wall(case) and case.allows(DIFFUSE_TRANSMISSION)


def loses_sheet(case: Case) -> bool:
    return is_translucent_thin_wall(case) and not case.allows(DIFFUSE_TRANSMISSION)


@RULES.rule(
    "diffuse_transmission",
    "diffuse_transmission_color",
    id="through_sheet",
    fidelity=EQUIVALENT,
    text="the share of {subsurface_weight} that goes through, (1 + {subsurface_scatter_anisotropy}) ÷ 2, and {subsurface_color} "
    "({geometry_thin_walled})",
    source="OpenPBR 1.1: thin-walled subsurface; KHR_materials_diffuse_transmission",
    when=keeps_sheet,
)
def through_sheet(p: OpenPbr) -> Any:
    return p.subsurface_weight * 0.5 * (1.0 + p.subsurface_scatter_anisotropy), p.subsurface_color


RULES.drop(
    "geometry_thin_walled",
    id="drop_geometry_thin_walled_in_core",
    why="core glTF lets no light through.",
    nearest="the front alone",
    when=loses_sheet,
)
RULES.drop("subsurface_radius", why="glTF has no subsurface scattering.", nearest="its colour as body", when=has_subsurface)
RULES.drop("subsurface_radius_scale", why="glTF has no subsurface scattering.", nearest="its colour as body", when=has_subsurface)


def has_film(case: Case) -> bool:
    return case.allows(IRIDESCENCE) and not case.is_at("thin_film_weight", 0.0)


RULES.copy("iridescence", "thin_film_weight", source=IRIDESCENCE, when=has_film)
RULES.copy("iridescence_ior", "thin_film_ior", source=IRIDESCENCE, when=has_film)


@RULES.rule("iridescence_thickness", id="film", fidelity=EXACT, text="{thin_film_thickness} µm in nm", source=IRIDESCENCE, when=has_film)
def film(p: OpenPbr) -> Any:
    return p.thin_film_thickness * 1000.0


# Glow


def is_emissive(case: Case) -> bool:
    return case.is_set("emission_color") and not case.is_at("emission_luminance", 0.0)


def is_emissive_at_strength(case: Case) -> bool:
    return is_emissive(case) and case.allows(STRENGTH)


def is_emissive_in_core(case: Case) -> bool:
    return is_emissive(case) and not case.allows(STRENGTH)


def is_emissive_plainly(case: Case) -> bool:
    return is_emissive_at_strength(case) and not case.exceeds("emission_color", 1.0) and not is_coated(case)


def is_emissive_brightly(case: Case) -> bool:
    return is_emissive_at_strength(case) and not is_emissive_plainly(case)


RULES.copy("emissive", "emission_color", source="glTF 2.0 §3.9.3", when=is_emissive_plainly)
RULES.copy("emissive_strength", "emission_luminance", source="KHR_materials_emissive_strength", when=is_emissive_plainly)
EMISSION_NEEDS = (*NEEDED, "coat_color")


def _through(p: OpenPbr, held: bool) -> Any:
    """What OpenPBR's coat leaves of own light, over what glTF's does."""
    carried = clearcoat_of(p) * f0_from_ior(CLEARCOAT_IOR) if held else 0.0
    return emission_through_coat(p) / (1.0 - carried)


@RULES.rule(
    "emissive",
    "emissive_strength",
    id="bright_emission",
    needs=EMISSION_NEEDS,
    fidelity=EQUIVALENT,
    text="{emission_color} as seen through {coat_weight} of coat ({coat_ior}, {coat_color}), ÷ its strongest channel where that is above "
    "1, which {emission_luminance} is multiplied by",
    source="glTF 2.0 §3.9.3: emissiveFactor is at most 1; KHR_materials_emissive_strength; KHR_materials_clearcoat",
    when=is_emissive_brightly,
)
def bright_emission(p: OpenPbr) -> Any:
    seen = p.emission_color * _through(p, True)
    strongest = np.maximum(strongest_channel(seen), 1.0)
    return seen / strongest, p.emission_luminance * strongest


def _dim_caveat(p: OpenPbr) -> Caveat:
    wanted = (p.emission_color * p.emission_luminance).max()
    if wanted > 1:
        return APPROXIMATED, f"Core glTF stops at display white; {wanted:.4g} × white is dimmed to it, its hue kept."
    if np.any(p.transmission_weight * wanted > 0.0):
        return APPROXIMATED, "Blended glass of core glTF fades with its own light."
    return None


@RULES.rule(
    "emissive",
    id="dim_emission",
    needs=EMISSION_NEEDS,
    fidelity=EXACT,
    text="{emission_color} × {emission_luminance} as seen through {coat_weight} of coat ({coat_ior}, {coat_color}), its strongest channel "
    "at most 1",
    source="glTF 2.0 §3.9.3: emissiveFactor is at most 1",
    when=is_emissive_in_core,
    caveat=_dim_caveat,
)
def dim_emission(p: OpenPbr) -> Any:
    radiance = p.emission_color * p.emission_luminance * _through(p, False)
    return np.maximum(radiance, 0.0) / np.maximum(strongest_channel(radiance), 1.0)


# Cut-out and relief


def has_openings(case: Case) -> bool:
    return case.is_set("geometry_opacity") and not loses_transmission(case)


@RULES.choose(
    "alpha_mode",
    "geometry_opacity",
    id="alpha_mode",
    fidelity=EXACT,
    text="opaque, cut-out or blended, as {geometry_opacity} asks",
    source="glTF 2.0 §3.9.4",
    when=has_openings,
)
def alpha_mode(geometry_opacity: Value) -> int:
    if geometry_opacity == Constant(1.0):
        return OPAQUE
    made_by_cutting = isinstance(geometry_opacity, Computed) and rule_of(geometry_opacity.rule).binary
    return CUT_OUT_MODE if made_by_cutting or geometry_opacity == Constant(0.0) else BLENDED


RULES.copy("alpha", "geometry_opacity", source="glTF 2.0 §3.9.4", when=has_openings)


@RULES.rule(
    "alpha_mode",
    "alpha",
    id="blended_glass",
    fidelity=APPROXIMATED,
    text="blended, {geometry_opacity} × (1 − {transmission_weight}): what lies behind shows straight through, without tint, and the "
    "reflection fades as well",
    source="glTF 2.0 §3.9.4: core glTF has no transmission",
    when=loses_transmission,
)
def blended_glass(p: OpenPbr) -> Any:
    return BLENDED, p.geometry_opacity * (1.0 - p.transmission_weight)


RULES.drop("transmission_color", why="core glTF has no transmission, so nothing tints it.", nearest="clear", when=loses_transmission)
RULES.copy("normal", "geometry_normal", source="glTF 2.0 §3.9.3")
RULES.copy("occlusion", "occlusion", source="glTF 2.0 §3.9.3")
