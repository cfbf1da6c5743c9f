"""Materials with two glossinesses to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.lobes.microfacet import GGX
from fenrain.core.models.additive import (
    BELOW_COAT,
    CLEAR_COAT,
    METAL_F0,
    TYPICAL_FRESNEL,
    Base,
    EvenOverClear,
    Pair,
    Reflection,
    base_of,
    even_over_clear,
    ggx_width,
    kept_by,
    pair_of,
    presence,
    reflects_by_angle,
    reflects_evenly,
    scattering_of,
    together,
    transmission_share,
    uniform,
    width_of_stronger,
)
from fenrain.core.models.emission_and_opacity import add_coated_emission_rule, add_emission_rule, add_opacity_rule
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.models.gloss_pair.parameters import GlossPair
from fenrain.core.optics.energy import left_below_index
from fenrain.core.optics.fresnel import GRAZING_COSINE, f0_from_ior, fresnel_dielectric, modulated_ior
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("gloss_pair.to_hub", GlossPair)
PRACTICE = "common practice"


def refracts(case: Case) -> bool:
    return not case.is_at("refraction", (0.0, 0.0, 0.0))


def has_volume(case: Case) -> bool:
    tinted = not case.is_at("volume_color", (1.0, 1.0, 1.0)) and not case.is_at("volume_strength", 0.0)
    return refracts(case) and tinted and not case.is_at("thin_walled", True)


def is_transmissive_throughout(case: Case) -> bool:
    return refracts(case) and not has_volume(case)


def is_pair(case: Case) -> bool:
    """Whether lamps are mirrored apart by an opaque surface, whose coat is free for one of both glossinesses."""
    return case.is_at("lamps_apart", True) and not refracts(case)


def is_one(case: Case) -> bool:
    return not is_pair(case)


def is_one_by_angle(case: Case) -> bool:
    return is_one(case) and reflects_by_angle(case)


def is_one_evenly(case: Case) -> bool:
    return is_one(case) and reflects_evenly(case)


def _one_glossiness(p: GlossPair) -> Caveat:
    used = [p.reflection_glossiness] if np.any(p.reflection) else []
    used += [p.lamp_glossiness] if p.lamps_apart and np.any(p.reflection) else []
    used += [p.refraction_glossiness] if np.any(p.refraction) else []
    if p.distribution == GGX and all(np.array_equal(glossiness, used[0]) for glossiness in used):
        return EXACT, ""
    return None


@RULES.rule(
    "specular_roughness",
    id="roughness",
    fidelity=APPROXIMATED,
    text="1 − glossiness: of {reflection} {reflection_glossiness} and, if apart ({lamps_apart}), {lamp_glossiness}; of "
    "{refraction} {refraction_glossiness}; as GGX ({distribution}); of several that which sends most",
    source=f"{PRACTICE}: α = (1 − g)²; OpenPBR 1.1: one roughness for reflection and refraction",
    when=is_one,
    caveat=_one_glossiness,
)
def roughness(p: GlossPair) -> Any:
    alphas = [_alpha(p.reflection_glossiness, p.distribution), np.square(1.0 - p.refraction_glossiness)]
    sent = [TYPICAL_FRESNEL * strongest_channel(p.reflection), strongest_channel(p.refraction)]
    if p.lamps_apart:
        alphas, sent = [*alphas, _alpha(p.lamp_glossiness, p.distribution)], [0.5 * sent[0], sent[1], 0.5 * sent[0]]
    return np.sqrt(width_of_stronger(alphas, sent))


PAIR_NEEDS = (
    *("reflection", "ior", "angle_dependent", "distribution", "reflection_glossiness", "lamp_glossiness", "lamp_color"),
    *("diffuse", "detail_color", "detail_mask"),
)


HALVES = (
    "half of {reflection} ({ior}, {angle_dependent}, {distribution}) with {reflection_glossiness}, half, times {lamp_color}, with "
    "{lamp_glossiness} for lamps ({lamps_apart})"
)
PAIR_SOURCE = f"{PRACTICE}: α = (1 − g)²; OpenPBR 1.1: coat, without darkening; widths by the distance of GGX lobes"


@RULES.rule(
    *BELOW_COAT,
    id="two_glossinesses",
    fidelity=APPROXIMATED,
    text=f"{HALVES}: the broader as seen below the sharper, or both as one where they are closer than a coat without a tint; over "
    "{diffuse} × {detail_color} ({detail_mask}), of which nothing is clear ({refraction})",
    source=PAIR_SOURCE,
    when=is_pair,
    cut=("base_color",),
)
def two_glossinesses(p: GlossPair) -> Any:
    return _pair(p).below_coat()


@RULES.rule(
    *CLEAR_COAT,
    id="sharper_glossiness",
    needs=PAIR_NEEDS,
    fidelity=APPROXIMATED,
    text=f"{HALVES}: the sharper as a clear coat",
    source=PAIR_SOURCE,
    when=is_pair,
)
def sharper_glossiness(p: GlossPair) -> Any:
    return *_pair(p).coat(), 0.0


@RULES.rule(
    "specular_roughness",
    "coat_roughness",
    id="both_widths",
    needs=PAIR_NEEDS,
    fidelity=APPROXIMATED,
    text="1 − {reflection_glossiness} and 1 − {lamp_glossiness} as GGX ({distribution}), the sharper of the coat; less what that spreads",
    source=PAIR_SOURCE,
    when=is_pair,
)
def both_widths(p: GlossPair) -> Any:
    lobes, pair = _lobes(p), _pair(p)
    widths = [np.sqrt(lobe.alpha) for lobe in lobes]
    sharp, other = (np.where(pair.coat_is_first, widths[i], widths[1 - i]) for i in (0, 1))
    return pair.roughness(np.where(pair.coat_weight > 0, other, np.sqrt(together(lobes).alpha)), sharp)


def _lobes(p: GlossPair) -> list[Reflection]:
    """Half of the reflection with each glossiness."""
    mirrors = [(1.0 - p.reflection_glossiness, 1.0), (1.0 - p.lamp_glossiness, p.lamp_color)]
    return [_reflection(p, 0.5 * p.reflection * colour, np.square(finish)) for finish, colour in mirrors]


def _pair(p: GlossPair) -> Pair:
    taken = _taken_by_angle(p) if p.angle_dependent else _taken_evenly(p)
    return pair_of(detailed(p.diffuse, p.detail_color, p.detail_mask) * (1.0 - p.reflection * taken), *_lobes(p))


def _reflection(p: GlossPair, reflected: Any, alpha: Any) -> Reflection:
    """A share of the reflection with this width of its own distribution."""
    if not p.angle_dependent:
        return uniform(reflected, p.distribution, alpha)
    f0, edge = f0_from_ior(p.ior), fresnel_dielectric(np.asarray(GRAZING_COSINE), np.maximum(p.ior, 1e-3))
    shape = ggx_width(p.distribution, alpha), kept_by(p.distribution, alpha)
    return Reflection(reflected * f0, reflected * np.ones(3), reflected * edge, *shape)


def _taken_by_angle(p: GlossPair) -> Any:
    """Average share of light that a white reflection takes from the body, as the surface layers it."""
    return 1.0 - left_below_index(p.ior, np.square(1.0 - p.reflection_glossiness), scattering_of(p.distribution))


def _taken_evenly(p: GlossPair) -> Any:
    """The same of one that does not depend on the angle."""
    return kept_by(p.distribution, np.square(1.0 - p.reflection_glossiness))


RULES.drop(
    "lamp_color",
    why="what lets light through has one reflection for lamps and all else.",
    nearest="the reflection's own colour",
    when=lambda case: is_one(case) and case.is_at("lamps_apart", True),
)


# Body and reflection

RISING = f"{PRACTICE}: reflection × Fresnel(index); OpenPBR 1.1: specular_color × Fresnel(index)"
EVEN = f"{PRACTICE}: reflection at all angles; as a metal, or a dielectric with the same average"


def _alpha(glossiness: Any, distribution: int) -> Any:
    return ggx_width(distribution, np.square(1.0 - glossiness))


RULES.copy("specular_ior", "ior", source=RISING, when=is_one_by_angle)


@RULES.rule(
    "specular_color",
    "specular_weight",
    id="rising_reflection",
    fidelity=EQUIVALENT,
    text="{reflection} times the Fresnel reflectance of the index; none where it is black and nothing is clear ({refraction}); "
    "{angle_dependent}: by angle",
    source=RISING,
    when=is_one_by_angle,
)
def rising_reflection(p: GlossPair) -> Any:
    return p.reflection, presence(p.reflection, p.refraction)


@RULES.rule(
    "base_color",
    id="rising_body",
    fidelity=APPROXIMATED,
    text="{diffuse} × {detail_color} ({detail_mask}) beside {refraction} below {reflection} of {ior} at {reflection_glossiness} "
    "({distribution}), divided by what OpenPBR's reflection lets through",
    source="OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    when=is_one_by_angle,
    cut=("base_color",),
)
def rising_body(p: GlossPair) -> Any:
    seen = modulated_ior(p.ior, presence(p.reflection, p.refraction))
    below = left_below_index(seen, _alpha(p.reflection_glossiness, p.distribution))
    return detailed(p.diffuse, p.detail_color, p.detail_mask) * (1.0 - p.reflection * _taken_by_angle(p)) / below


def _even_base(p: GlossPair, diffuse: Any) -> Base:
    body = diffuse * (1.0 - p.reflection * _taken_evenly(p))
    return base_of(body, uniform(p.reflection, p.distribution, np.square(1.0 - p.reflection_glossiness)))


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_color",
    id="even_base",
    fidelity=APPROXIMATED,
    text="metal where {reflection} stands over no {diffuse} × {detail_color} ({detail_mask}); {refraction} is none; else the body, over "
    "what the reflection at {reflection_glossiness} ({distribution}) lets through; {angle_dependent}: at all angles",
    source=EVEN,
    when=lambda case: is_one_evenly(case) and not refracts(case),
    cut=("base_color",),
)
def even_base(p: GlossPair) -> Any:
    base = _even_base(p, detailed(p.diffuse, p.detail_color, p.detail_mask))
    return base.base_metalness, base.base_color, base.specular_color


@RULES.rule(
    "specular_ior",
    id="even_index",
    fidelity=APPROXIMATED,
    text="index whose reflection has the average of {reflection} at {reflection_glossiness} ({distribution}); of a metal, which {diffuse} "
    f"and {{refraction}} decide, the index of F0 = {METAL_F0:g}",
    source=EVEN,
    when=lambda case: is_one_evenly(case) and not refracts(case),
)
def even_index(p: GlossPair) -> Any:
    return _even_base(p, p.diffuse).specular_ior


def is_even_over_clear(case: Case) -> bool:
    return reflects_evenly(case) and refracts(case)


RULES.copy("specular_ior", "ior", id="specular_ior_of_glass", source="OpenPBR 1.1: specular_ior", when=is_even_over_clear)


def _even_over_clear(p: GlossPair) -> EvenOverClear:
    body = detailed(p.diffuse, p.detail_color, p.detail_mask) * (1.0 - p.reflection * _taken_evenly(p)) * (1.0 - p.refraction)
    return even_over_clear(p.reflection, p.refraction * (1.0 - p.reflection), body, p.ior)


EVEN_NEEDS = (
    *("reflection", "reflection_glossiness", "distribution", "angle_dependent", "refraction", "ior"),
    *("diffuse", "detail_color", "detail_mask"),
)


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_color",
    id="even_over_clear",
    needs=EVEN_NEEDS,
    fidelity=APPROXIMATED,
    text="a share of metal for {reflection} at all angles ({angle_dependent}), beside {refraction}, so that the index goes on bending; the "
    "interface's own reflection only as far as the metal's edge needs it",
    source="OpenPBR 1.1: metal and dielectric in shares; a metal's F0 is the same at all angles where its colour is 1",
    when=is_even_over_clear,
)
def even_reflection_over_clear(p: GlossPair) -> Any:
    found = _even_over_clear(p)
    return found.base_metalness, found.base_color, found.specular_color


RULES.drop(
    "ior",
    why="it bends nothing, and the reflection does not follow it.",
    nearest="the index of the even reflection",
    when=lambda case: reflects_evenly(case) and not refracts(case),
)


# What goes through


def _mixed_remark(p: GlossPair) -> Caveat:
    if np.ptp(np.asarray(p.refraction), axis=-1).max() > 0.02 and np.max(p.diffuse) > 0.02:
        return APPROXIMATED, "Refraction takes each channel from the body by its own amount; OpenPBR takes all by the strongest."
    return None


def _surface_tint_remark(p: GlossPair) -> Caveat:
    if np.ptp(np.asarray(p.refraction), axis=-1).max() > 0.02:
        return APPROXIMATED, "OpenPBR tints by depth or at the surface, not both; the tint of the surface is left out."
    return None


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    id="clear",
    needs=("diffuse",),
    fidelity=EQUIVALENT,
    text="{refraction}: its strongest channel as weight, the rest as tint",
    source=f"{PRACTICE}: refraction × (1 − Fresnel); OpenPBR 1.1, translucent base",
    when=lambda case: is_transmissive_throughout(case) and reflects_by_angle(case),
    caveat=_mixed_remark,
)
def clear(p: GlossPair) -> Any:
    weight, tint, _ = transmission_share(p.refraction, p.diffuse)
    return weight, tint


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "transmission_depth",
    id="tinted_by_depth",
    fidelity=EQUIVALENT,
    text="{refraction} as weight; {volume_color} after 1 ÷ {volume_strength}",
    source="Beer–Lambert: T(x) = C^(x/D), D = unit ÷ strength; OpenPBR 1.1: transmission_color at transmission_depth",
    when=lambda case: has_volume(case) and reflects_by_angle(case),
    caveat=_surface_tint_remark,
)
def tinted_by_depth(p: GlossPair) -> Any:
    return np.clip(strongest_channel(p.refraction), 0.0, 1.0), p.volume_color, 1.0 / np.maximum(p.volume_strength, 1e-6)


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    id="clear_beside_even",
    needs=EVEN_NEEDS,
    fidelity=EQUIVALENT,
    text="{refraction} below {reflection}, divided by the share that the even reflection ({angle_dependent}) leaves",
    source=f"{PRACTICE}: refraction × (1 − reflection); OpenPBR 1.1, translucent base",
    when=lambda case: is_transmissive_throughout(case) and reflects_evenly(case),
    caveat=_mixed_remark,
)
def clear_beside_even(p: GlossPair) -> Any:
    found = _even_over_clear(p)
    return found.transmission_weight, found.transmission_color


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "transmission_depth",
    id="tinted_beside_even",
    needs=EVEN_NEEDS,
    fidelity=APPROXIMATED,
    text="{volume_color} after 1 ÷ {volume_strength}, beside the even reflection {reflection} ({angle_dependent}); what {refraction} takes "
    "at the surface is left out where nothing is opaque beside",
    source="Beer–Lambert: T(x) = C^(x/D), D = unit ÷ strength; OpenPBR 1.1: tints by depth or at the surface, not both",
    when=lambda case: has_volume(case) and reflects_evenly(case),
)
def tinted_beside_even(p: GlossPair) -> Any:
    return _even_over_clear(p).transmission_weight, p.volume_color, 1.0 / np.maximum(p.volume_strength, 1e-6)


RULES.copy("geometry_thin_walled", "thin_walled", source="OpenPBR 1.1: geometry_thin_walled", when=refracts)
for _name in ("volume_color", "volume_strength"):
    RULES.drop(
        _name,
        why="a sheet has no inside that could tint.",
        nearest="the tint of the refraction",
        when=lambda case: refracts(case) and case.is_at("thin_walled", True),
    )

RULES.drop(
    "volume_strength",
    id="drop_volume_strength_untinted",
    why="an untinted inside stays clear at any strength.",
    nearest="left out",
    when=lambda case: is_transmissive_throughout(case) and not case.is_at("thin_walled", True),
)
RULES.drop(
    "volume_color",
    id="drop_volume_color_weak",
    why="its strength is 0.",
    nearest="left out",
    when=lambda case: case.is_at("volume_strength", 0.0),
)


add_emission_rule(RULES, is_one)
add_coated_emission_rule(RULES, lambda p: _pair(p).coat(), PAIR_NEEDS, is_pair)
add_opacity_rule(RULES)
add_extra_rules(RULES)
