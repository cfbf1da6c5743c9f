"""OpenPBR to exponent materials, for MTL files."""

from types import SimpleNamespace

import numpy as np

from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, RuleSet
from fenrain.core.models.exponent.highlight import exponent_of_ggx
from fenrain.core.models.open_pbr.cases import is_coated, is_fuzzy
from fenrain.core.models.open_pbr.lobes import ior_below_coat, roughness_below_coat, seen_through_coat
from fenrain.core.models.surface import WHITE_LUMINANCE
from fenrain.core.optics.energy import left_below, single_scattering_f0
from fenrain.core.optics.fresnel import f0_from_ior

RULES = RuleSet("exponent.from_hub")
MTL = "MTL material file format 1995"


@RULES.rule(
    "diffuse",
    fidelity=APPROXIMATED,
    text="{base_color} × {base_weight} where it is no metal ({base_metalness}), times what the reflection lets through",
    source=f"OpenPBR 1.1: the body is scaled by 1 − E of the reflection; {MTL}: Kd",
)
def diffuse(
    base_color,
    base_weight,
    base_metalness,
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
    return (1.0 - base_metalness) * base_color * base_weight * seen_through_coat(under) * below


@RULES.rule(
    "specular",
    "exponent",
    fidelity=APPROXIMATED,
    text="the highlight whose width and height are nearest to {specular_roughness} and the F0 of {specular_ior}, {specular_color}, "
    "or of the metal {base_color}",
    source=f"{MTL}: Ks (H·H_j)^Ns; Walter et al. 2007; width and strength fitted to GGX",
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
    return np.clip(single_scattering_f0(f0, alpha) / strength, 0.0, 1.0), exponent


@RULES.rule(
    "emission",
    fidelity=EQUIVALENT,
    text=f"{{emission_color}} × {{emission_luminance}} ÷ {WHITE_LUMINANCE:g} cd/m²",
    source=f"{MTL}: Ke, relative to display white (common practice)",
)
def glow(emission_color, emission_luminance):
    return emission_color * emission_luminance / WHITE_LUMINANCE


def is_clear(case: Case) -> bool:
    return not case.is_at("transmission_weight", 0.0)


@RULES.rule(
    "illum",
    "filter",
    fidelity=APPROXIMATED,
    text="refraction, tinted by {transmission_color} ({transmission_weight})",
    source=f"{MTL}: illum 6, Tf",
    when=is_clear,
)
def glass(transmission_weight, transmission_color):
    return 6, transmission_color


RULES.copy("dissolve", "geometry_opacity", source=f"{MTL}: d", fidelity=EXACT)
RULES.copy("normal", "geometry_normal", source=f"{MTL}: norm (common extension)", fidelity=EXACT)
RULES.drop("coat_weight", why="an exponent material has no coat.", nearest="the base without it", when=is_coated)
RULES.drop("fuzz_weight", why="an exponent material has no fuzz.", nearest="the surface without it", when=is_fuzzy)
RULES.drop("base_diffuse_roughness", why="the body of an exponent material is Lambert.", nearest="Lambert")
RULES.drop("specular_roughness_anisotropy", why="an exponent highlight is round.", nearest="round")
