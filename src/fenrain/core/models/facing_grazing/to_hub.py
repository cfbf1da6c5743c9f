"""Materials with facing and grazing colours to OpenPBR: main and broad lobe become one reflection, the top lobe the coat."""

from types import SimpleNamespace

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.convert.rule import APPROXIMATED, EXACT, Case, Caveat, RuleSet
from fenrain.core.models.additive import Base, Reflection, base_of, ggx_width, mean_width
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.models.facing_grazing.lobes import lobe_of, signed_widths
from fenrain.core.models.open_pbr.inverse import base_ior_for, base_roughness_for
from fenrain.core.models.surface import add_oren_nayar_rule, add_own_light_rules
from fenrain.core.optics.diffuse import oren_nayar_albedo
from fenrain.core.optics.energy import left_below
from fenrain.core.optics.fresnel import GRAZING_COSINE, average_schlick_weight, fresnel_conductor, fresnel_schlick1994, ior_from_f0
from fenrain.core.optics.microfacet import roughness_from_widths_openpbr

RULES = RuleSet("facing_grazing.to_hub")
CURVE = "common practice: facing + (grazing − facing)(1 − cos θ)^p, Schlick 1994 for p = 5"
QUARTER = np.pi / 2.0


def has(name: str):
    def there(case: Case) -> bool:
        return not case.is_at(f"{name}_weight", 0.0)

    return there


def reflection_of(lobe: SimpleNamespace) -> Reflection:
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


def _base(values) -> Base:
    """Main and broad lobe over the body."""
    lobes = [reflection_of(lobe_of(values, name)) for name in ("main", "broad")]
    sent = [strongest_channel(lobe.f0) + 0.05 * strongest_channel(lobe.grazing) for lobe in lobes]
    alpha = mean_width([lobe.alpha for lobe in lobes], sent)
    together = Reflection(lobes[0].f0 + lobes[1].f0, lobes[0].grazing + lobes[1].grazing, lobes[0].edge + lobes[1].edge, alpha)
    rough = oren_nayar_albedo(values["diffuse_roughness"])
    body = values["diffuse_gain"] * rough * detailed(values["diffuse"], values["detail_color"], values["detail_mask"])
    covered = body
    for lobe in lobes:
        covered = covered * left_below(np.clip(strongest_channel(lobe.f0), 0.0, 1.0), np.minimum(lobe.alpha, 1.0))
    return base_of(covered, together)


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    fidelity=APPROXIMATED,
    text="the main lobe ({main_weight} of {main_facing} to {main_grazing}, {main_roughness}) and the broad one ({broad_weight} of "
    "{broad_facing} to {broad_grazing}, {broad_roughness}) as one; metal where they stand over no body, else {diffuse_gain} × {diffuse} "
    "× {detail_color} below them; the index as seen below the top lobe ({top_weight})",
    source=f"{CURVE}; Fresnel equations for n, k (Born & Wolf §14.2); OpenPBR 1.1: F82 tint, body scaled by 1 − E",
    cut=("base_color",),
)
def base(
    diffuse_gain,
    diffuse,
    diffuse_roughness,
    main_weight,
    main_facing,
    main_grazing,
    main_falloff,
    main_by_index,
    main_index,
    main_extinction,
    main_roughness,
    main_distribution,
    broad_weight,
    broad_facing,
    broad_grazing,
    broad_falloff,
    broad_by_index,
    broad_index,
    broad_extinction,
    broad_roughness,
    broad_distribution,
    top_weight,
    top_facing,
    top_grazing,
    top_falloff,
    top_by_index,
    top_index,
    top_extinction,
    top_roughness,
    top_distribution,
    detail_color,
    detail_mask,
):
    values = locals()
    found = _base(values)
    below = base_ior_for(found.specular_ior, *_coat(values))
    return found.base_metalness, found.base_color, below, found.specular_color


def _widths(values) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(along, across, turn) of the two lobes as one: the turn is that of the stronger."""
    along, across, shares, turns = [], [], [], []
    for name in ("main", "broad"):
        lobe = lobe_of(values, name)
        wide, narrow = signed_widths(lobe.roughness, lobe.anisotropy)
        along.append(ggx_width(lobe.distribution, wide))
        across.append(ggx_width(lobe.distribution, narrow))
        shares.append(lobe.weight * np.ones_like(lobe.roughness))
        turns.append(lobe.rotation)
    stronger = shares[0] >= shares[1]
    return mean_width(along, shares), mean_width(across, shares), np.where(stronger, turns[0], turns[1])


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    "geometry_tangent_rotation",
    fidelity=APPROXIMATED,
    text="the GGX widths of the main lobe ({main_weight}, {main_roughness}, {main_distribution}, {main_anisotropy} turned by "
    "{main_rotation}) and of the broad one ({broad_weight}, {broad_roughness}, {broad_distribution}, {broad_anisotropy}, "
    "{broad_rotation}) by weight, less what the top ({top_weight}, {top_roughness}, {top_distribution}) spreads; a sign turns by a quarter",
    source="Beckmann to GGX by least lobe error; OpenPBR 1.1: α_t, α_b solved for roughness and anisotropy",
    caveat=lambda broad_weight, top_weight, main_distribution, **_: (
        (EXACT, "") if not np.any(broad_weight) and not np.any(top_weight) and main_distribution == 0 else None
    ),
)
def roughness(
    main_weight,
    main_roughness,
    main_distribution,
    main_anisotropy,
    main_rotation,
    broad_weight,
    broad_roughness,
    broad_distribution,
    broad_anisotropy,
    broad_rotation,
    top_weight,
    top_roughness,
    top_distribution,
):
    seen, anisotropy, turn = _openpbr_widths(*_widths(locals()))
    above = np.sqrt(ggx_width(top_distribution, np.square(top_roughness)))
    return base_roughness_for(seen, np.clip(top_weight, 0.0, 1.0), above), anisotropy, turn


def _openpbr_widths(along, across, turn):
    found, anisotropy = roughness_from_widths_openpbr(np.maximum(along, across), np.minimum(along, across))
    return found, anisotropy, np.where(anisotropy > 1e-6, np.where(along < across, turn + np.where(turn > 0, -QUARTER, QUARTER), turn), 0.0)


add_oren_nayar_rule(RULES)


# The top lobe


def _tinted_top(top_facing, **_) -> Caveat:
    if np.ptp(np.asarray(top_facing), axis=-1).max() > 0.02:
        return APPROXIMATED, "OpenPBR's coat reflects without a tint; the strongest channel is taken."
    return None


@RULES.rule(
    "coat_weight",
    "coat_ior",
    "coat_darkening",
    fidelity=APPROXIMATED,
    text="a clear coat that reflects {top_weight} of {top_facing} to {top_grazing} (p {top_falloff}; {top_roughness}), without darkening",
    source=f"{CURVE}; OpenPBR 1.1: coat",
    when=has("top"),
    caveat=_tinted_top,
)
def coat(top_weight, top_facing, top_grazing, top_falloff, top_by_index, top_index, top_extinction, top_roughness, top_distribution):
    return (*_coat(locals()), 0.0)


def _coat(values) -> tuple[np.ndarray, np.ndarray]:
    """(weight, index) of the coat that reflects as the top lobe does."""
    top = reflection_of(lobe_of(values, "top"))
    weight = np.clip(strongest_channel(top.grazing), 0.0, 1.0) * (np.asarray(values["top_weight"]) > 0)
    return weight, ior_from_f0(np.clip(strongest_channel(top.f0) / np.maximum(weight, 1e-3), 0.0, 0.9))


@RULES.rule(
    "coat_roughness",
    "coat_roughness_anisotropy",
    "geometry_coat_tangent_rotation",
    fidelity=APPROXIMATED,
    text="the GGX widths of {top_roughness} ({top_distribution}), {top_anisotropy} turned by {top_rotation}; below 0 a quarter turn",
    source="Beckmann to GGX by least lobe error; OpenPBR 1.1: α_t, α_b solved for roughness and anisotropy",
    when=has("top"),
)
def coat_roughness(top_roughness, top_distribution, top_anisotropy, top_rotation):
    wide, narrow = signed_widths(top_roughness, top_anisotropy)
    return _openpbr_widths(ggx_width(top_distribution, wide), ggx_width(top_distribution, narrow), top_rotation)


add_own_light_rules(RULES)
add_extra_rules(RULES)
