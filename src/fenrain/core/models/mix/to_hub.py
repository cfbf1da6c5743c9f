"""Mixes to OpenPBR, which has no mixing: each value of the two surfaces is blended by its share.

A value of an effect counts as much as the effect is there: the coat's roughness by the coats' weights, and so on.
"""

from collections.abc import Callable
from typing import Any

import numpy as np

from fenrain.core.convert.rule import APPROXIMATED, EXACT, Case, Fidelity, RuleSet
from fenrain.core.models.mix.lobes import mean_slope_share
from fenrain.core.models.mix.parameters import EVENLY, FACING, FIRST, SECOND, SLOPE
from fenrain.core.models.open_pbr.parameters import PARAMETERS as SURFACE
from fenrain.core.models.parameter import Parameter
from fenrain.core.optics.fresnel import GRAZING_COSINE, average_schlick_weight, metal_tint_kutz2021, schlick_weight, tint_of_curve
from fenrain.core.optics.relief import normalised

RULES = RuleSet("mix.to_hub")
BLEND = ("amount", "blend_by", "falloff", "slope_from", "slope_to")
HOW = "({amount}; {blend_by}; falloff {falloff}, slope from {slope_from} to {slope_to})"


def share_of(amount, blend_by, falloff, slope_from, slope_to):
    """How much of the second there is, over all views and slopes."""
    if blend_by == FACING:
        return amount * average_schlick_weight(falloff)
    return amount * mean_slope_share(slope_from, slope_to) if blend_by == SLOPE else amount


def differs(case: Case, first: str, second: str) -> bool:
    """Whether the two surfaces differ in this value of theirs, which has one default in both."""
    values = case.material.values
    return (first in values or second in values) and case.material.value(first) != case.material.value(second)


def is_metal_by_view(case: Case) -> bool:
    """Two metals blended by the view, which one metal says by its colour and its tint."""
    return case.is_at("blend_by", FACING) and all(case.is_at(f"{prefix}base_metalness", 1.0) for prefix in (FIRST, SECOND))


def _blend_caveat(**values: Any) -> tuple[Fidelity, str]:
    if values["blend_by"] != EVENLY:
        return APPROXIMATED, "The blend follows the view or the slope; its mean over all of them is taken."
    share = np.asarray(values["amount"])
    if np.all((share == 0.0) | (share == 1.0)):
        return EXACT, ""
    return APPROXIMATED, "Two looks side by side are not the look of mean values."


OF_THE_HIGHLIGHT = ("specular_roughness", "specular_roughness_anisotropy", "geometry_tangent_rotation")
"""A highlight is seen as much as its surface reflects: a metal far more than what is none."""
OF_NO_METAL = 0.05
"""About what a surface that is no metal reflects of light from everywhere."""


def _blend(parameter: Parameter) -> Callable[..., Any]:
    first, second = FIRST + parameter.name, SECOND + parameter.name

    def blended(**values: Any) -> Any:
        share = share_of(*(values[name] for name in BLEND))
        if parameter.kind == "flag":
            return np.where(share > 0.5, values[second], values[first])
        if parameter.name in OF_THE_HIGHLIGHT:
            before = (1.0 - share) * (values[FIRST + "base_metalness"] + OF_NO_METAL)
            share = share * (values[SECOND + "base_metalness"] + OF_NO_METAL)
            share = share / (before + share)
        elif parameter.under:
            before, after = (1.0 - share) * values[FIRST + parameter.under], share * values[SECOND + parameter.under]
            share = np.where(before + after > 0.0, after / np.maximum(before + after, 1e-9), share)
        found = values[first] * (1.0 - share) + values[second] * share
        return normalised(found) if parameter.kind == "normal" else found

    blended.__name__ = parameter.name
    return blended


def _add_rules(parameter: Parameter) -> None:
    """Blend where the two surfaces differ, keep the value where they agree."""
    name = parameter.name
    under = "base_metalness" if name in OF_THE_HIGHLIGHT else parameter.under
    first, second = FIRST + name, SECOND + name
    weights = (FIRST + under, SECOND + under) if under else ()
    weighed = f", by {{{weights[0]}}} and {{{weights[1]}}}" if weights else ""
    in_the_tint = name in ("base_color", "specular_color")
    RULES.rule(
        name,
        sources=(first, second, *weights, *BLEND),
        fidelity=APPROXIMATED,
        text=f"{{{first}}} and {{{second}}}{weighed} in their shares {HOW}",
        source="common practice: a mix of two surfaces as one, by value",
        when=lambda case: differs(case, first, second) and not (in_the_tint and is_metal_by_view(case)),
        caveat=_blend_caveat,
    )(_blend(parameter))
    RULES.copy(
        name,
        first,
        also=(second,),
        source="both surfaces say the same",
        when=lambda case: not differs(case, first, second) and not (in_the_tint and is_metal_by_view(case)),
    )


for _parameter in SURFACE:
    _add_rules(_parameter)


@RULES.rule(
    "base_color",
    "specular_color",
    fidelity=APPROXIMATED,
    text="{first_base_color} when facing; the tint near 82° is that of the blend there, of {first_specular_color} and of "
    f"{{second_base_color}} with {{second_specular_color}} {HOW}",
    source="common practice: a facing-angle blend of metals as the F82 tint of one (Kutz et al. 2021)",
    when=is_metal_by_view,
)
def metal_by_view(
    first_base_color,
    first_specular_color,
    second_base_color,
    second_specular_color,
    amount,
    blend_by,
    falloff,
    slope_from,
    slope_to,
):
    when_facing, near_82 = (amount * schlick_weight(cosine, falloff) for cosine in (1.0, GRAZING_COSINE))
    facing = first_base_color * (1.0 - when_facing) + second_base_color * when_facing
    ours = metal_tint_kutz2021(GRAZING_COSINE, first_base_color, first_specular_color)
    theirs = metal_tint_kutz2021(GRAZING_COSINE, second_base_color, second_specular_color)
    return facing, tint_of_curve(ours * (1.0 - near_82) + theirs * near_82, facing)


for _name in BLEND:
    RULES.drop(
        _name,
        why="both surfaces are the same.",
        nearest="that surface",
        when=lambda case: not any(differs(case, FIRST + parameter.name, SECOND + parameter.name) for parameter in SURFACE),
    )
