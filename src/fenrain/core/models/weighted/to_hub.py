"""Weighted materials to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.additive import (
    TYPICAL_FRESNEL,
    EvenOverClear,
    base_of,
    even_over_clear,
    ggx_width,
    presence,
    reflects_by_angle,
    reflects_evenly,
    transmission_share,
    uniform,
    width_of_stronger,
)
from fenrain.core.models.emission_and_opacity import add_emission_rule, add_opacity_rule, add_oren_nayar_rule
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.models.weighted.parameters import Weighted
from fenrain.core.optics.diffuse import oren_nayar_albedo
from fenrain.core.optics.energy import left_below_index
from fenrain.core.optics.fresnel import modulated_ior
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, Caveat, cut_remark
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("weighted.to_hub", Weighted)
TOO_MUCH = "Reflection and refraction send more than comes in; what is more is left out."
SUM = "common practice: weight × colour of each lobe, added up"


def refracts(case: Case) -> bool:
    return not case.is_at("refraction_weight", 0.0)


def is_tinted_inside(case: Case) -> bool:
    return refracts(case) and not case.is_at("transmittance", (1.0, 1.0, 1.0))


@RULES.rule(
    "specular_roughness",
    id="roughness",
    fidelity=APPROXIMATED,
    text="{specular_roughness} of the reflection ({specular_weight}, {distribution}) and {refraction_roughness} of the refraction "
    "({refraction_weight}): of whichever sends more",
    source="OpenPBR 1.1: one roughness for reflection and refraction",
)
def roughness(p: Weighted) -> Any:
    alphas = [ggx_width(p.distribution, np.square(p.specular_roughness)), np.square(p.refraction_roughness)]
    return np.sqrt(width_of_stronger(alphas, [TYPICAL_FRESNEL * p.specular_weight, p.refraction_weight]))


@RULES.rule(
    "base_color",
    id="rising_body",
    fidelity=APPROXIMATED,
    text="{diffuse_weight} × {diffuse_color} × {detail_color} ({detail_mask}; rough {diffuse_roughness}), "
    "divided by what the reflection {specular_weight} × {specular_color} of {ior} at "
    "{specular_roughness} ({distribution}) and the refraction {refraction_weight} × {refraction_color} leave",
    source=f"{SUM}; OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    when=reflects_by_angle,
    cut=("base_color",),
)
def rising_body(p: Weighted) -> Any:
    alpha = ggx_width(p.distribution, np.square(p.specular_roughness))
    body = p.diffuse_weight * oren_nayar_albedo(p.diffuse_roughness) * detailed(p.diffuse_color, p.detail_color, p.detail_mask)
    beside = transmission_share(p.refraction_weight * p.refraction_color, body)[2]
    there = presence(p.specular_weight * p.specular_color, p.refraction_weight * p.refraction_color)
    return beside / left_below_index(modulated_ior(p.ior, there), alpha)


RULES.copy("specular_ior", "ior", source="OpenPBR 1.1: specular_ior", when=reflects_by_angle)


@RULES.rule(
    "specular_color",
    "specular_weight",
    id="rising_reflection",
    fidelity=EQUIVALENT,
    text="{specular_weight} × {specular_color} times the Fresnel reflectance of the index; none where it is black and nothing is clear "
    "({refraction_weight}); {angle_dependent}: by angle",
    source=f"{SUM}; OpenPBR 1.1: specular_color × Fresnel(index)",
    when=reflects_by_angle,
    cut=("specular_color",),
)
def rising_reflection(p: Weighted) -> Any:
    color = p.specular_weight * p.specular_color
    return color, presence(color, p.refraction_weight * np.ones(3))


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    id="even_base",
    fidelity=APPROXIMATED,
    text="metal where {specular_weight} × {specular_color} stands over nothing; else "
    "{diffuse_weight} × {diffuse_color} × {detail_color} "
    "({detail_mask}; rough {diffuse_roughness}) below the reflection with the same average "
    "({specular_roughness}, {distribution}), beside {refraction_weight} × "
    "{refraction_color}; {angle_dependent}: at all angles",
    source=f"{SUM}; without angle dependence the reflection is the same at all angles",
    when=lambda case: reflects_evenly(case) and not refracts(case),
    cut=("base_color",),
)
def even_base(p: Weighted) -> Any:
    reflection = uniform(p.specular_weight * p.specular_color, p.distribution, np.square(p.specular_roughness))
    base = base_of(_body(p), reflection)
    return base.base_metalness, base.base_color, base.specular_ior, base.specular_color


def _body(p: Weighted) -> Any:
    return p.diffuse_weight * oren_nayar_albedo(p.diffuse_roughness) * detailed(p.diffuse_color, p.detail_color, p.detail_mask)


RULES.drop(
    "ior",
    why="the reflection is even; its index is that of its average.",
    nearest="that index",
    when=lambda case: reflects_evenly(case) and not refracts(case),
)


# An even reflection over what is clear


def is_even_over_clear(case: Case) -> bool:
    return reflects_evenly(case) and refracts(case)


RULES.copy("specular_ior", "ior", id="index_that_bends", source="OpenPBR 1.1: specular_ior", when=is_even_over_clear)


def _even_over_clear(p: Weighted) -> EvenOverClear:
    return even_over_clear(p.specular_weight * p.specular_color, p.refraction_weight * p.refraction_color, _body(p), p.ior)


EVEN_NEEDS = (
    *("specular_weight", "specular_color", "angle_dependent", "refraction_weight", "refraction_color", "ior"),
    *("diffuse_weight", "diffuse_roughness", "diffuse_color", "detail_color", "detail_mask"),
)


def _too_much(p: Weighted) -> Caveat:
    return cut_remark(p.specular_weight * p.specular_color + p.refraction_weight * p.refraction_color, why=TOO_MUCH)


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_color",
    id="even_over_clear",
    needs=EVEN_NEEDS,
    fidelity=APPROXIMATED,
    text="a share of metal for {specular_weight} × {specular_color} at all angles ({angle_dependent}), beside {refraction_weight} × "
    "{refraction_color}, so that the index goes on bending; the interface's own reflection only as far as the metal's edge needs it",
    source="OpenPBR 1.1: metal and dielectric in shares; a metal's F0 is the same at all angles where its colour is 1",
    when=is_even_over_clear,
    caveat=_too_much,
)
def even_reflection_over_clear(p: Weighted) -> Any:
    found = _even_over_clear(p)
    return found.base_metalness, found.base_color, found.specular_color


add_oren_nayar_rule(RULES)


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    id="clear",
    fidelity=EQUIVALENT,
    text="{refraction_weight} × {refraction_color}: its strongest channel as weight, the rest as tint",
    source=SUM,
    when=lambda case: refracts(case) and reflects_by_angle(case) and not is_tinted_inside(case),
    caveat=lambda p: cut_remark(p.refraction_weight * p.refraction_color),
)
def clear(p: Weighted) -> Any:
    weight, tint, _ = transmission_share(p.refraction_weight * p.refraction_color, p.refraction_color)
    return weight, tint


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    id="clear_beside_even",
    needs=EVEN_NEEDS,
    fidelity=EQUIVALENT,
    text="{refraction_weight} × {refraction_color}, divided by what the even reflection {specular_weight} × {specular_color} "
    "({angle_dependent}) leaves",
    source=SUM,
    when=lambda case: is_even_over_clear(case) and not is_tinted_inside(case),
    caveat=_too_much,
)
def clear_beside_even(p: Weighted) -> Any:
    found = _even_over_clear(p)
    return found.transmission_weight, found.transmission_color


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "transmission_depth",
    id="tinted_by_depth",
    fidelity=APPROXIMATED,
    text="{transmittance} after one unit; {refraction_weight} × {refraction_color} as weight, its tint at the surface left out",
    source="Beer–Lambert: T(x) = C^x; OpenPBR 1.1: tints by depth or at the surface, not both",
    when=lambda case: reflects_by_angle(case) and is_tinted_inside(case),
)
def tinted_by_depth(p: Weighted) -> Any:
    return np.clip(strongest_channel(p.refraction_weight * p.refraction_color), 0.0, 1.0), p.transmittance, 1.0


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "transmission_depth",
    id="tinted_beside_even",
    needs=EVEN_NEEDS,
    fidelity=APPROXIMATED,
    text="{transmittance} after one unit, beside the even reflection {specular_weight} × {specular_color} ({angle_dependent}); what "
    "{refraction_weight} × {refraction_color} takes at the surface is left out where nothing is opaque beside",
    source="Beer–Lambert: T(x) = C^x; OpenPBR 1.1: tints by depth or at the surface, not both",
    when=lambda case: is_even_over_clear(case) and is_tinted_inside(case),
)
def tinted_beside_even(p: Weighted) -> Any:
    return _even_over_clear(p).transmission_weight, p.transmittance, 1.0


add_emission_rule(RULES)
add_opacity_rule(RULES)
add_extra_rules(RULES)
