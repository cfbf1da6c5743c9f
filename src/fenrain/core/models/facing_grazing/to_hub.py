"""Materials with facing and grazing colours to OpenPBR: main and broad lobe become one reflection, the top lobe the coat."""

from dataclasses import replace
from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.lobes.microfacet import GGX
from fenrain.core.models.additive import (
    BELOW_COAT,
    CLEAR_COAT,
    Base,
    Pair,
    Reflection,
    base_of,
    coat_of,
    ggx_width,
    kept_by,
    pair_of,
    scattering_of,
    together,
)
from fenrain.core.models.emission_and_opacity import add_coated_emission_rule, add_emission_rule, add_opacity_rule, add_oren_nayar_rule
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.models.facing_grazing.parameters import FacingGrazing, GlossLobe
from fenrain.core.models.facing_grazing.surface import signed_widths
from fenrain.core.models.open_pbr.inverse import base_reflection_for
from fenrain.core.optics.albedo import schlick_average_albedo
from fenrain.core.optics.diffuse import oren_nayar_albedo
from fenrain.core.optics.energy import left_below
from fenrain.core.optics.fresnel import GRAZING_COSINE, fresnel_conductor, fresnel_schlick1994, ior_from_f0, schlick_of_falloff
from fenrain.core.optics.microfacet import SMALLEST_ALPHA, mean_of_widths, roughness_from_widths_openpbr
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("facing_grazing.to_hub", FacingGrazing)
CURVE = "common practice: facing + (grazing − facing)(1 − cos θ)^p, Schlick 1994 for p = 5"


def has_coat(case: Case) -> bool:
    """Whether there is a top lobe, or the coat is free for one of two others."""
    return not case.is_at("top_weight", 0.0) or not (case.is_at("main_weight", 0.0) or case.is_at("broad_weight", 0.0))


REFLECTANCE = ("weight", "facing", "grazing", "falloff", "by_index", "index", "extinction", "roughness", "distribution")
"""What the reflectance and the width of a lobe depend on."""


def parameters_of(lobe: str, *names: str) -> tuple[str, ...]:
    """Values of one lobe by the names under which the model knows them."""
    return tuple(f"{lobe}_{name}" for name in names)


def reflection_of(lobe: GlossLobe) -> Reflection:
    """The lobe in terms of F0, grazing reflectance at the exponent 5, reflectance near 82°, and GGX width."""
    own = np.square(lobe.roughness)
    alpha, kept = ggx_width(lobe.distribution, own), kept_by(lobe.distribution, own)
    if lobe.by_index:
        facing = fresnel_conductor(np.ones(1), lobe.index, lobe.extinction)
        edge = fresnel_conductor(GRAZING_COSINE, lobe.index, lobe.extinction)
        return Reflection(facing, np.ones(3), edge, alpha, kept).dimmed(lobe.weight)
    steady, rising = schlick_of_falloff(lobe.falloff)
    facing = lobe.facing + (lobe.grazing - lobe.facing) * steady
    grazing = facing + (lobe.grazing - lobe.facing) * rising
    edge = fresnel_schlick1994(np.asarray(GRAZING_COSINE), lobe.facing, lobe.grazing, lobe.falloff)
    return Reflection(np.maximum(facing, 0.0), np.maximum(grazing, 0.0), edge, alpha, kept).dimmed(lobe.weight)


def taken_by(lobe: GlossLobe) -> Any:
    """Average share of light that the lobe takes from what lies below it, as the surface layers it."""
    ends = (fresnel_conductor(np.ones(1), lobe.index, lobe.extinction), np.ones(3)) if lobe.by_index else (lobe.facing, lobe.grazing)
    f0, f90 = (np.broadcast_to(end, np.broadcast_shapes(np.shape(end), (3,))).mean(axis=-1, keepdims=True) for end in ends)
    alpha, kind = np.clip(np.square(lobe.roughness), SMALLEST_ALPHA, 1.0), scattering_of(lobe.distribution)
    exponent = 5.0 if lobe.by_index else lobe.falloff
    return np.clip(lobe.weight * schlick_average_albedo(alpha, f0, f90, exponent=exponent, scattering=kind), 0.0, 1.0)


# Body and reflection


def _over_body(p: FacingGrazing) -> tuple[Any, Reflection, Reflection]:
    """(albedo of the body as it is seen, main lobe below the broad one, broad lobe)."""
    below_broad = 1.0 - taken_by(p.broad)
    body = p.diffuse_gain * oren_nayar_albedo(p.diffuse_roughness) * detailed(p.diffuse, p.detail_color, p.detail_mask)
    return body * (1.0 - taken_by(p.main)) * below_broad, reflection_of(p.main).dimmed(below_broad), reflection_of(p.broad)


WHOLE = ("weight", "facing", "grazing", "falloff", "by_index", "index", "extinction", "roughness", "distribution", "anisotropy", "rotation")
"""All that a lobe is made of."""
LOBES_NEED = (
    *parameters_of("main", *WHOLE),
    *parameters_of("broad", *WHOLE),
    *parameters_of("top", *WHOLE),
    *("diffuse_gain", "diffuse", "diffuse_roughness", "detail_color", "detail_mask"),
)


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    id="base",
    needs=("diffuse_roughness", *parameters_of("main", *REFLECTANCE), *parameters_of("broad", *REFLECTANCE), "detail_mask"),
    fidelity=APPROXIMATED,
    text="the main lobe ({main_weight} of {main_facing} to {main_grazing}, {main_roughness}) and the broad one ({broad_weight} of "
    "{broad_facing} to {broad_grazing}, {broad_roughness}), of which one is there; metal where it stands over no body, else {diffuse_gain} "
    "× {diffuse} × {detail_color} below it",
    source=f"{CURVE}; Fresnel equations for n, k (Born & Wolf §14.2); OpenPBR 1.1: F82 tint, body scaled by 1 − E",
    when=lambda case: not has_coat(case),
    cut=("base_color",),
)
def base(p: FacingGrazing) -> Any:
    body, main, broad = _over_body(p)
    found = base_of(body, together([main, broad]))
    return found.base_metalness, found.base_color, found.specular_ior, found.specular_color


def _tinted_top(p: FacingGrazing) -> Caveat:
    if np.any((np.asarray(p.top.weight) > 0) & (np.ptp(np.asarray(p.top.facing), axis=-1, keepdims=True) > 0.02)):
        return APPROXIMATED, "OpenPBR's coat reflects without a tint; the mean is taken."
    return None


COAT_SOURCE = f"{CURVE}; OpenPBR 1.1: coat, without darkening"
LOBES = (
    "the main lobe ({main_weight} of {main_facing} to {main_grazing}, {main_roughness}), the broad one ({broad_weight} of {broad_facing} "
    "to {broad_grazing}, {broad_roughness})"
)
TOP = "the top ({top_weight} of {top_facing} to {top_grazing}, {top_roughness})"


@RULES.rule(
    *BELOW_COAT,
    id="base_below_coat",
    needs=LOBES_NEED,
    fidelity=APPROXIMATED,
    text=f"of {LOBES} and {TOP} what is not the coat, as one; metal where that stands over no body, else {{diffuse_gain}} × {{diffuse}} × "
    "{detail_color} below it; as seen below the coat",
    source=f"{CURVE}; Fresnel equations for n, k (Born & Wolf §14.2); OpenPBR 1.1: F82 tint, body scaled by 1 − E",
    when=has_coat,
    cut=("base_color",),
)
def base_below_coat(p: FacingGrazing) -> Any:
    return _pair(p).below_coat()


@RULES.rule(
    *CLEAR_COAT,
    id="coat",
    needs=LOBES_NEED,
    fidelity=APPROXIMATED,
    text=f"a clear coat that reflects as much as {TOP}, or, where there is none, as the sharper of {LOBES}",
    source=COAT_SOURCE,
    when=has_coat,
    caveat=_tinted_top,
)
def coat(p: FacingGrazing) -> Any:
    return *_pair(p).coat(), 0.0


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    "geometry_tangent_rotation",
    "coat_roughness",
    "coat_roughness_anisotropy",
    "geometry_coat_tangent_rotation",
    id="widths_below_coat",
    needs=LOBES_NEED,
    fidelity=APPROXIMATED,
    text="the GGX widths of the coat's lobe and of the stronger below it, less what the coat spreads: main {main_roughness}, "
    "{main_distribution}, {main_anisotropy}, {main_rotation}; broad {broad_roughness}, {broad_distribution}, {broad_anisotropy}, "
    "{broad_rotation}; top {top_roughness}, {top_distribution}, {top_anisotropy}, {top_rotation}; a sign turns by a quarter",
    source="Beckmann to GGX by least lobe error; OpenPBR 1.1: α_t, α_b solved for roughness and anisotropy, (2 rc⁴ + r⁴)^¼ below a coat",
    when=has_coat,
)
def widths_below_coat(p: FacingGrazing) -> Any:
    pair, is_top = _pair(p), np.asarray(p.top.weight) > 0
    shapes = _shape(p.main), _shape(p.broad)
    sharp, other = (_either(pair.coat_is_first, shapes[i], shapes[1 - i]) for i in (0, 1))
    above = _either(is_top, _shape(p.top), sharp)
    below = _either(~is_top & (pair.coat_weight > 0), other, _shape_together(p))
    roughness, coat_roughness = pair.roughness(below[0], above[0])
    return roughness, *below[1:], coat_roughness, *above[1:]


def _pair(p: FacingGrazing) -> Pair:
    """The top lobe as coat where there is one, else the sharper of the two others."""
    body, main, broad = _over_body(p)
    pair, top = pair_of(body, main, broad), _below_top(p, body, together([main, broad]))
    is_top = np.asarray(p.top.weight) > 0
    return Pair(
        Base(*(np.where(is_top, getattr(top.base, name), getattr(pair.base, name)) for name in Base.__dataclass_fields__)),
        *(np.where(is_top, getattr(top, name), getattr(pair, name)) for name in Pair.__dataclass_fields__ if name != "base"),
    )


def _below_top(p: FacingGrazing, body: Any, lobe: Reflection) -> Pair:
    """One reflection over the body, below the top lobe as coat."""
    top = reflection_of(p.top)
    weight, facing = coat_of(top)
    passed = 1.0 - weight * (1.0 - left_below(facing, np.minimum(top.alpha, 1.0)))
    seen = (1.0 - taken_by(p.top)) / passed
    base = base_of(body * seen, lobe.dimmed(seen))
    ior, strength = base_reflection_for(base.specular_ior, weight, ior_from_f0(facing))
    energies = (part.average.mean(axis=-1, keepdims=True) for part in (lobe, top))
    whole = strength + (1.0 - strength) * base.base_metalness
    return Pair(replace(base, specular_ior=ior), whole, weight, ior_from_f0(facing), np.asarray(False), *energies)


Shape = tuple[Any, Any, Any]
"""Roughness, anisotropy and rotation of a lobe as OpenPBR states them."""


def _shape(lobe: GlossLobe) -> Shape:
    return _openpbr_shape(*mean_of_widths([_widths(lobe)], [np.ones(1)]))


def _shape_together(p: FacingGrazing) -> Shape:
    """Of the main and the broad lobe as one, the stronger counting more."""
    shares = [np.square(strongest_channel(reflection_of(lobe).average)) for lobe in (p.main, p.broad)]
    return _openpbr_shape(*mean_of_widths([_widths(p.main), _widths(p.broad)], shares))


def _either(where: Any, one: Shape, other: Shape) -> Shape:
    roughness, anisotropy, rotation = (np.where(where, first, second) for first, second in zip(one, other, strict=True))
    return roughness, anisotropy, rotation


def _widths(lobe: GlossLobe) -> tuple[Any, Any, Any]:
    """(alpha_x, alpha_y, rotation) of the GGX lobe nearest to this one."""
    alpha_x, alpha_y = (ggx_width(lobe.distribution, width) for width in signed_widths(lobe.roughness, lobe.anisotropy))
    return alpha_x, alpha_y, lobe.rotation


def _openpbr_shape(alpha_x: Any, alpha_y: Any, rotation: Any) -> Shape:
    roughness, anisotropy = roughness_from_widths_openpbr(alpha_x, alpha_y)
    stretched = anisotropy > 1e-6
    return np.minimum(roughness, 1.0), np.where(stretched, anisotropy, 0.0), np.where(stretched, rotation, 0.0)


def _widths_caveat(p: FacingGrazing) -> Caveat:
    plain = not np.any(p.broad.weight) and p.main.distribution == GGX
    return (EXACT, "") if plain else None


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    "geometry_tangent_rotation",
    id="roughness",
    needs=(*parameters_of("main", *WHOLE), *parameters_of("broad", *WHOLE)),
    fidelity=APPROXIMATED,
    text="the GGX widths of the main lobe ({main_weight}, {main_roughness}, {main_distribution}, {main_anisotropy}, {main_rotation}) or of "
    "the broad one ({broad_weight}, {broad_roughness}, {broad_distribution}, {broad_anisotropy}, {broad_rotation}), of which one is there; "
    "a sign turns by a quarter",
    source="Beckmann to GGX by least lobe error; OpenPBR 1.1: α_t, α_b solved for roughness and anisotropy",
    when=lambda case: not has_coat(case),
    caveat=_widths_caveat,
)
def roughness(p: FacingGrazing) -> Any:
    return _shape_together(p)


add_oren_nayar_rule(RULES)


add_emission_rule(RULES, lambda case: not has_coat(case))
add_coated_emission_rule(RULES, lambda p: _pair(p).coat(), LOBES_NEED, has_coat)
add_opacity_rule(RULES)
add_extra_rules(RULES)
