"""OpenPBR to USD's preview surface."""

from typing import Any

import numpy as np

from fenrain.core.models.emission_and_opacity import IN_SCENE_UNITS
from fenrain.core.models.open_pbr.cases import has_subsurface, is_coated, is_emissive, is_fuzzy, is_thin_walled, is_transmissive
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import (
    IOR_BELOW_COAT,
    ROUGHNESS_BELOW_COAT,
    SEEN_THROUGH_COAT,
    emission_through_coat,
    ior_below_coat,
    roughness_below_coat,
    seen_through_coat,
)
from fenrain.core.models.preview.parameters import DEFAULT_IOR, PRESENCE, SPECULAR_WORKFLOW, TRANSPARENT
from fenrain.core.optics.energy import average_coat, left_below, left_below_schlick
from fenrain.core.optics.fresnel import both_surfaces, f0_from_ior, ior_from_f0
from fenrain.core.optics.microfacet import widths_openpbr
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat, Fidelity
from fenrain.core.rules.rule import RuleSet
from fenrain.core.values import Value

RULES = RuleSet("preview.from_hub", OpenPbr)
USD = "UsdPreviewSurface 2.6"
NODE = "MaterialX 1.39: node graph of UsdPreviewSurface"


def by_specular(case: Case) -> bool:
    """A tinted dielectric: only the specular workflow says its F0."""
    return case.is_at("base_metalness", 0.0) and not case.is_at("specular_color", (1.0, 1.0, 1.0))


def by_metalness(case: Case) -> bool:
    return not by_specular(case)


@RULES.choose(
    "useSpecularWorkflow",
    "specular_color",
    id="workflow",
    fidelity=EQUIVALENT,
    text="the specular workflow, because only it says a reflection tinted by {specular_color}",
    source=f"{USD}: workflows",
    when=by_specular,
)
def workflow(specular_color: Value) -> int:
    return SPECULAR_WORKFLOW


def _colours(p: OpenPbr) -> tuple[Any, Any]:
    """(body, metal) as they look below the coat."""
    body = p.base_color * p.base_weight * (1.0 - p.subsurface_weight) + p.subsurface_color * p.subsurface_weight
    passed = seen_through_coat(p)
    return body * passed, p.base_color * p.base_weight * p.specular_weight * passed


@RULES.rule(
    "metallic",
    id="metallic",
    fidelity=EQUIVALENT,
    text="1 − √(1 − {base_metalness})",
    source=f"{NODE}: the body fades with (1 − metallic)², and the metal's F0 enters twice",
    when=by_metalness,
)
def metallic(p: OpenPbr) -> Any:
    return 1.0 - np.sqrt(1.0 - p.base_metalness)


def _colour_caveat(p: OpenPbr) -> tuple[Fidelity, str]:
    if np.any(p.base_metalness > 0):
        return APPROXIMATED, "A metal here is tinted at grazing angles by its own colour."
    return APPROXIMATED, SCHLICK_ABOVE


SCHLICK_ABOVE = "What is left below Schlick's curve differs a little with the angle from what is left below the exact one."


@RULES.rule(
    "diffuseColor",
    id="colour",
    needs=(*IOR_BELOW_COAT, *ROUGHNESS_BELOW_COAT, *SEEN_THROUGH_COAT, "geometry_thin_walled"),
    fidelity=APPROXIMATED,
    text="{base_color} × {base_weight}, with {subsurface_weight} of {subsurface_color}, as seen through {coat_weight} of coat, less what a "
    "reflection weakened by {specular_color} lets through besides; of a metal ({base_metalness}) times {specular_weight}",
    source=f"{USD}: diffuseColor; OpenPBR 1.1: coat",
    when=by_metalness,
    caveat=_colour_caveat,
)
def colour(p: OpenPbr) -> Any:
    body, metal = _colours(p)
    alpha = np.square(roughness_below_coat(p))
    weaker = left_below(_f0(p), alpha) / left_below(_tinted_f0(p), alpha)
    return np.clip(body * weaker * (1.0 - p.base_metalness) + metal * p.base_metalness, 0.0, 1.0)


def _f0(p: OpenPbr) -> Any:
    """F0 of the dielectric below the coat, of a sheet with both of its surfaces."""
    by_one = f0_from_ior(ior_below_coat(p))
    return both_surfaces(by_one) if p.geometry_thin_walled else by_one


def _tinted_f0(p: OpenPbr) -> Any:
    """The same with the mean of its tint, which only the specular workflow could say; a metal has none."""
    tint = p.specular_color.mean(axis=-1, keepdims=True)
    return _f0(p) * (tint * (1.0 - p.base_metalness) + p.base_metalness)


@RULES.rule(
    "diffuseColor",
    "specularColor",
    id="colours",
    needs=(*IOR_BELOW_COAT, *ROUGHNESS_BELOW_COAT, *SEEN_THROUGH_COAT, "geometry_thin_walled"),
    fidelity=APPROXIMATED,
    text="{base_color} × {base_weight}, with {subsurface_weight} of {subsurface_color}, below the F0 of {specular_ior} at "
    "{specular_weight} tinted by {specular_color}, through {coat_weight} of coat",
    source=f"{USD}: specularColor is F0, F90 is 1; OpenPBR 1.1",
    when=by_specular,
    caveat=lambda p: (APPROXIMATED, SCHLICK_ABOVE),
)
def colours(p: OpenPbr) -> Any:
    f0, alpha = _f0(p), np.square(roughness_below_coat(p))
    specular = np.clip(f0 * p.specular_color * seen_through_coat(p), 0.0, 1.0)
    here = left_below_schlick(specular.mean(axis=-1, keepdims=True), alpha)
    return np.clip(_colours(p)[0] * left_below(f0, alpha) / here, 0.0, 1.0), specular


def _index_caveat(p: OpenPbr) -> Caveat:
    if np.any(p.base_metalness < 1):
        return APPROXIMATED, "Schlick's curve stands for the exact one: the same when facing and at grazing angles, less in between."
    return None


@RULES.rule(
    "ior",
    id="index",
    fidelity=EQUIVALENT,
    text="{specular_ior}, its F0 times {specular_weight}, below {coat_weight} of coat; over a metal ({base_metalness}) that of the coat, "
    "{coat_ior}; of a sheet ({geometry_thin_walled}) the F0 of both surfaces; weakened by {specular_color}, which has no place here",
    source=f"{USD}: F0 = ((1 − n)/(1 + n))²; OpenPBR 1.1; Born & Wolf §7.6: 2F/(1 + F); {NODE}: the coat's F0 is that of ior",
    when=by_metalness,
    caveat=_index_caveat,
)
def index(p: OpenPbr) -> Any:
    return np.where((p.base_metalness >= 1.0) & (p.coat_weight > 0.0), p.coat_ior, ior_from_f0(_tinted_f0(p)))


@RULES.rule(
    "roughness",
    id="roughness",
    fidelity=EQUIVALENT,
    text="{specular_roughness} as {coat_roughness} of coat ({coat_weight}) spreads it, mean of the widths of "
    "{specular_roughness_anisotropy}",
    source="OpenPBR 1.1: (2 rc⁴ + r⁴)^¼; the geometric mean keeps the height of the highlight",
)
def roughness(p: OpenPbr) -> Any:
    alpha_x, alpha_y = widths_openpbr(roughness_below_coat(p), p.specular_roughness_anisotropy)
    return np.sqrt(np.sqrt(alpha_x * alpha_y))


@RULES.rule(
    "clearcoat",
    id="clearcoat",
    needs=(*IOR_BELOW_COAT, "coat_roughness", "geometry_thin_walled", "specular_color"),
    fidelity=APPROXIMATED,
    text="{coat_weight}, scaled to reflect on average what {coat_ior} does, with the index of the base ({specular_ior}, "
    "{specular_weight}), which the coat shares unless it lies on metal ({base_metalness})",
    source=f"{NODE}: the coat's F0 is that of ior",
    when=lambda case: is_coated(case) and by_metalness(case),
)
def clearcoat(p: OpenPbr) -> Any:
    return _scaled_coat(p.coat_weight, p.coat_ior, p.coat_roughness, index(p))


@RULES.rule(
    "clearcoat",
    id="clearcoat_by_specular",
    needs=("coat_roughness",),
    fidelity=APPROXIMATED,
    text=f"{{coat_weight}}, scaled to reflect on average what {{coat_ior}} does, with the default index {DEFAULT_IOR:g}, "
    "since the specular workflow says none",
    source=f"{NODE}: the coat's F0 is that of ior",
    when=lambda case: is_coated(case) and by_specular(case),
)
def clearcoat_by_specular(p: OpenPbr) -> Any:
    return _scaled_coat(p.coat_weight, p.coat_ior, p.coat_roughness, DEFAULT_IOR)


def _scaled_coat(weight: Any, ior: Any, roughness: Any, shared: Any) -> Any:
    """How much of a coat of the shared index reflects on average what this weight of one of its own index does."""
    return np.clip(weight * average_coat(ior, roughness) / np.maximum(average_coat(shared, roughness), 1e-4), 0.0, 1.0)


RULES.copy("clearcoatRoughness", "coat_roughness", source=f"{USD}: clearcoatRoughness", when=is_coated)
RULES.drop("coat_roughness_anisotropy", why="this coat is round.", nearest="its roughness along both ways")
RULES.drop("specular_roughness_anisotropy", why="this highlight is round.", nearest="the width between the two")
RULES.drop("base_diffuse_roughness", why="this body is Lambert.", nearest="Lambert")
RULES.drop("fuzz_weight", why="there is no fuzz here.", nearest="the surface without it", when=is_fuzzy)
RULES.drop("subsurface_radius", why="there is no subsurface scattering here.", nearest="its colour as body", when=has_subsurface)
RULES.drop("subsurface_radius_scale", why="there is no subsurface scattering here.", nearest="its colour as body", when=has_subsurface)


# Opacity


@RULES.choose(
    "opacityMode",
    "geometry_opacity",
    id="presence",
    fidelity=EXACT,
    text="presence, because {geometry_opacity} takes the reflection away as well",
    source=f"{USD}: opacityMode presence",
    when=lambda case: not is_transmissive(case) and not case.is_at("geometry_opacity", 1.0),
)
def presence(geometry_opacity: Value) -> int:
    return PRESENCE


@RULES.choose(
    "opacityMode",
    "transmission_weight",
    id="transparent",
    fidelity=APPROXIMATED,
    text="transparent, so that the reflection stays over what is clear ({transmission_weight})",
    source=f"{USD}: opacityMode transparent",
    when=is_transmissive,
)
def transparent(transmission_weight: Value) -> int:
    return TRANSPARENT


def _clear_caveat(p: OpenPbr) -> Caveat:
    if np.any(p.transmission_weight > 0):
        return APPROXIMATED, "What lies behind shows straight through, neither bent, blurred nor tinted."
    return None


@RULES.rule(
    "opacity",
    id="opacity",
    fidelity=EXACT,
    text="{geometry_opacity} × (1 − {transmission_weight})",
    source=f"{USD}: opacity",
    caveat=_clear_caveat,
)
def opacity(p: OpenPbr) -> Any:
    return p.geometry_opacity * (1.0 - p.transmission_weight)


RULES.drop("transmission_color", why="what is transparent has no tint here.", nearest="clear", when=is_transmissive)
RULES.drop("transmission_depth", why="there is no volume here.", nearest="left out", when=is_transmissive)
RULES.drop("transmission_scatter", why="there is no volume here.", nearest="left out", when=is_transmissive)
RULES.drop("geometry_thin_walled", why="there is no inside here at all.", nearest="left out", when=is_thin_walled)


@RULES.rule(
    "emissiveColor",
    id="emission",
    fidelity=EQUIVALENT,
    text="{emission_color} × {emission_luminance}, as seen through {coat_weight} of coat ({coat_ior}, {coat_color})",
    source=f"{USD}: emissiveColor; {IN_SCENE_UNITS}; OpenPBR 1.1: emission lies below the coat",
    when=is_emissive,
)
def emission(p: OpenPbr) -> Any:
    return p.emission_color * p.emission_luminance * emission_through_coat(p)


def has_two_normals(case: Case) -> bool:
    return is_coated(case) and case.value("geometry_normal") != case.value("geometry_coat_normal")


RULES.copy("normal", "geometry_normal", source=f"{USD}: normal", when=lambda case: not has_two_normals(case))
RULES.copy(
    "normal",
    "geometry_normal",
    id="normal_of_both",
    fidelity=APPROXIMATED,
    text="{geometry_normal}, by which the coat is bent as well; its own {geometry_coat_normal} has no place",
    source=f"{USD}: one normal for all that reflects",
    also=("geometry_coat_normal",),
    when=has_two_normals,
)
RULES.copy("occlusion", "occlusion", source=f"{USD}: occlusion")
