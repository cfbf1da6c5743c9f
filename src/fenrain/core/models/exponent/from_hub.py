"""OpenPBR to exponent materials, for MTL files."""

from typing import Any

import numpy as np

from fenrain.core.models.emission_and_opacity import IN_SCENE_UNITS
from fenrain.core.models.exponent.highlight import exponent_of_ggx
from fenrain.core.models.open_pbr.cases import (
    has_interior,
    has_subsurface,
    is_coated,
    is_emissive,
    is_fuzzy,
    is_thin_walled,
    is_transmissive,
)
from fenrain.core.models.open_pbr.one_lobe import ONE_LOBE_NEEDS, joined
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
from fenrain.core.optics.energy import left_below, single_scattering_f0
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("exponent.from_hub", OpenPbr)
MTL = "MTL material file format 1995"


@RULES.rule(
    "diffuse",
    id="diffuse",
    needs=(
        *IOR_BELOW_COAT,
        *ROUGHNESS_BELOW_COAT,
        *SEEN_THROUGH_COAT,
    ),
    fidelity=APPROXIMATED,
    text="{base_color} × {base_weight}, with {subsurface_weight} of {subsurface_color}, where neither metal ({base_metalness}) nor clear "
    "({transmission_weight}), times what the reflection lets through",
    source=f"OpenPBR 1.1: the body is scaled by 1 − E of the reflection; {MTL}: Kd",
)
def diffuse(p: OpenPbr) -> Any:
    below = left_below(f0_from_ior(ior_below_coat(p)), np.square(roughness_below_coat(p)))
    body = p.base_color * p.base_weight * (1.0 - p.subsurface_weight) + p.subsurface_color * p.subsurface_weight
    return (1.0 - p.base_metalness) * (1.0 - p.transmission_weight) * body * seen_through_coat(p) * below


def is_opaque(case: Case) -> bool:
    return not is_transmissive(case)


NARROWEST = 100000.0
"""The largest exponent that the model allows: a mirror to the eye."""


@RULES.rule(
    "specular",
    "exponent",
    id="glass_highlight",
    fidelity=APPROXIMATED,
    text="the facing reflectance of {specular_ior} ({specular_weight}), tinted by {specular_color}, mirrored sharply whatever the "
    "roughness {specular_roughness}, below {coat_weight} of coat ({coat_ior})",
    source=f"{MTL}: illum 4 to 9 mirror and refract with Ks; Fresnel at normal incidence",
    when=is_transmissive,
)
def glass_highlight(p: OpenPbr) -> Any:
    return np.clip(f0_from_ior(ior_below_coat(p)) * p.specular_color, 0.0, 1.0), NARROWEST


@RULES.rule(
    "specular",
    "exponent",
    id="highlight",
    needs=(*ONE_LOBE_NEEDS, "base_weight"),
    fidelity=APPROXIMATED,
    text="the highlight whose width and height are nearest to {specular_roughness} and the F0 of {specular_ior}, {specular_color}, "
    "or of the metal {base_color}; of {coat_weight} of coat ({coat_ior}, {coat_roughness}) instead, where that reflects more and no "
    "highlight of more than 1 would be needed, of both where they are near",
    source=f"{MTL}: Ks (H·H_j)^Ns; Walter et al. 2007; width and strength fitted to GGX",
    when=is_opaque,
)
def highlight(p: OpenPbr) -> Any:
    both, of_coat = joined(p, np.zeros_like(p.coat_weight)), p.coat_weight * f0_from_ior(p.coat_ior)
    is_coat = both.is_coat & (of_coat <= exponent_of_ggx(np.square(p.coat_roughness))[1])
    near = (both.share > 0.0) & (both.base > 0.0)
    alpha = np.asarray(np.where(is_coat, np.square(p.coat_roughness), np.square(roughness_below_coat(p))))
    dielectric = f0_from_ior(ior_below_coat(p)) * p.specular_color
    base = dielectric * (1.0 - p.base_metalness) + p.base_color * p.base_weight * p.specular_weight * p.base_metalness
    f0 = base * np.where(near | ~is_coat, 1.0, 0.0) + of_coat * np.where(near | is_coat, 1.0, 0.0)
    exponent, strength = exponent_of_ggx(alpha)
    return np.clip(single_scattering_f0(f0, alpha) / strength, 0.0, 1.0), np.minimum(exponent, NARROWEST)


@RULES.rule(
    "emission",
    id="emission",
    fidelity=EQUIVALENT,
    text="{emission_color} × {emission_luminance}, as seen through {coat_weight} of coat ({coat_ior}, {coat_color})",
    source=f"{MTL}: Ke; {IN_SCENE_UNITS}; OpenPBR 1.1: emission lies below the coat",
    when=is_emissive,
)
def emission(p: OpenPbr) -> Any:
    return p.emission_color * p.emission_luminance * emission_through_coat(p)


@RULES.rule(
    "illum",
    "filter",
    "ior",
    id="glass",
    fidelity=APPROXIMATED,
    text="refraction by {specular_ior}, tinted by {transmission_color} ({transmission_weight})",
    source=f"{MTL}: illum 7, Tf, Ni",
    when=lambda case: is_transmissive(case) and has_interior(case),
)
def glass(p: OpenPbr) -> Any:
    return 7, p.transmission_color * p.transmission_weight, np.maximum(p.specular_ior, 1.0)


@RULES.rule(
    "illum",
    "filter",
    id="sheet",
    fidelity=APPROXIMATED,
    text="seen straight through, tinted by {transmission_color} ({transmission_weight}, {geometry_thin_walled})",
    source=f"{MTL}: illum 4, Tf",
    when=lambda case: is_transmissive(case) and is_thin_walled(case),
)
def sheet(p: OpenPbr) -> Any:
    return 4, p.transmission_color * p.transmission_weight


for _name in ("transmission_depth", "transmission_scatter"):
    RULES.drop(_name, why="an exponent material has no volume.", nearest="the tint at the surface", when=is_transmissive)
RULES.drop("subsurface_radius", why="there is no subsurface scattering here.", nearest="its colour as body", when=has_subsurface)
RULES.drop("subsurface_radius_scale", why="there is no subsurface scattering here.", nearest="its colour as body", when=has_subsurface)


RULES.copy("dissolve", "geometry_opacity", source=f"{MTL}: d", fidelity=EXACT, when=is_opaque)
RULES.drop(
    "geometry_opacity",
    why="where a mode is clear, the dissolve says how much goes through, not how much is there.",
    nearest="all of it",
    when=is_transmissive,
)
RULES.copy("normal", "geometry_normal", source=f"{MTL}: norm (common extension)", fidelity=EXACT)
RULES.drop("coat_weight", why="an exponent material has no coat.", nearest="one highlight for both", when=is_coated)
RULES.drop("fuzz_weight", why="an exponent material has no fuzz.", nearest="the surface without it", when=is_fuzzy)
RULES.drop("base_diffuse_roughness", why="the body of an exponent material is Lambert.", nearest="Lambert")
RULES.drop("specular_roughness_anisotropy", why="an exponent highlight is round.", nearest="round")
