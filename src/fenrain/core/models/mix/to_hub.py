"""Mixes to OpenPBR, which has no mixing: each value of the two surfaces is blended by its share.

A value of an effect counts as much as the effect is there: the coat's roughness by the coats' weights, and so on.
"""

from collections.abc import Callable
from typing import Any

import numpy as np

from fenrain.core.models.mix.parameters import EVENLY, FACING, FIRST, SECOND, SLOPE, Mix
from fenrain.core.models.mix.surface import mean_slope_share
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.optics.bump import normalised
from fenrain.core.optics.fresnel import GRAZING_COSINE, average_schlick_weight, metal_tint_kutz2021, schlick_weight, tint_of_curve
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("mix.to_hub", Mix)
HOW = "({amount}; {blend_by}; falloff {falloff}, slope from {slope_from} to {slope_to})"
BLEND = ("amount", "blend_by", "falloff", "slope_from", "slope_to")


def share_of(p: Mix) -> Any:
    """How much of the second there is, over all views and slopes."""
    if p.blend_by == FACING:
        return p.amount * average_schlick_weight(p.falloff)
    return p.amount * mean_slope_share(p.slope_from, p.slope_to) if p.blend_by == SLOPE else p.amount


def differs(case: Case, first: str, second: str) -> bool:
    """Whether the two surfaces differ in this value of theirs, which has one default in both."""
    return (case.is_set(first) or case.is_set(second)) and case.value(first) != case.value(second)


def is_metal_by_view(case: Case) -> bool:
    """Two metals blended by the view, which one metal says by its colour and its tint."""
    return case.is_at("blend_by", FACING) and all(case.is_at(f"{prefix}base_metalness", 1.0) for prefix in (FIRST, SECOND))


def _blend_caveat(p: Mix) -> Caveat:
    if p.blend_by != EVENLY:
        return APPROXIMATED, "The blend follows the view or the slope; its mean over all of them is taken."
    share = np.asarray(p.amount)
    if np.all((share == 0.0) | (share == 1.0)):
        return EXACT, ""
    return APPROXIMATED, "Two surfaces side by side do not look like one of mean values."


OF_THE_HIGHLIGHT = ("specular_roughness", "specular_roughness_anisotropy", "geometry_tangent_rotation")
"""A highlight is seen as much as its surface reflects: a metal far more than what is none."""
OF_NO_METAL = 0.05
"""About what a surface that is no metal reflects of light from everywhere."""


def _blend(parameter: Parameter) -> Callable[[Mix], Any]:
    """The blend of one value of both surfaces."""

    def blended(p: Mix) -> Any:
        first, second = getattr(p.first, parameter.name), getattr(p.second, parameter.name)
        share = share_of(p)
        if parameter.kind is Kind.FLAG:
            return np.where(share > 0.5, second, first)
        if parameter.name in OF_THE_HIGHLIGHT:
            before = (1.0 - share) * (p.first.base_metalness + OF_NO_METAL)
            share = share * (p.second.base_metalness + OF_NO_METAL)
            share = share / (before + share)
        elif parameter.under:
            before, after = (1.0 - share) * getattr(p.first, parameter.under), share * getattr(p.second, parameter.under)
            share = np.where(before + after > 0.0, after / np.maximum(before + after, 1e-9), share)
        found = first * (1.0 - share) + second * share
        return normalised(found) if parameter.kind is Kind.NORMAL else found

    return blended


def _add_rules(parameter: Parameter) -> None:
    """Blend where the two surfaces differ, keep the value where they agree."""
    name = parameter.name
    under = "base_metalness" if name in OF_THE_HIGHLIGHT else parameter.under
    first, second = FIRST + name, SECOND + name
    weighed = f", by {{{FIRST}{under}}} and {{{SECOND}{under}}}" if under else ""
    in_the_tint = name in ("base_color", "specular_color")
    RULES.rule(
        name,
        id=name,
        fidelity=APPROXIMATED,
        text=f"{{{first}}} and {{{second}}}{weighed} in their shares {HOW}",
        source="common practice: a mix of two surfaces as one, by value",
        when=lambda case: differs(case, first, second) and not (in_the_tint and is_metal_by_view(case)),
        caveat=_blend_caveat,
    )(_blend(parameter))
    RULES.copy(
        name,
        first,
        id=f"{name}_kept",
        also=(second,),
        source="both surfaces say the same",
        when=lambda case: not differs(case, first, second) and not (in_the_tint and is_metal_by_view(case)),
    )


for _parameter in OpenPbr.declared:
    _add_rules(_parameter)


@RULES.rule(
    "base_color",
    "specular_color",
    id="metal_by_view",
    fidelity=APPROXIMATED,
    text="{first_base_color} when facing; the tint near 82° is that of the blend there, of {first_specular_color} and of "
    f"{{second_base_color}} with {{second_specular_color}} {HOW}",
    source="common practice: a facing-angle blend of metals as the F82 tint of one (Kutz et al. 2021)",
    when=is_metal_by_view,
)
def metal_by_view(p: Mix) -> Any:
    when_facing, near_82 = (p.amount * schlick_weight(cosine, p.falloff) for cosine in (1.0, GRAZING_COSINE))
    facing = p.first.base_color * (1.0 - when_facing) + p.second.base_color * when_facing
    ours = metal_tint_kutz2021(GRAZING_COSINE, p.first.base_color, p.first.specular_color)
    theirs = metal_tint_kutz2021(GRAZING_COSINE, p.second.base_color, p.second.specular_color)
    return facing, tint_of_curve(ours * (1.0 - near_82) + theirs * near_82, facing)


for _name in BLEND:
    RULES.drop(
        _name,
        why="both surfaces are the same.",
        nearest="that surface",
        when=lambda case: not any(differs(case, FIRST + parameter.name, SECOND + parameter.name) for parameter in OpenPbr.declared),
    )
