"""OpenPBR to exponent materials, for MTL files."""

from types import SimpleNamespace

import numpy as np

from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, RuleSet
from fenrain.core.models.exponent.highlight import exponent_of_ggx
from fenrain.core.models.open_pbr.cases import is_clear, is_coated, is_fuzzy, is_solid, is_thin, wanders
from fenrain.core.models.open_pbr.lobes import ior_below_coat, roughness_below_coat, seen_through_coat
from fenrain.core.models.surface import WHITE_LUMINANCE
from fenrain.core.optics.energy import left_below, single_scattering_f0
from fenrain.core.optics.fresnel import f0_from_ior

RULES = RuleSet("exponent.from_hub")
MTL = "MTL material file format 1995"


@RULES.rule(
    "diffuse",
    fidelity=APPROXIMATED,
    text="{base_color} × {base_weight}, with {subsurface_weight} of {subsurface_color}, where neither metal ({base_metalness}) nor clear "
    "({transmission_weight}), times what the reflection lets through",
    source=f"OpenPBR 1.1: the body is scaled by 1 − E of the reflection; {MTL}: Kd",
)
def diffuse(
    base_color,
    base_weight,
    base_metalness,
    subsurface_weight,
    subsurface_color,
    transmission_weight,
    specular_weight,
    specular_ior,
    specular_roughness,
    coat_weight,
    coat_color,
    coat_ior,
    coat_darkening,
    coat_roughness,
):
    under = SimpleNamespace(**locals())
    below = left_below(f0_from_ior(ior_below_coat(under)), np.square(roughness_below_coat(under)))
    body = base_color * base_weight * (1.0 - subsurface_weight) + subsurface_color * subsurface_weight
    return (1.0 - base_metalness) * (1.0 - transmission_weight) * body * seen_through_coat(under) * below


def is_opaque(case: Case) -> bool:
    return not is_clear(case)


NARROWEST = 100000.0
"""The largest exponent that the model allows: a mirror to the eye."""


@RULES.rule(
    "specular",
    "exponent",
    fidelity=APPROXIMATED,
    text="the facing reflectance of {specular_ior} ({specular_weight}), tinted by {specular_color}, mirrored sharply whatever the "
    "roughness {specular_roughness}, below {coat_weight} of coat ({coat_ior})",
    source=f"{MTL}: illum 4 to 9 mirror and refract with Ks; Fresnel at normal incidence",
    when=is_clear,
)
def glass_highlight(specular_weight, specular_color, specular_ior, specular_roughness, coat_weight, coat_ior):
    return np.clip(f0_from_ior(ior_below_coat(SimpleNamespace(**locals()))) * specular_color, 0.0, 1.0), NARROWEST


@RULES.rule(
    "specular",
    "exponent",
    fidelity=APPROXIMATED,
    text="the highlight whose width and height are nearest to {specular_roughness} and the F0 of {specular_ior}, {specular_color}, "
    "or of the metal {base_color}",
    source=f"{MTL}: Ks (H·H_j)^Ns; Walter et al. 2007; width and strength fitted to GGX",
    when=is_opaque,
)
def highlight(
    base_color,
    base_weight,
    base_metalness,
    specular_weight,
    specular_color,
    specular_ior,
    specular_roughness,
    coat_weight,
    coat_ior,
    coat_roughness,
):
    under = SimpleNamespace(**locals())
    alpha = np.square(roughness_below_coat(under))
    dielectric = f0_from_ior(ior_below_coat(under)) * specular_color
    f0 = dielectric * (1.0 - base_metalness) + base_color * base_weight * specular_weight * base_metalness
    exponent, strength = exponent_of_ggx(alpha)
    return np.clip(single_scattering_f0(f0, alpha) / strength, 0.0, 1.0), np.minimum(exponent, NARROWEST)


@RULES.rule(
    "emission",
    fidelity=EQUIVALENT,
    text=f"{{emission_color}} × {{emission_luminance}} ÷ {WHITE_LUMINANCE:g} cd/m²",
    source=f"{MTL}: Ke, relative to display white (common practice)",
)
def glow(emission_color, emission_luminance):
    return emission_color * emission_luminance / WHITE_LUMINANCE


@RULES.rule(
    "illum",
    "filter",
    "ior",
    fidelity=APPROXIMATED,
    text="refraction by {specular_ior}, tinted by {transmission_color} ({transmission_weight})",
    source=f"{MTL}: illum 7, Tf, Ni",
    when=lambda case: is_clear(case) and is_solid(case),
)
def glass(transmission_weight, transmission_color, specular_ior):
    return 7, transmission_color * transmission_weight, np.maximum(specular_ior, 1.0)


@RULES.rule(
    "illum",
    "filter",
    fidelity=APPROXIMATED,
    text="seen straight through, tinted by {transmission_color} ({transmission_weight}, {geometry_thin_walled})",
    source=f"{MTL}: illum 4, Tf",
    when=lambda case: is_clear(case) and is_thin(case),
)
def sheet(transmission_weight, transmission_color, geometry_thin_walled):
    return 4, transmission_color * transmission_weight


for _name in ("transmission_depth", "transmission_scatter"):
    RULES.drop(_name, why="an exponent material has no volume.", nearest="the tint at the surface", when=is_clear)
RULES.drop("subsurface_radius", why="light does not wander here.", nearest="its colour as body", when=wanders)
RULES.drop("subsurface_radius_scale", why="light does not wander here.", nearest="its colour as body", when=wanders)


RULES.copy("dissolve", "geometry_opacity", source=f"{MTL}: d", fidelity=EXACT)
RULES.copy("normal", "geometry_normal", source=f"{MTL}: norm (common extension)", fidelity=EXACT)
RULES.drop("coat_weight", why="an exponent material has no coat.", nearest="the base without it", when=is_coated)
RULES.drop("fuzz_weight", why="an exponent material has no fuzz.", nearest="the surface without it", when=is_fuzzy)
RULES.drop("base_diffuse_roughness", why="the body of an exponent material is Lambert.", nearest="Lambert")
RULES.drop("specular_roughness_anisotropy", why="an exponent highlight is round.", nearest="round")
