"""Materials of sliders to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.lobes.microfacet import GGX
from fenrain.core.models.additive import Reflection, base_of, kept_by
from fenrain.core.models.extras import add_extra_rules
from fenrain.core.models.open_pbr.inverse import base_ior_for, below_rough_coat, emission_for
from fenrain.core.models.percent.parameters import Percent
from fenrain.core.models.percent.surface import body_colour
from fenrain.core.optics.energy import single_scattering_f0
from fenrain.core.optics.fresnel import GRAZING_COSINE, HIGHEST_F0, f0_from_ior, fading_grazing, ior_from_f0, schlick_weight
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("percent.to_hub", Percent)
SLIDERS = "common practice: a slider of 100 is 1"


def is_transmissive(case: Case) -> bool:
    return not case.is_at("translucency", 0.0)


def is_opaque(case: Case) -> bool:
    return not is_transmissive(case)


@RULES.rule(
    "specular_roughness",
    id="roughness",
    fidelity=EXACT,
    text="{roughness} ÷ 100",
    source=f"{SLIDERS}; OpenPBR 1.1: α = r²",
    when=is_opaque,
)
def roughness(p: Percent) -> Any:
    return p.roughness / 100.0


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    id="base",
    fidelity=APPROXIMATED,
    text="{color} × {detail_color} ({detail_mask}) under {sticker_color} ({sticker_mask}) below a reflection of {reflectance} % at "
    "{roughness}; metal where it stands over black and nothing is clear ({translucency})",
    source=f"{SLIDERS}; Schlick 1994; OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    when=is_opaque,
    cut=("base_color",),
)
def base(p: Percent) -> Any:
    alpha, f0 = np.square(p.roughness / 100.0), p.reflectance / 100.0 * np.ones(3)
    single = single_scattering_f0(f0, alpha)
    body = body_colour(p.color, p.detail_color, p.detail_mask, p.sticker_color, p.sticker_mask) * (1.0 - f0)
    grazing = fading_grazing(f0)
    reflection = Reflection(single, grazing * np.ones(3), f0 + (grazing - f0) * schlick_weight(GRAZING_COSINE), alpha, kept_by(GGX, alpha))
    found = base_of(body, reflection, transmission=p.translucency)
    return found.base_metalness, found.base_color, found.specular_ior, found.specular_color


@RULES.rule(
    "base_color",
    "specular_ior",
    "specular_color",
    "specular_roughness",
    "transmission_weight",
    "transmission_color",
    "coat_weight",
    "coat_ior",
    "coat_roughness",
    "coat_darkening",
    id="clear",
    fidelity=APPROXIMATED,
    text="{translucency} % clear where no sticker lies ({sticker_mask}), tinted by {color}, bent by {index}, {roughness} % rough; where "
    "{reflectance} % is more than the index reflects, a coat gives the rest, where it is less, the tint of the reflection takes it; under "
    "it {detail_color} ({detail_mask}) and {sticker_color}",
    source=f"{SLIDERS}; OpenPBR 1.1: one index for reflection and refraction, a coat over it",
    when=is_transmissive,
)
def clear(p: Percent) -> Any:
    body = body_colour(p.color, p.detail_color, p.detail_mask, p.sticker_color, p.sticker_mask)
    rest = _rest(p)
    weight, coat_ior = np.where(rest > LEAST_REST, 1.0, 0.0), ior_from_f0(rest)
    tint = np.clip(p.reflectance / 100.0 / np.maximum(f0_from_ior(p.index), 1e-6), 0.0, 1.0)
    finish = p.roughness / 100.0
    base_roughness, coat_roughness = below_rough_coat(finish, weight, finish, below=1.0 - rest, above=rest)
    return (
        *(np.clip(body, 0.0, 1.0), base_ior_for(p.index, weight, coat_ior), tint * np.ones(3), base_roughness),
        *(p.translucency / 100.0 * (1.0 - p.sticker_mask), p.color),
        *(weight, coat_ior, coat_roughness, 0.0),
    )


LEAST_REST = 0.005
"""Reflectance that is worth a coat."""


def _rest(p: Percent) -> Any:
    """What is reflected beyond what the index reflects, as the F0 of a coat."""
    of_index = f0_from_ior(p.index)
    return np.clip((p.reflectance / 100.0 - of_index) / np.maximum(1.0 - of_index, 1e-6), 0.0, HIGHEST_F0)


@RULES.rule(
    "emission_luminance",
    "emission_color",
    id="emission",
    fidelity=EXACT,
    text="{emission_luminance} cd/m² of {emission_color} ÷ the {white_luminance} cd/m² that the project takes for display white",
    source="OpenPBR 1.1: emission_luminance × emission_color",
    when=lambda case: not case.is_at("emission_luminance", 0.0) and is_opaque(case),
)
def emission(p: Percent) -> Any:
    return p.emission_luminance / p.white_luminance, p.emission_color


@RULES.rule(
    "emission_luminance",
    "emission_color",
    id="emission_of_glass",
    fidelity=EQUIVALENT,
    text="{emission_luminance} cd/m² of {emission_color} ÷ the {white_luminance} cd/m² that the project takes for display white, and ÷ "
    "what a coat for {reflectance} % over {index} lets through",
    source="OpenPBR 1.1: emission_luminance × emission_color, below the coat",
    when=lambda case: not case.is_at("emission_luminance", 0.0) and is_transmissive(case),
)
def emission_of_glass(p: Percent) -> Any:
    rest = _rest(p)
    return p.emission_luminance / p.white_luminance * emission_for(
        np.where(rest > LEAST_REST, 1.0, 0.0), ior_from_f0(rest)
    ), p.emission_color


@RULES.rule("geometry_opacity", id="opacity", fidelity=EXACT, text="{opacity} ÷ 100", source=SLIDERS)
def opacity(p: Percent) -> Any:
    return p.opacity / 100.0


for _name in ("tile_width", "tile_height"):
    RULES.drop(_name, why="OpenPBR holds no size of its maps.", nearest="the placement that the maps and the mesh give")
add_extra_rules(RULES)
