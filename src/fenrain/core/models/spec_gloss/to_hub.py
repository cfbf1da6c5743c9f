"""Specular-glossiness to OpenPBR."""

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, Caveat, RuleSet
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.models.surface import is_blended, is_cut_out
from fenrain.core.optics.energy import compensated_f0, left_below, metalness_of
from fenrain.core.optics.fresnel import ior_from_f0

RULES = RuleSet("spec_gloss.to_hub")
KHR = "KHR_materials_pbrSpecularGlossiness"


@RULES.rule("specular_roughness", fidelity=EXACT, text="1 − {glossiness}", source=f"{KHR}: α = (1 − glossiness)², OpenPBR 1.1: α = r²")
def roughness(glossiness):
    return 1.0 - glossiness


def _reflection_caveat(diffuse, specular, glossiness) -> Caveat:
    strongest = strongest_channel(specular)
    tinted = strongest - specular.min(axis=-1, keepdims=True) > 0.02
    if np.any(tinted & (metalness_of(diffuse * (1 - strongest), specular) < 1)):
        return APPROXIMATED, "The tint also colours grazing reflections in OpenPBR; in the source they are white."
    return None


@RULES.rule(
    "specular_ior",
    "specular_color",
    fidelity=EQUIVALENT,
    text="index whose F0 is the strongest channel of {specular}, less what energy compensation adds at {glossiness}; the rest as tint",
    source="Fresnel at normal incidence: F0 = ((n − 1)/(n + 1))²",
    caveat=_reflection_caveat,
)
def reflection(diffuse, specular, glossiness):
    strongest = strongest_channel(specular)
    metal = metalness_of(diffuse * (1.0 - strongest), specular)
    f0 = compensated_f0(strongest, np.square(1.0 - glossiness))
    tint = specular / np.maximum(strongest, 1e-6)
    return ior_from_f0(f0 * (1.0 - metal) + 0.04 * metal), tint * (1.0 - metal) + metal


@RULES.rule(
    "base_metalness",
    "base_color",
    fidelity=APPROXIMATED,
    text="metal where {specular} stands over no diffuse: then its specular colour; else {diffuse} × {detail_color} ({detail_mask}) × "
    "(1 − strongest specular), divided by what the reflection lets through at {glossiness}",
    source=f"{KHR}: diffuse × (1 − max specular); OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    cut=("base_color",),
)
def body(diffuse, specular, glossiness, detail_color, detail_mask):
    alpha, strongest = np.square(1.0 - glossiness), strongest_channel(specular)
    dimmed = detailed(diffuse, detail_color, detail_mask) * (1.0 - strongest)
    metal = metalness_of(dimmed, specular)
    dielectric = dimmed / left_below(compensated_f0(strongest, alpha), alpha)
    if not metal.any():
        return metal, dielectric
    return metal, dielectric * (1.0 - metal) + compensated_f0(specular, alpha) * metal


@RULES.rule(
    "geometry_opacity",
    fidelity=EXACT,
    text="open where {opacity} is below {alpha_cutoff} ({alpha_mode})",
    source="glTF 2.0 §3.9.4",
    when=is_cut_out,
)
def cut_out(opacity, alpha_cutoff, alpha_mode):
    return np.where(opacity >= alpha_cutoff, 1.0, 0.0)


@RULES.rule("geometry_opacity", fidelity=EXACT, text="{opacity} ({alpha_mode})", source="glTF 2.0 §3.9.4", when=is_blended)
def blended(opacity, alpha_mode):
    return opacity


RULES.copy("emission_color", "emission", source="glTF 2.0 §3.9.3")
add_extra_rules(RULES)


def shines(case: Case) -> bool:
    return case.says("emission")


@RULES.rule("emission_luminance", fidelity=EXACT, text="{emission_strength} cd/m²", source="KHR_materials_emissive_strength", when=shines)
def luminance(emission_strength):
    return emission_strength
