"""Materials with two glossinesses to OpenPBR."""

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, Caveat, RuleSet
from fenrain.core.lobes.microfacet import GGX
from fenrain.core.models.additive import (
    METAL_F0,
    TYPICAL_FRESNEL,
    Base,
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
from fenrain.core.models.surface import add_own_light_rules
from fenrain.core.optics.energy import left_below
from fenrain.core.optics.fresnel import f0_from_ior

RULES = RuleSet("gloss_pair.to_hub")
PRACTICE = "common practice"


def refracts(case: Case) -> bool:
    return not case.is_at("refraction", (0.0, 0.0, 0.0))


def has_volume(case: Case) -> bool:
    tinted = not case.is_at("volume_color", (1.0, 1.0, 1.0)) and not case.is_at("volume_strength", 0.0)
    return refracts(case) and tinted and not case.is_at("thin_walled", True)


def is_clear_throughout(case: Case) -> bool:
    return refracts(case) and not has_volume(case)


def _one_glossiness(
    reflection, refraction, reflection_glossiness, highlight_glossiness, refraction_glossiness, highlight_apart, distribution
) -> Caveat:
    used = [reflection_glossiness] if np.any(reflection) else []
    used += [highlight_glossiness] if highlight_apart and np.any(reflection) else []
    used += [refraction_glossiness] if np.any(refraction) else []
    if distribution == GGX and all(np.array_equal(glossiness, used[0]) for glossiness in used):
        return EXACT, ""
    return None


@RULES.rule(
    "specular_roughness",
    fidelity=APPROXIMATED,
    text="1 − glossiness: of {reflection} {reflection_glossiness} and, if apart ({highlight_apart}), {highlight_glossiness}; of "
    "{refraction} {refraction_glossiness}; as GGX ({distribution}); several weigh by how much they send",
    source=f"{PRACTICE}: α = (1 − g)²; OpenPBR 1.1: one roughness for reflection and refraction",
    caveat=_one_glossiness,
)
def roughness(reflection, refraction, reflection_glossiness, highlight_glossiness, refraction_glossiness, highlight_apart, distribution):
    alpha = _alpha(reflection_glossiness, distribution)
    if highlight_apart:
        alpha = 0.5 * (alpha + _alpha(highlight_glossiness, distribution))
    sent = [TYPICAL_FRESNEL * strongest_channel(reflection), strongest_channel(refraction)]
    return np.sqrt(mean_width([alpha, np.square(1.0 - refraction_glossiness)], sent))


# Body and reflection

RISING = f"{PRACTICE}: reflection × Fresnel(index); OpenPBR 1.1: specular_color × Fresnel(index)"
EVEN = f"{PRACTICE}: reflection at all angles; as a metal, or a dielectric with the same average"


def _alpha(reflection_glossiness, distribution):
    return ggx_width(distribution, np.square(1.0 - reflection_glossiness))


def _body_below(diffuse, reflection, reflected_share, detail_color, detail_mask):
    return detailed(diffuse, detail_color, detail_mask) * (1.0 - reflection * reflected_share)


RULES.copy("specular_ior", "ior", source=RISING, when=reflects_by_angle)


@RULES.rule(
    "specular_color",
    "specular_weight",
    fidelity=EQUIVALENT,
    text="{reflection} times the Fresnel reflectance of the index; none where it is black and nothing is clear ({refraction}); "
    "{angle_dependent}: by angle",
    source=RISING,
    when=reflects_by_angle,
)
def rising_reflection(reflection, refraction, angle_dependent):
    return reflection, presence(reflection, refraction)


@RULES.rule(
    "base_color",
    fidelity=APPROXIMATED,
    text="{diffuse} × {detail_color} ({detail_mask}) beside {refraction} below {reflection} of {ior} at {reflection_glossiness} "
    "({distribution}), divided by what OpenPBR's reflection lets through",
    source="OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    when=reflects_by_angle,
    cut=("base_color",),
)
def rising_body(diffuse, reflection, refraction, reflection_glossiness, ior, distribution, detail_color, detail_mask):
    f0 = presence(reflection, refraction) * f0_from_ior(np.maximum(ior, 1.0 / ior))
    below = left_below(f0, _alpha(reflection_glossiness, distribution))
    return _body_below(diffuse, reflection, 1.0 - below, detail_color, detail_mask) / below


def _even_base(diffuse, reflection, refraction, reflection_glossiness, distribution, detail_color, detail_mask) -> Base:
    body = _body_below(diffuse, reflection, 1.0, detail_color, detail_mask)
    opaque = body * (1.0 - refraction)
    return base_of(
        np.where(strongest_channel(refraction) > 0, body, opaque),
        uniform(reflection, _alpha(reflection_glossiness, distribution)),
        clear=strongest_channel(refraction),
    )


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_color",
    fidelity=APPROXIMATED,
    text="metal where {reflection} stands over no {diffuse} × {detail_color} ({detail_mask}) and no {refraction}; else the body, over "
    "what the reflection at {reflection_glossiness} ({distribution}) lets through; {angle_dependent}: at all angles",
    source=EVEN,
    when=reflects_evenly,
    cut=("base_color",),
)
def even_base(diffuse, reflection, refraction, reflection_glossiness, distribution, detail_color, detail_mask, angle_dependent):
    base = _even_base(diffuse, reflection, refraction, reflection_glossiness, distribution, detail_color, detail_mask)
    return base.base_metalness, base.base_color, base.specular_color


@RULES.rule(
    "specular_ior",
    fidelity=APPROXIMATED,
    text="index whose reflection has the average of {reflection} at {reflection_glossiness} ({distribution}); of a metal, which {diffuse} "
    f"and {{refraction}} decide, the index of F0 = {METAL_F0:g}",
    source=EVEN,
    when=lambda case: reflects_evenly(case) and not refracts(case),
)
def even_index(diffuse, reflection, refraction, reflection_glossiness, distribution):
    one = np.ones(1)
    return _even_base(diffuse, reflection, refraction, reflection_glossiness, distribution, np.ones(3), one).specular_ior


RULES.copy(
    "specular_ior",
    "ior",
    source="OpenPBR 1.1: one index for reflection and refraction; the bending is kept, the even reflection is not",
    fidelity=APPROXIMATED,
    when=lambda case: reflects_evenly(case) and refracts(case),
)
RULES.drop(
    "ior",
    why="it bends nothing, and the reflection does not follow it.",
    nearest="the index of the even reflection",
    when=lambda case: reflects_evenly(case) and not refracts(case),
)


# What goes through


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    fidelity=EQUIVALENT,
    text="{refraction}: its strongest channel as weight, the rest as tint",
    source=f"{PRACTICE}: refraction × (1 − Fresnel); OpenPBR 1.1, translucent base",
    when=is_clear_throughout,
    caveat=lambda refraction, diffuse: _mixed_remark(refraction, diffuse),
)
def clear(refraction, diffuse):
    weight, tint, _ = clear_share(refraction, diffuse)
    return weight, tint


def _mixed_remark(refraction, diffuse) -> Caveat:
    if np.ptp(np.asarray(refraction), axis=-1).max() > 0.02 and np.max(diffuse) > 0.02:
        return APPROXIMATED, "Refraction takes each channel from the body by its own amount; OpenPBR takes all by the strongest."
    return None


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "transmission_depth",
    fidelity=EQUIVALENT,
    text="{refraction} as weight; {volume_color} after 1 ÷ {volume_strength}",
    source="Beer–Lambert: T(x) = C^(x/D), D = unit ÷ strength; OpenPBR 1.1: transmission_color at transmission_depth",
    when=has_volume,
    caveat=lambda refraction, volume_color, volume_strength: _surface_tint_remark(refraction),
)
def tinted_by_depth(refraction, volume_color, volume_strength):
    return np.clip(strongest_channel(refraction), 0.0, 1.0), volume_color, 1.0 / np.maximum(volume_strength, 1e-6)


def _surface_tint_remark(refraction) -> Caveat:
    if np.ptp(np.asarray(refraction), axis=-1).max() > 0.02:
        return APPROXIMATED, "OpenPBR tints by depth or at the surface, not both; the tint of the surface is left out."
    return None


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
    why="an untinted inside stays clear at any strength.",
    nearest="left out",
    when=lambda case: is_clear_throughout(case) and not case.is_at("thin_walled", True),
)
RULES.drop("volume_color", why="its strength is 0.", nearest="left out", when=lambda case: case.is_at("volume_strength", 0.0))


add_own_light_rules(RULES)
add_extra_rules(RULES)
