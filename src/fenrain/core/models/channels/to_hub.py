"""Forward-shaded channels to OpenPBR."""

from dataclasses import replace
from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.lobes.microfacet import GGX
from fenrain.core.models.additive import base_of, uniform
from fenrain.core.models.channels.parameters import (
    ADDITIVE,
    BLENDED,
    BLENDED_BELOW,
    CUT_OUT_BLEND,
    FLAT,
    MULTIPLIED,
    STRETCHED,
    UNLIT,
    Channels,
)
from fenrain.core.models.emission_and_opacity import add_emission_rule
from fenrain.core.models.exponent.highlight import ggx_of_exponent
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.optics.fresnel import HIGHEST_F0, of_one_surface
from fenrain.core.optics.microfacet import roughness_from_widths_openpbr
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("channels.to_hub", Channels)
FORWARD = "common practice of forward shading: diffuse cosᵖ θ + specular (N·H)ⁿ"


def is_multiplied(case: Case) -> bool:
    return case.is_at("blend", MULTIPLIED)


def is_unlit(case: Case) -> bool:
    return case.is_at("lighting", UNLIT) and not is_multiplied(case)


def is_flat(case: Case) -> bool:
    return case.is_at("lighting", FLAT) and not is_multiplied(case)


def is_lit(case: Case) -> bool:
    return not is_unlit(case) and not is_multiplied(case)


def is_blended_below(case: Case) -> bool:
    """Whether a highlight stays where the body fades."""
    return case.is_at("blend", BLENDED_BELOW) and is_lit(case) and not is_flat(case)


def has_highlight(case: Case) -> bool:
    return is_lit(case) and not is_flat(case)


def bleeds(case: Case) -> bool:
    return is_lit(case) and not is_blended_below(case) and not case.is_at("bleed", (0.0, 0.0, 0.0))


def is_stretched(case: Case) -> bool:
    return case.is_at("lighting", STRETCHED)


def _highlight(p: Channels) -> tuple[Any, Any]:
    """(GGX width, F0 by specular) of the highlight; of a stretched one the mean of both widths."""
    alpha, strength = ggx_of_exponent(p.exponent)
    if p.lighting != STRETCHED:
        return np.minimum(alpha, 1.0), strength
    narrow, wide = _stretched_widths(p)
    return np.sqrt(narrow * wide), narrow * (2.75 - 0.9 * narrow)


def _stretched_widths(p: Channels) -> tuple[Any, Any]:
    """(GGX width along the tangent, across it) nearest to sin(T, H)ⁿ: along it that of the round highlight, across it almost all there is.

    Both and the strength, width × (2.75 − 0.9 width), by least lobe error for exponents of 2 to 1000, which leaves 0.13 to 0.44.
    """
    narrow = np.minimum(ggx_of_exponent(p.exponent)[0], WIDE)
    return narrow, np.full_like(narrow, WIDE)


WIDE = 0.9


@RULES.rule(
    "specular_roughness",
    id="roughness",
    fidelity=APPROXIMATED,
    text="√ of the GGX width nearest to {exponent} ({lighting})",
    source=f"{FORWARD}; Walter et al. 2007: α = √(2/(n + 2)), fitted to GGX",
    when=lambda case: has_highlight(case) and not is_stretched(case),
)
def roughness(p: Channels) -> Any:
    return np.sqrt(_highlight(p)[0])


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    "geometry_tangent_rotation",
    id="stretched",
    fidelity=APPROXIMATED,
    text="the GGX lobe nearest to a highlight of {exponent} that is drawn out across the tangent ({lighting}): a quarter turn",
    source=f"{FORWARD}; Kajiya & Kay 1989; OpenPBR 1.1: α_t, α_b solved for roughness and anisotropy; fitted to GGX",
    when=lambda case: has_highlight(case) and is_stretched(case),
)
def stretched(p: Channels) -> Any:
    narrow, wide = _stretched_widths(p)
    return *roughness_from_widths_openpbr(wide, narrow), np.pi / 2.0


LIT = (
    "{diffuse} × {detail_color} ({detail_mask}) with the average of its fall-off {diffuse_falloff} below the highlight {specular} at "
    "{exponent} ({lighting})"
)
METAL = "; metal where the highlight stands over no diffuse"
LIT_SOURCE = f"{FORWARD}; OpenPBR 1.1: the body is scaled by 1 − E of the reflection"


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    id="lit",
    fidelity=APPROXIMATED,
    text=LIT + METAL,
    source=LIT_SOURCE,
    when=lambda case: has_highlight(case) and not is_blended_below(case) and not bleeds(case),
    cut=("base_color",),
)
def lit(p: Channels) -> Any:
    base = base_of(_albedo(p), uniform(_f0(p), GGX, _highlight(p)[0]))
    return base.base_metalness, base.base_color, base.specular_ior, base.specular_color


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    id="lit_sheet",
    fidelity=APPROXIMATED,
    text=LIT + ", less what bleeds through ({bleed}, {bleed_mask}), as a sheet with two surfaces, which a higher F0 would darken" + METAL,
    source=LIT_SOURCE,
    when=lambda case: has_highlight(case) and bleeds(case),
    cut=("base_color",),
)
def lit_sheet(p: Channels) -> Any:
    f0 = _f0(p)
    rising = replace(uniform(of_one_surface(f0), GGX, _highlight(p)[0]), grazing=np.ones(3))
    base = base_of(_albedo(p), rising)
    beside = np.maximum(1.0 - strongest_channel(p.bleed * p.bleed_mask), 1e-2)
    body = base.base_color / np.where(base.base_metalness > 0, 1.0, beside)
    return base.base_metalness, body, base.specular_ior, base.specular_color


def _f0(p: Channels) -> Any:
    return np.clip(p.specular * _highlight(p)[1], 0.0, HIGHEST_F0)


def _albedo(p: Channels) -> Any:
    return detailed(p.diffuse, p.detail_color, p.detail_mask) * 2.0 / (p.diffuse_falloff + 1.0)


RULES.drop("diffuse_falloff", id="drop_diffuse_falloff_flat", why="flat lighting has no fall-off.", nearest="left out", when=is_flat)
for _name in ("specular", "exponent"):
    RULES.drop(_name, id=f"drop_{_name}_flat", why="flat lighting shows no highlight.", nearest="left out", when=is_flat)
for _name in ("diffuse", "diffuse_falloff", "specular", "exponent", "bleed", "bleed_mask", "detail_color", "detail_mask"):
    RULES.drop(_name, id=f"drop_{_name}_unlit", why="an unlit surface answers no light.", nearest="its own light alone", when=is_unlit)


@RULES.rule(
    "base_color",
    "specular_weight",
    "base_diffuse_roughness",
    id="flat",
    fidelity=APPROXIMATED,
    text="{diffuse} × {detail_color} ({detail_mask}) as a chalky body without reflection ({lighting}): shading by direction cannot be "
    "switched off in OpenPBR, the flattest there is stands for it",
    source="common practice: flat lighting; Portsmouth et al. 2024: roughness 1 is the flattest",
    when=is_flat,
)
def flat(p: Channels) -> Any:
    return np.clip(detailed(p.diffuse, p.detail_color, p.detail_mask), 0.0, 1.0), 0.0, 1.0


@RULES.rule(
    "base_color",
    "specular_weight",
    id="unlit",
    fidelity=EXACT,
    text="black, with no reflection ({lighting})",
    source="common practice: an unlit surface shows its own light alone",
    when=is_unlit,
)
def unlit(p: Channels) -> Any:
    return np.zeros(3), 0.0


# How the surface joins what lies behind


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "specular_ior",
    "specular_weight",
    "specular_roughness",
    "geometry_thin_walled",
    id="multiplied",
    fidelity=EQUIVALENT,
    text="a clear sheet that tints by {diffuse} × {detail_color} ({detail_mask}) and reflects nothing ({blend})",
    source="common practice: multiplied, picture behind × colour; OpenPBR 1.1: thin-walled transmission",
    when=is_multiplied,
)
def multiplied(p: Channels) -> Any:
    return 1.0, np.clip(detailed(p.diffuse, p.detail_color, p.detail_mask), 0.0, 1.0), 1.0, 0.0, 0.0, True


for _name in ("diffuse_falloff", "specular", "exponent", "lighting", "bleed", "bleed_mask", "opacity", "mask"):
    RULES.drop(
        _name,
        id=f"drop_{_name}_multiplied",
        why="a multiplied surface only tints what lies behind.",
        nearest="left out",
        when=is_multiplied,
    )


@RULES.rule(
    "geometry_opacity",
    id="cut_out",
    binary=True,
    fidelity=EXACT,
    text="open where {mask} is below {mask_cutoff} ({blend})",
    source="common practice: cut-out",
    when=lambda case: case.is_at("blend", CUT_OUT_BLEND),
)
def cut_out(p: Channels) -> Any:
    return np.where(p.mask >= p.mask_cutoff, 1.0, 0.0)


def is_blended(case: Case) -> bool:
    return case.is_at("blend", BLENDED) or (case.is_at("blend", BLENDED_BELOW) and not is_blended_below(case))


RULES.copy("geometry_opacity", "opacity", source="common practice: blended", when=is_blended)

PREMULTIPLIED = "common practice: blended by premultiplied alpha, which leaves the highlight and own light"


def _opacity_below(p: Channels) -> Any:
    """The opacity that leaves room for the highlight, which OpenPBR's fades as well."""
    return np.maximum(np.maximum(p.opacity, strongest_channel(_f0(p))), LEAST_BLENDED)


@RULES.rule(
    "geometry_opacity",
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    id="lit_blended_below",
    fidelity=APPROXIMATED,
    text=LIT + ", the highlight ÷ the {opacity} that fades it too ({blend})" + METAL,
    source=f"{LIT_SOURCE}; {PREMULTIPLIED}",
    when=is_blended_below,
    cut=("base_color",),
)
def lit_blended_below(p: Channels) -> Any:
    opacity = _opacity_below(p)
    base = base_of(_albedo(p) * p.opacity / opacity, uniform(np.clip(_f0(p) / opacity, 0.0, HIGHEST_F0), GGX, _highlight(p)[0]))
    return opacity, base.base_metalness, base.base_color, base.specular_ior, base.specular_color


@RULES.rule(
    "emission_color",
    "emission_luminance",
    id="emission_blended_below",
    needs=("specular", "exponent", "lighting", "opacity"),
    fidelity=EQUIVALENT,
    text="{emission} ÷ the opacity, which would dim it ({blend})",
    source=f"{PREMULTIPLIED}; OpenPBR 1.1: opacity takes own light as well",
    when=lambda case: is_blended_below(case) and case.is_set("emission"),
)
def emission_blended_below(p: Channels) -> Any:
    return p.emission, 1.0 / _opacity_below(p)


for _name in ("bleed", "bleed_mask"):
    RULES.drop(
        _name,
        id=f"drop_{_name}_blended_below",
        why="what is blended below its highlight lets no light bleed.",
        nearest="left out",
        when=is_blended_below,
    )


ADDED = "common practice: additive, picture behind + colour"


def is_added(case: Case) -> bool:
    return case.is_at("blend", ADDITIVE)


def is_added_and_lit(case: Case) -> bool:
    return is_added(case) and is_lit(case)


@RULES.rule(
    "transmission_weight",
    "specular_ior",
    "specular_roughness",
    "geometry_thin_walled",
    id="added_light",
    fidelity=EXACT,
    text="a clear sheet of index 1, which leaves what lies behind as it is and adds its own light ({blend}, {lighting})",
    source=f"{ADDED}; OpenPBR 1.1: thin-walled transmission",
    when=lambda case: is_added(case) and is_unlit(case),
)
def added_light(p: Channels) -> Any:
    return 1.0, 1.0, 0.0, True


@RULES.rule(
    "geometry_opacity",
    id="additive",
    fidelity=APPROXIMATED,
    text="as open as {diffuse} × {detail_color} ({detail_mask}) is dark ({lighting}): a lit surface that adds itself to what lies behind "
    "({blend}) has no place in OpenPBR; blended by its brightness is nearest",
    source=ADDED,
    when=is_added_and_lit,
)
def additive(p: Channels) -> Any:
    return _blended_by(p)


def _blended_by(p: Channels) -> Any:
    return np.clip(strongest_channel(detailed(p.diffuse, p.detail_color, p.detail_mask)), LEAST_BLENDED, 1.0)


LEAST_BLENDED = 0.05
"""Opacity of a dark surface that adds itself: its own light is divided by it, and must stay a number that one would type."""


@RULES.rule(
    "emission_color",
    "emission_luminance",
    id="added_emission",
    needs=("diffuse", "detail_color", "detail_mask"),
    fidelity=EQUIVALENT,
    text="{emission} ÷ the opacity, which would dim it ({blend})",
    source=f"{ADDED}; OpenPBR 1.1: opacity takes own light as well",
    when=lambda case: is_added_and_lit(case) and case.is_set("emission"),
)
def added_emission(p: Channels) -> Any:
    return p.emission, 1.0 / _blended_by(p)


RULES.drop(
    "mask",
    why="its blend mode does not cut out.",
    nearest="left out",
    when=lambda case: not case.is_at("blend", CUT_OUT_BLEND) and not is_multiplied(case),
)
RULES.drop(
    "opacity",
    why="its blend mode does not use it.",
    nearest="left out",
    when=lambda case: not case.is_at("blend", BLENDED) and not case.is_at("blend", BLENDED_BELOW) and not is_multiplied(case),
)
RULES.drop(
    "mask_cutoff", why="its blend mode does not cut out.", nearest="left out", when=lambda case: not case.is_at("blend", CUT_OUT_BLEND)
)


@RULES.rule(
    "subsurface_weight",
    "subsurface_color",
    "subsurface_scatter_anisotropy",
    "geometry_thin_walled",
    id="bled",
    fidelity=EQUIVALENT,
    text="{bleed} × {bleed_mask} through a sheet: its strongest channel as weight, all of it forward",
    source="OpenPBR 1.1: thin-walled subsurface, (1 + g)/2 of it comes out behind",
    when=bleeds,
)
def bled(p: Channels) -> Any:
    through = p.bleed * p.bleed_mask
    weight = strongest_channel(through)
    return weight, np.clip(through / np.maximum(weight, 1e-6), 0.0, 1.0), 1.0, True


RULES.drop("bending", why="what lies behind is bent in the picture, not by the surface.", nearest="seen straight through")
RULES.drop("vertex_offset", why="OpenPBR does not move the surface; the scene does.", nearest="the mesh as it stands")


add_emission_rule(RULES, is_bare=lambda case: not is_added_and_lit(case) and not is_blended_below(case))
add_extra_rules(RULES)
