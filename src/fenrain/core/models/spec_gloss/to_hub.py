"""Specular-glossiness to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.emission_and_opacity import IN_SCENE_UNITS, is_blended, is_cut_out
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.models.spec_gloss.parameters import SpecGloss
from fenrain.core.optics.energy import compensated_f0, left_below, metalness_of
from fenrain.core.optics.fresnel import ior_from_f0
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("spec_gloss.to_hub", SpecGloss)
KHR = "KHR_materials_pbrSpecularGlossiness"


@RULES.rule(
    "specular_roughness",
    id="roughness",
    fidelity=EXACT,
    text="1 − {glossiness}",
    source=f"{KHR}: α = (1 − glossiness)², OpenPBR 1.1: α = r²",
)
def roughness(p: SpecGloss) -> Any:
    return 1.0 - p.glossiness


def _reflection_caveat(p: SpecGloss) -> Caveat:
    strongest = strongest_channel(p.specular)
    tinted = strongest - p.specular.min(axis=-1, keepdims=True) > 0.02
    if np.any(tinted & (metalness_of(p.diffuse * (1 - strongest), p.specular) < 1)):
        return APPROXIMATED, "The tint also colours grazing reflections in OpenPBR; in the source they are white."
    return None


@RULES.rule(
    "specular_ior",
    "specular_color",
    id="reflection",
    needs=("diffuse",),
    fidelity=EQUIVALENT,
    text="index whose F0 is the strongest channel of {specular}, less what energy compensation adds at {glossiness}; the rest as tint",
    source="Fresnel at normal incidence: F0 = ((n − 1)/(n + 1))²",
    caveat=_reflection_caveat,
)
def reflection(p: SpecGloss) -> Any:
    strongest = strongest_channel(p.specular)
    metal = metalness_of(p.diffuse * (1.0 - strongest), p.specular)
    f0 = compensated_f0(strongest, np.square(1.0 - p.glossiness))
    tint = p.specular / np.maximum(strongest, 1e-6)
    return ior_from_f0(f0 * (1.0 - metal) + 0.04 * metal), tint * (1.0 - metal) + metal


@RULES.rule(
    "base_metalness",
    "base_color",
    id="body",
    fidelity=APPROXIMATED,
    text="metal where {specular} stands over no diffuse: then its specular colour; else {diffuse} × {detail_color} ({detail_mask}) × "
    "(1 − strongest specular), divided by what the reflection lets through at {glossiness}",
    source=f"{KHR}: diffuse × (1 − max specular); OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    cut=("base_color",),
)
def body(p: SpecGloss) -> Any:
    alpha, strongest = np.square(1.0 - p.glossiness), strongest_channel(p.specular)
    dimmed = detailed(p.diffuse, p.detail_color, p.detail_mask) * (1.0 - strongest)
    metal = metalness_of(dimmed, p.specular)
    dielectric = dimmed / left_below(compensated_f0(strongest, alpha), alpha)
    if not metal.any():
        return metal, dielectric
    return metal, dielectric * (1.0 - metal) + compensated_f0(p.specular, alpha) * metal


@RULES.rule(
    "geometry_opacity",
    id="cut_out",
    binary=True,
    fidelity=EXACT,
    text="open where {opacity} is below {alpha_cutoff} ({alpha_mode})",
    source="glTF 2.0 §3.9.4",
    when=is_cut_out,
)
def cut_out(p: SpecGloss) -> Any:
    return np.where(p.opacity >= p.alpha_cutoff, 1.0, 0.0)


@RULES.rule("geometry_opacity", id="blended", fidelity=EXACT, text="{opacity} ({alpha_mode})", source="glTF 2.0 §3.9.4", when=is_blended)
def blended(p: SpecGloss) -> Any:
    return p.opacity


RULES.copy("emission_color", "emission", source="glTF 2.0 §3.9.3")
add_extra_rules(RULES)


def is_emissive(case: Case) -> bool:
    return case.is_set("emission")


@RULES.rule(
    "emission_luminance",
    id="emission_strength",
    fidelity=EXACT,
    text="{emission_strength}",
    source=f"KHR_materials_emissive_strength; {IN_SCENE_UNITS}",
    when=is_emissive,
)
def emission_strength(p: SpecGloss) -> Any:
    return p.emission_strength
