"""USD's preview surface to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.additive import TYPICAL_FRESNEL
from fenrain.core.models.emission_and_opacity import IN_SCENE_UNITS, add_coated_emission_rule
from fenrain.core.models.open_pbr.inverse import base_reflection_for, below_rough_coat, one_gives_way
from fenrain.core.models.preview.parameters import PRESENCE, SPECULAR_WORKFLOW, Preview
from fenrain.core.models.schlick import schlick_caveat
from fenrain.core.optics.energy import left_below, left_below_schlick, metalness_of
from fenrain.core.optics.fresnel import FADING_F0, f0_from_ior, ior_from_f0, metal_of_colours, of_one_surface, tint_of_conductor
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("preview.to_hub", Preview)
USD = "UsdPreviewSurface 2.6"
NODE = "MaterialX 1.39: node graph of UsdPreviewSurface"


def by_metalness(case: Case) -> bool:
    return not by_specular(case)


def by_specular(case: Case) -> bool:
    return case.is_at("useSpecularWorkflow", SPECULAR_WORKFLOW)


# Metalness workflow


def _half_metal(p: Preview) -> Caveat:
    if np.any((p.metallic > 0.0) & (p.metallic < 1.0)):
        return APPROXIMATED, "Between metal and none the tint of this node's reflection follows neither; the share of the metal is kept."
    return None


@RULES.rule(
    "base_metalness",
    id="metalness",
    fidelity=EQUIVALENT,
    text="1 − (1 − {metallic})²",
    source=f"{NODE}: the body fades with (1 − metallic)², and the metal's F0 enters twice",
    when=by_metalness,
    caveat=lambda p: _half_metal(p),
)
def metalness(p: Preview) -> Any:
    return 1.0 - np.square(1.0 - p.metallic)


RULES.copy(
    "base_color",
    "diffuseColor",
    source=f"{USD}: diffuseColor",
    fidelity=EQUIVALENT,
    when=by_metalness,
    also=("metallic", "roughness", "ior"),
    caveat=lambda p: schlick_caveat(f0_from_ior(p.ior), np.square(p.roughness), p.metallic, p.diffuseColor),
)


@RULES.rule(
    "specular_color",
    id="tint",
    fidelity=EQUIVALENT,
    text="white, and for a metal ({metallic}) the tint near 82° of the one with {diffuseColor}",
    source=f"{NODE}: Gulbrandsen 2014 with the colour as its own edge; Kutz et al. 2021",
    when=by_metalness,
    caveat=lambda p: _half_metal(p),
)
def tint(p: Preview) -> Any:
    if not np.any(p.metallic):
        return np.ones(3)
    edge = np.clip(tint_of_conductor(*metal_of_colours(p.diffuseColor, p.diffuseColor)), 0.0, 1.0)
    share = 1.0 - np.square(1.0 - p.metallic)
    return 1.0 - share + edge * share


def _index(p: Preview, surfaces: int) -> Any:
    wanted = ior_from_f0(of_one_surface(f0_from_ior(p.ior))) if surfaces > 1 else p.ior
    ior, weight = base_reflection_for(wanted, p.clearcoat, p.ior)
    return ior, weight + (1.0 - weight) * p.metallic


@RULES.rule(
    "specular_ior",
    "specular_weight",
    id="index",
    needs=("metallic",),
    fidelity=EQUIVALENT,
    text="{ior}, times what a coat of the same index takes from it ({clearcoat})",
    source=f"{USD}: F0 = ((1 − n)/(1 + n))²; OpenPBR 1.1: the index below a coat is relative to it",
    when=lambda case: by_metalness(case) and not is_transmissive(case),
)
def index(p: Preview) -> Any:
    return _index(p, 1)


@RULES.rule(
    "specular_ior",
    "specular_weight",
    id="index_of_sheet",
    needs=("metallic",),
    fidelity=EQUIVALENT,
    text="{ior}, half of whose F0 is for each of the two surfaces that a sheet of OpenPBR has ({opacity}), times what a coat of the same "
    "index takes from it ({clearcoat})",
    source=f"{USD}: F0 = ((1 − n)/(1 + n))²; Born & Wolf §7.6: 2F/(1 + F)",
    when=lambda case: by_metalness(case) and is_transmissive(case),
)
def index_of_sheet(p: Preview) -> Any:
    return _index(p, 2)


# Specular workflow


def _reflection_caveat(p: Preview) -> Caveat:
    strongest = strongest_channel(p.specularColor)
    if np.any((strongest - p.specularColor.min(axis=-1, keepdims=True) > 0.02) & (metalness_of(p.diffuseColor, p.specularColor) < 1)):
        return APPROXIMATED, "The tint also colours grazing reflections in OpenPBR; in the source they are white."
    if np.any(strongest < 0.02):
        return APPROXIMATED, "The source reflects at grazing angles even where its F0 is 0; an index near 1 does not."
    return None


@RULES.rule(
    "specular_ior",
    "specular_weight",
    "specular_color",
    id="reflection",
    fidelity=EQUIVALENT,
    text="index whose F0 is the strongest channel of {specularColor}, below {clearcoat} of coat ({ior}); the rest as tint ({diffuseColor})",
    source=f"{USD}: specularColor is F0, F90 is 1",
    when=by_specular,
    caveat=_reflection_caveat,
)
def reflection(p: Preview) -> Any:
    strongest = strongest_channel(p.specularColor)
    metal = metalness_of(p.diffuseColor, p.specularColor)
    tint = np.where(strongest > 1e-6, p.specularColor / np.maximum(strongest, 1e-6), 1.0)
    index = ior_from_f0(strongest * (1.0 - metal) + 0.04 * metal)
    below, weight = base_reflection_for(index, p.clearcoat, p.ior)
    return below, weight + (1.0 - weight) * metal, tint * (1.0 - metal) + metal


@RULES.rule(
    "base_metalness",
    "base_color",
    id="body",
    fidelity=EQUIVALENT,
    text="metal where {specularColor} stands over no diffuse; else {diffuseColor}, with "
    "what the reflection lets through at {roughness} ({useSpecularWorkflow})",
    source=f"{NODE}: the body lies below the reflection; a bright reflection over black is a metal (common practice)",
    when=by_specular,
)
def body(p: Preview) -> Any:
    metal, alpha = metalness_of(p.diffuseColor, p.specularColor), np.square(p.roughness)
    here = left_below_schlick(p.specularColor.mean(axis=-1, keepdims=True), alpha)
    dielectric = p.diffuseColor * here / left_below(strongest_channel(p.specularColor), alpha)
    return metal, np.clip(dielectric * (1.0 - metal) + p.specularColor * metal, 0.0, 1.0)


# Roughness and coat


def is_coated(case: Case) -> bool:
    return not case.is_at("clearcoat", 0.0)


RULES.copy("specular_roughness", "roughness", source=f"{USD} and OpenPBR 1.1: α = r²", when=lambda case: not is_coated(case))


@RULES.rule(
    "specular_roughness",
    "coat_roughness",
    id="roughness_below_coat",
    needs=("diffuseColor", "metallic", "specularColor"),
    fidelity=EQUIVALENT,
    text="{roughness}, less what {clearcoat} of OpenPBR's coat spreads at {clearcoatRoughness}; that coat sharper where it would spread "
    "the base too much ({useSpecularWorkflow})",
    source=f"{USD} and OpenPBR 1.1: α = r²; OpenPBR 1.1: (2 rc⁴ + r⁴)^¼ below a coat",
    when=is_coated,
    caveat=lambda p: one_gives_way(p.roughness, p.clearcoat, p.clearcoatRoughness),
)
def roughness_below_coat(p: Preview) -> Any:
    if p.useSpecularWorkflow == SPECULAR_WORKFLOW:
        reflected = np.maximum(p.specularColor.mean(axis=-1, keepdims=True), TYPICAL_FRESNEL)
    else:
        reflected = (p.diffuseColor.mean(axis=-1, keepdims=True) - TYPICAL_FRESNEL) * p.metallic + TYPICAL_FRESNEL
    return below_rough_coat(p.roughness, p.clearcoat, p.clearcoatRoughness, below=reflected, above=TYPICAL_FRESNEL * p.clearcoat)


RULES.copy("coat_weight", "clearcoat", source=f"{USD}: clearcoat")


def _coat_caveat(p: Preview) -> Caveat:
    f0 = f0_from_ior(p.ior)
    if np.any(f0 < FADING_F0):
        return APPROXIMATED, "The source's coat reflects at grazing angles even where its F0 is near 0; an index near 1 does not."
    return schlick_caveat((1.0 + p.clearcoat) * f0, np.square(p.clearcoatRoughness), p.metallic, p.diffuseColor)


@RULES.rule(
    "coat_ior",
    "coat_darkening",
    id="coat",
    needs=("clearcoatRoughness", "diffuseColor", "metallic"),
    fidelity=EQUIVALENT,
    text="{ior}, without darkening ({clearcoat})",
    source=f"{NODE}: the coat's F0 is that of ior",
    when=is_coated,
    caveat=_coat_caveat,
)
def coat(p: Preview) -> Any:
    return p.ior, 0.0


# Glow, opacity, relief


def is_emissive(case: Case) -> bool:
    return case.is_set("emissiveColor")


@RULES.rule(
    "emission_color",
    "emission_luminance",
    id="emission",
    fidelity=EQUIVALENT,
    text="{emissiveColor}, once",
    source=f"{USD}: emissiveColor; {IN_SCENE_UNITS}",
    when=lambda case: is_emissive(case) and not is_coated(case),
)
def emission(p: Preview) -> Any:
    return p.emissiveColor, 1.0


add_coated_emission_rule(RULES, lambda p: (p.clearcoat, p.ior), ("clearcoat", "ior"), is_coated, emission="emissiveColor")


SHARP = 0.25
"""Roughness below which a clear sheet of OpenPBR shows what lies behind about as sharply as the preview surface does."""


def opens(case: Case) -> bool:
    return case.is_at("opacityMode", PRESENCE) or not case.is_at("opacityThreshold", 0.0)


def is_transmissive(case: Case) -> bool:
    return not opens(case) and not case.is_at("opacity", 1.0) and case.is_below("roughness", SHARP)


def fades(case: Case) -> bool:
    return not opens(case) and not case.is_at("opacity", 1.0) and not is_transmissive(case)


@RULES.rule(
    "geometry_opacity",
    id="opening",
    fidelity=EXACT,
    text="{opacity}, open below {opacityThreshold} where that is above 0 ({opacityMode})",
    source=f"{USD}: opacityThreshold, opacityMode presence",
    when=opens,
)
def opening(p: Preview) -> Any:
    return np.where(p.opacityThreshold > 0, np.where(p.opacity >= p.opacityThreshold, 1.0, 0.0), p.opacity)


@RULES.rule(
    "transmission_weight",
    "geometry_thin_walled",
    id="transparency",
    fidelity=APPROXIMATED,
    text="1 − {opacity} clear, as a sheet ({opacityMode}); what goes through is blurred as much as what is reflected",
    source=f"{USD}: transparent keeps the reflection",
    when=is_transmissive,
)
def transparency(p: Preview) -> Any:
    return 1.0 - p.opacity, True


@RULES.rule(
    "geometry_opacity",
    id="fading",
    fidelity=APPROXIMATED,
    text="{opacity} ({opacityMode}): a sheet as rough as this would blur what lies behind, so the reflection fades as well",
    source=f"{USD}: transparent keeps the reflection",
    when=fades,
)
def fading(p: Preview) -> Any:
    return p.opacity


RULES.copy("geometry_normal", "normal", source=f"{USD}: normal")
RULES.copy("occlusion", "occlusion", source=f"{USD}: occlusion")
RULES.drop("displacement", why="OpenPBR does not move the surface; the scene does.", nearest="left out")
