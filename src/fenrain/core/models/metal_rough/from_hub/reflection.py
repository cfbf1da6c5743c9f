"""The reflection of the base, and how wide it is."""

from functools import partial
from typing import Any

import numpy as np

from fenrain.core.models.metal_rough.coat import NEEDED, joined_here, said
from fenrain.core.models.metal_rough.from_hub.allowed import ANISOTROPY, IOR, RULES, SPECULAR, loses_coat, reflects_plainly
from fenrain.core.models.open_pbr.cases import (
    has_interior,
    is_coated,
    is_transmissive,
)
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import (
    ior_below_coat,
    roughness_below_coat,
)
from fenrain.core.models.schlick import THROUGH, schlick_caveat
from fenrain.core.optics.energy import CORE_F0
from fenrain.core.optics.fresnel import FADING_F0, f0_from_ior, ior_from_f0, modulated_ior
from fenrain.core.optics.microfacet import roughness_from_widths_gltf
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.values import Constant, Value

LEAST_F0 = 1e-5
"""Of an index, below which it reflects nothing that a tint could scale."""
REFLECTION_VALUES = ("specular_ior", "specular_weight", "specular_color", "coat_weight", "coat_ior")


def has_reflection_map(case: Case) -> bool:
    return any(case.has_map(name) for name in REFLECTION_VALUES)


def _by_number(case: Case) -> bool:
    return case.allows(SPECULAR) and case.allows(IOR) and not reflects_plainly(case) and not has_reflection_map(case)


def bends_by_an_index_of_its_own(case: Case) -> bool:
    """Whether a clear body's index cannot be that of its reflection: below a coat, or where the reflection fades with a small index."""
    return is_transmissive(case) and has_interior(case) and (is_coated(case) or _reflection_fades(case))


def _reflection_fades(case: Case) -> bool:
    stated = [case.value(name) for name in ("specular_ior", "specular_weight")]
    index = modulated_ior(*(float(value.value) for value in stated if isinstance(value, Constant)))  # type: ignore[arg-type]
    return bool(index >= 1.0 and f0_from_ior(index) < FADING_F0)


def says_reflection(case: Case) -> bool:
    return _by_number(case) and not bends_by_an_index_of_its_own(case)


def says_reflection_beside_index(case: Case) -> bool:
    return _by_number(case) and bends_by_an_index_of_its_own(case)


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


def curve_caveat(p: OpenPbr) -> Caveat:
    """What to say of glTF's Schlick curve where OpenPBR's exact one was."""
    through = p.transmission_weight * THROUGH * p.transmission_color
    body = p.base_color * p.base_weight * (1.0 - p.transmission_weight) + through
    return schlick_caveat(said(p)[0], np.square(roughness_below_coat(p)), p.base_metalness, body)


def _tint_caveat(p: OpenPbr) -> Caveat:
    if p.specular_ior.min() < 1.0 and p.transmission_weight.max() > 0.0 and not p.geometry_thin_walled:
        return APPROXIMATED, "glTF knows no index below 1: what bends light away from the normal here bends it towards that there."
    if np.ptp(p.specular_color, axis=-1).max() > 0.02:
        return APPROXIMATED, "The tint also colours grazing reflections in OpenPBR; in glTF they stay white."
    if p.geometry_thin_walled:
        return APPROXIMATED, "The reflection of two surfaces rises sooner towards grazing angles than Schlick's curve does."
    return curve_caveat(p)


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
    id="reflection_beside_index",
    needs=NEEDED,
    fidelity=EQUIVALENT,
    text="{specular_ior} below {coat_weight} of {coat_ior} for what it bends; the tint is F0 with what glTF's coat cannot reflect ÷ that "
    "of the index, {specular_color} and {specular_weight} in it",
    source="KHR_materials_specular: F0 = min(F0(ior) · specularColor, 1) · specular",
    when=says_reflection_beside_index,
    caveat=_tint_caveat,
)
def reflection_beside_index(p: OpenPbr) -> Any:
    f0, strength, tint = said(p)
    bent = ior_below_coat(p)
    of_index = f0_from_ior(bent)
    return bent, strength, np.where(of_index > LEAST_F0, tint * f0 / np.maximum(of_index, LEAST_F0), 1.0)


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
