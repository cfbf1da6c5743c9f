"""Weighted materials to OpenPBR."""

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, Case, RuleSet, cut_remark
from fenrain.core.models.additive import (
    TYPICAL_FRESNEL,
    base_of,
    clear_share,
    ggx_width,
    mean_width,
    presence,
    reflects_by_angle,
    reflects_evenly,
    uniform,
)
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.models.surface import add_oren_nayar_rule, add_own_light_rules
from fenrain.core.optics.diffuse import oren_nayar_albedo
from fenrain.core.optics.energy import left_below
from fenrain.core.optics.fresnel import f0_from_ior

RULES = RuleSet("weighted.to_hub")
SUM = "common practice: weight × colour of each lobe, added up"


def refracts(case: Case) -> bool:
    return not case.is_at("refraction_weight", 0.0)


def is_tinted_inside(case: Case) -> bool:
    return refracts(case) and not case.is_at("transmittance", (1.0, 1.0, 1.0))


@RULES.rule(
    "specular_roughness",
    fidelity=APPROXIMATED,
    text="{specular_roughness} of the reflection ({specular_weight}, {distribution}) and {refraction_roughness} of the refraction "
    "({refraction_weight}), weighed by how much they send",
    source="OpenPBR 1.1: one roughness for reflection and refraction",
)
def roughness(specular_roughness, refraction_roughness, specular_weight, refraction_weight, distribution):
    alphas = [ggx_width(distribution, np.square(specular_roughness)), np.square(refraction_roughness)]
    return np.sqrt(mean_width(alphas, [TYPICAL_FRESNEL * specular_weight, refraction_weight]))


@RULES.rule(
    "base_color",
    fidelity=APPROXIMATED,
    text="{diffuse_weight} × {diffuse_color} × {detail_color} ({detail_mask}; rough {diffuse_roughness}), "
    "divided by what the reflection {specular_weight} × {specular_color} of {ior} at "
    "{specular_roughness} ({distribution}) and the refraction {refraction_weight} × {refraction_color} leave",
    source=f"{SUM}; OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    when=reflects_by_angle,
    cut=("base_color",),
)
def rising_body(
    diffuse_weight,
    diffuse_color,
    diffuse_roughness,
    specular_weight,
    specular_color,
    specular_roughness,
    ior,
    distribution,
    refraction_weight,
    refraction_color,
    detail_color,
    detail_mask,
):
    alpha = ggx_width(distribution, np.square(specular_roughness))
    body = diffuse_weight * oren_nayar_albedo(diffuse_roughness) * detailed(diffuse_color, detail_color, detail_mask)
    beside = clear_share(refraction_weight * refraction_color, body)[2]
    there = presence(specular_weight * specular_color, refraction_weight * refraction_color)
    return beside / left_below(there * f0_from_ior(np.maximum(ior, 1.0 / ior)), alpha)


RULES.copy("specular_ior", "ior", source="OpenPBR 1.1: specular_ior", when=reflects_by_angle)


@RULES.rule(
    "specular_color",
    "specular_weight",
    fidelity=EQUIVALENT,
    text="{specular_weight} × {specular_color} times the Fresnel reflectance of the index; none where it is black and nothing is clear "
    "({refraction_weight}); {angle_dependent}: by angle",
    source=f"{SUM}; OpenPBR 1.1: specular_color × Fresnel(index)",
    when=reflects_by_angle,
    cut=("specular_color",),
)
def rising_reflection(specular_weight, specular_color, refraction_weight, angle_dependent):
    color = specular_weight * specular_color
    return color, presence(color, refraction_weight * np.ones(3))


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    fidelity=APPROXIMATED,
    text="metal where {specular_weight} × {specular_color} stands over nothing; else "
    "{diffuse_weight} × {diffuse_color} × {detail_color} "
    "({detail_mask}; rough {diffuse_roughness}) below the reflection with the same average "
    "({specular_roughness}, {distribution}), beside {refraction_weight} × "
    "{refraction_color}; {angle_dependent}: at all angles",
    source=f"{SUM}; without angle dependence the reflection is the same at all angles",
    when=reflects_evenly,
    cut=("base_color",),
)
def even_base(
    diffuse_weight,
    diffuse_color,
    diffuse_roughness,
    specular_weight,
    specular_color,
    specular_roughness,
    distribution,
    refraction_weight,
    refraction_color,
    detail_color,
    detail_mask,
    angle_dependent,
):
    body = diffuse_weight * oren_nayar_albedo(diffuse_roughness) * detailed(diffuse_color, detail_color, detail_mask)
    beside = clear_share(refraction_weight * refraction_color, body)[2]
    reflection = uniform(specular_weight * specular_color, ggx_width(distribution, np.square(specular_roughness)))
    base = base_of(beside, reflection, clear=refraction_weight)
    return base.base_metalness, base.base_color, base.specular_ior, base.specular_color


RULES.drop("ior", why="the reflection is even; its index is that of its average.", nearest="that index", when=reflects_evenly)


add_oren_nayar_rule(RULES)


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    fidelity=EQUIVALENT,
    text="{refraction_weight} × {refraction_color}: its strongest channel as weight, the rest as tint",
    source=SUM,
    when=lambda case: refracts(case) and not is_tinted_inside(case),
    caveat=lambda refraction_weight, refraction_color: cut_remark(refraction_weight * refraction_color),
)
def clear(refraction_weight, refraction_color):
    weight, tint, _ = clear_share(refraction_weight * refraction_color, refraction_color)
    return weight, tint


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "transmission_depth",
    fidelity=APPROXIMATED,
    text="{transmittance} after one unit; {refraction_weight} × {refraction_color} as weight, its tint at the surface left out",
    source="Beer–Lambert: T(x) = C^x; OpenPBR 1.1: tints by depth or at the surface, not both",
    when=is_tinted_inside,
)
def tinted_by_depth(transmittance, refraction_weight, refraction_color):
    return np.clip(strongest_channel(refraction_weight * refraction_color), 0.0, 1.0), transmittance, 1.0


add_own_light_rules(RULES)
add_extra_rules(RULES)
