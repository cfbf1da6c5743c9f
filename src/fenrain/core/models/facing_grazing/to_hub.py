"""Materials with facing and grazing colours to OpenPBR: main and broad lobe become one reflection, the top lobe the coat."""

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.lobes.microfacet import GGX
from fenrain.core.models.additive import Base, Reflection, base_of, ggx_width, mean_width
from fenrain.core.models.emission_and_opacity import add_oren_nayar_rule, add_own_light_rules
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.models.facing_grazing.parameters import FacingGrazing, GlossLobe
from fenrain.core.models.facing_grazing.surface import signed_widths
from fenrain.core.models.open_pbr.inverse import base_ior_for, base_roughness_for
from fenrain.core.optics.diffuse import oren_nayar_albedo
from fenrain.core.optics.energy import left_below
from fenrain.core.optics.fresnel import GRAZING_COSINE, average_schlick_weight, fresnel_conductor, fresnel_schlick1994, ior_from_f0
from fenrain.core.optics.microfacet import roughness_from_widths_openpbr
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("facing_grazing.to_hub", FacingGrazing)
CURVE = "common practice: facing + (grazing − facing)(1 − cos θ)^p, Schlick 1994 for p = 5"
QUARTER = np.pi / 2.0


def has_top(case: Case) -> bool:
    return not case.is_at("top_weight", 0.0)


REFLECTANCE = ("weight", "facing", "grazing", "falloff", "by_index", "index", "extinction", "roughness", "distribution")
"""What the reflectance and the width of a lobe hang on."""


def of(lobe: str, *names: str) -> tuple[str, ...]:
    """Values of one lobe by the names under which the model knows them."""
    return tuple(f"{lobe}_{name}" for name in names)


def reflection_of(lobe: GlossLobe) -> Reflection:
    """The lobe in terms of F0, grazing reflectance at the exponent 5, reflectance near 82°, and GGX width."""
    alpha = ggx_width(lobe.distribution, np.square(lobe.roughness))
    if lobe.by_index:
        facing = fresnel_conductor(np.ones(1), lobe.index, lobe.extinction)
        return Reflection(
            lobe.weight * facing,
            lobe.weight * np.ones(3),
            lobe.weight * fresnel_conductor(GRAZING_COSINE, lobe.index, lobe.extinction),
            alpha,
        )
    edge = fresnel_schlick1994(np.asarray(GRAZING_COSINE), lobe.facing, lobe.grazing, lobe.falloff)
    share = average_schlick_weight(lobe.falloff) / average_schlick_weight()
    facing = np.where(lobe.falloff < 0.5, lobe.grazing, lobe.facing)
    grazing = np.clip(facing + (lobe.grazing - facing) * np.minimum(share, 1.0), 1e-3, 1.0)
    return Reflection(lobe.weight * facing, lobe.weight * grazing, lobe.weight * edge, alpha)


# Body and reflection


def _base(p: FacingGrazing) -> Base:
    """Main and broad lobe over the body."""
    lobes = [reflection_of(p.main), reflection_of(p.broad)]
    sent = [strongest_channel(lobe.f0) + 0.05 * strongest_channel(lobe.grazing) for lobe in lobes]
    alpha = mean_width([lobe.alpha for lobe in lobes], sent)
    together = Reflection(lobes[0].f0 + lobes[1].f0, lobes[0].grazing + lobes[1].grazing, lobes[0].edge + lobes[1].edge, alpha)
    below = p.diffuse_gain * oren_nayar_albedo(p.diffuse_roughness) * detailed(p.diffuse, p.detail_color, p.detail_mask)
    for lobe in lobes:
        below = below * left_below(np.clip(strongest_channel(lobe.f0), 0.0, 1.0), np.minimum(lobe.alpha, 1.0))
    return base_of(below, together)


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    id="base",
    needs=("diffuse_roughness", *of("main", *REFLECTANCE), *of("broad", *REFLECTANCE), *of("top", *REFLECTANCE), "detail_mask"),
    fidelity=APPROXIMATED,
    text="the main lobe ({main_weight} of {main_facing} to {main_grazing}, {main_roughness}) and the broad one ({broad_weight} of "
    "{broad_facing} to {broad_grazing}, {broad_roughness}) as one; metal where they stand over no body, else {diffuse_gain} × {diffuse} "
    "× {detail_color} below them; the index as seen below the top lobe ({top_weight})",
    source=f"{CURVE}; Fresnel equations for n, k (Born & Wolf §14.2); OpenPBR 1.1: F82 tint, body scaled by 1 − E",
    cut=("base_color",),
)
def base(p: FacingGrazing) -> Any:
    found = _base(p)
    below = base_ior_for(found.specular_ior, *_coat(p.top))
    return found.base_metalness, found.base_color, below, found.specular_color


def _widths(p: FacingGrazing) -> tuple[Any, Any, Any]:
    """(alpha_x, alpha_y, rotation) of the two lobes as one: the rotation is that of the stronger."""
    lobes = (p.main, p.broad)
    shares = [lobe.weight * np.ones_like(lobe.roughness) for lobe in lobes]
    pairs = [signed_widths(lobe.roughness, lobe.anisotropy) for lobe in lobes]
    alpha_x, alpha_y = (
        mean_width([ggx_width(lobe.distribution, pair[axis]) for lobe, pair in zip(lobes, pairs, strict=True)], shares) for axis in (0, 1)
    )
    return alpha_x, alpha_y, np.where(shares[0] >= shares[1], p.main.rotation, p.broad.rotation)


def _widths_caveat(p: FacingGrazing) -> Caveat:
    plain = not np.any(p.broad.weight) and not np.any(p.top.weight) and p.main.distribution == GGX
    return (EXACT, "") if plain else None


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    "geometry_tangent_rotation",
    id="roughness",
    fidelity=APPROXIMATED,
    text="the GGX widths of the main lobe ({main_weight}, {main_roughness}, {main_distribution}, {main_anisotropy} turned by "
    "{main_rotation}) and of the broad one ({broad_weight}, {broad_roughness}, {broad_distribution}, {broad_anisotropy}, "
    "{broad_rotation}) by weight, less what the top ({top_weight}, {top_roughness}, {top_distribution}) spreads; a sign turns by a quarter",
    source="Beckmann to GGX by least lobe error; OpenPBR 1.1: α_t, α_b solved for roughness and anisotropy",
    caveat=_widths_caveat,
)
def roughness(p: FacingGrazing) -> Any:
    seen, anisotropy, rotation = _openpbr_widths(*_widths(p))
    above = np.sqrt(ggx_width(p.top.distribution, np.square(p.top.roughness)))
    return base_roughness_for(seen, np.clip(p.top.weight, 0.0, 1.0), above), anisotropy, rotation


def _openpbr_widths(alpha_x: np.ndarray, alpha_y: np.ndarray, rotation: Any) -> tuple[Any, Any, Any]:
    """(roughness, anisotropy, rotation) with these widths: a highlight that is wider across the tangent is rotated by a quarter."""
    roughness, anisotropy = roughness_from_widths_openpbr(np.maximum(alpha_x, alpha_y), np.minimum(alpha_x, alpha_y))
    by_quarter = np.where(alpha_x < alpha_y, rotation + np.where(rotation > 0, -QUARTER, QUARTER), rotation)
    return roughness, anisotropy, np.where(anisotropy > 1e-6, by_quarter, 0.0)


add_oren_nayar_rule(RULES)


# The top lobe


def _tinted_top(p: FacingGrazing) -> Caveat:
    if np.ptp(np.asarray(p.top.facing), axis=-1).max() > 0.02:
        return APPROXIMATED, "OpenPBR's coat reflects without a tint; the strongest channel is taken."
    return None


@RULES.rule(
    "coat_weight",
    "coat_ior",
    "coat_darkening",
    id="coat",
    needs=(
        "top_by_index",
        "top_index",
        "top_extinction",
        "top_distribution",
    ),
    fidelity=APPROXIMATED,
    text="a clear coat that reflects {top_weight} of {top_facing} to {top_grazing} (p {top_falloff}; {top_roughness}), without darkening",
    source=f"{CURVE}; OpenPBR 1.1: coat",
    when=has_top,
    caveat=_tinted_top,
)
def coat(p: FacingGrazing) -> Any:
    return (*_coat(p.top), 0.0)


def _coat(lobe: GlossLobe) -> tuple[np.ndarray, np.ndarray]:
    """(weight, index) of the coat that reflects as the top lobe does."""
    top = reflection_of(lobe)
    weight = np.clip(strongest_channel(top.grazing), 0.0, 1.0) * (np.asarray(lobe.weight) > 0)
    return weight, ior_from_f0(np.clip(strongest_channel(top.f0) / np.maximum(weight, 1e-3), 0.0, 0.9))


@RULES.rule(
    "coat_roughness",
    "coat_roughness_anisotropy",
    "geometry_coat_tangent_rotation",
    id="coat_roughness",
    fidelity=APPROXIMATED,
    text="the GGX widths of {top_roughness} ({top_distribution}), {top_anisotropy} turned by {top_rotation}; below 0 a quarter turn",
    source="Beckmann to GGX by least lobe error; OpenPBR 1.1: α_t, α_b solved for roughness and anisotropy",
    when=has_top,
)
def coat_roughness(p: FacingGrazing) -> Any:
    wide, narrow = signed_widths(p.top.roughness, p.top.anisotropy)
    return _openpbr_widths(ggx_width(p.top.distribution, wide), ggx_width(p.top.distribution, narrow), p.top.rotation)


add_own_light_rules(RULES)
add_extra_rules(RULES)
