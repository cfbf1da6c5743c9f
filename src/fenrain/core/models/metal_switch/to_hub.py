"""Materials with a metal switch to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.additive import TYPICAL_FRESNEL, width_of_stronger
from fenrain.core.models.emission_and_opacity import add_coated_emission_rule, add_emission_rule, add_opacity_rule
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.models.metal_switch.parameters import GLOSSINESS, MetalSwitch
from fenrain.core.models.open_pbr.inverse import base_reflection_for, below_rough_coat, one_gives_way
from fenrain.core.optics.energy import average_coat
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("metal_switch.to_hub", MetalSwitch)
PBR = "OpenPBR 1.1"


def is_metal(case: Case) -> bool:
    return case.is_at("metal", True)


def is_no_metal(case: Case) -> bool:
    return not is_metal(case)


def refracts(case: Case) -> bool:
    return is_no_metal(case) and not case.is_at("refraction", 0.0)


def has_subsurface(case: Case) -> bool:
    return is_no_metal(case) and not case.is_at("subsurface", 0.0)


def is_coated(case: Case) -> bool:
    return not case.is_at("coat", 0.0)


def roughness_of(finish: Any, stated_as: int) -> Any:
    return 1.0 - finish if stated_as == GLOSSINESS else finish


@RULES.rule(
    "base_color",
    id="base_color",
    fidelity=EXACT,
    text="{base_color} × {detail_color} ({detail_mask})",
    source=f"{PBR}: base_color of body and of metal",
)
def base_color(p: MetalSwitch) -> Any:
    return np.clip(detailed(p.base_color, p.detail_color, p.detail_mask), 0.0, 1.0)


@RULES.rule("base_metalness", id="metalness", fidelity=EXACT, text="{metal}: 1 for yes, 0 for no", source=f"{PBR}: base_metalness")
def metalness(p: MetalSwitch) -> Any:
    return 1.0 if p.metal else 0.0


def _wanted(p: MetalSwitch) -> tuple[Any, Any]:
    """(roughness of the base, energy that it reflects and lets through)."""
    own = roughness_of(p.finish, p.stated_as)
    if p.metal:
        return own, p.base_color.mean(axis=-1, keepdims=True)
    alphas = [np.square(own), np.square(roughness_of(p.refraction_finish, p.stated_as))]
    reflected = TYPICAL_FRESNEL * np.ones_like(p.finish)
    return np.sqrt(width_of_stronger(alphas, [reflected, p.refraction])), np.maximum(reflected, p.refraction)


def _one_finish(p: MetalSwitch) -> Caveat:
    alike = p.metal or not np.any(p.refraction) or np.array_equal(p.finish, p.refraction_finish)
    return (EXACT, "") if alike else None


@RULES.rule(
    "specular_roughness",
    id="roughness",
    needs=("base_color", "metal"),
    fidelity=APPROXIMATED,
    text="{finish} ({stated_as}) of the reflection or {refraction_finish} of the refraction ({refraction}), whichever sends more",
    source=f"{PBR}: α = r², one roughness for reflection and refraction",
    when=lambda case: not is_coated(case),
    caveat=_one_finish,
)
def roughness(p: MetalSwitch) -> Any:
    return _wanted(p)[0]


@RULES.rule(
    "specular_roughness",
    "coat_roughness",
    id="roughness_below_coat",
    needs=("base_color", "metal", "coat_ior"),
    fidelity=EQUIVALENT,
    text="{finish} ({stated_as}) of the reflection or {refraction_finish} of the refraction ({refraction}), whichever sends more, less "
    "what the coat ({coat}, {coat_finish}) spreads; that coat sharper where it would spread the base too much",
    source=f"{PBR}: α = r²; (2 rc⁴ + r⁴)^¼ below a coat",
    when=is_coated,
    caveat=lambda p: one_gives_way(_wanted(p)[0], p.coat, roughness_of(p.coat_finish, p.stated_as)) or _two_finishes(p),
)
def roughness_below_coat(p: MetalSwitch) -> Any:
    (wanted, sent), coat = _wanted(p), roughness_of(p.coat_finish, p.stated_as)
    return below_rough_coat(wanted, p.coat, coat, below=sent, above=p.coat * average_coat(p.coat_ior, coat))


def _two_finishes(p: MetalSwitch) -> Caveat:
    return None if _one_finish(p) else (APPROXIMATED, "OpenPBR has one roughness for what is reflected and what goes through.")


@RULES.rule(
    "specular_ior",
    "specular_weight",
    id="index",
    fidelity=EQUIVALENT,
    text="the index that is {ior} when seen below the coat ({coat} of {coat_ior})",
    source=f"{PBR}: below a coat the index counts relative to the coat's",
    when=is_no_metal,
)
def index(p: MetalSwitch) -> Any:
    return base_reflection_for(p.ior, p.coat, p.coat_ior)


for _name in ("ior", "refraction", "subsurface", "thin_walled"):
    RULES.drop(_name, why="a metal has no use for it.", nearest="left out", when=is_metal)


# Inside


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "transmission_depth",
    "transmission_scatter",
    id="inside",
    fidelity=EXACT,
    text="{refraction} clear, {absorption_color} at {absorption_distance}, scattering {scattering}",
    source=f"Beer–Lambert: T(x) = C^(x/D); {PBR}: transmission",
    when=refracts,
)
def inside(p: MetalSwitch) -> Any:
    return p.refraction, p.absorption_color, p.absorption_distance, p.scattering


@RULES.rule(
    "subsurface_weight",
    "subsurface_color",
    "subsurface_radius",
    "subsurface_radius_scale",
    id="subsurface",
    fidelity=EXACT,
    text="{subsurface} of {subsurface_color} over {subsurface_radius}: the longest as radius, the rest as its scale",
    source=f"{PBR}: subsurface",
    when=has_subsurface,
)
def subsurface(p: MetalSwitch) -> Any:
    longest = strongest_channel(p.subsurface_radius)
    return p.subsurface, p.subsurface_color, longest, np.clip(p.subsurface_radius / np.maximum(longest, 1e-6), 0.0, 1.0)


RULES.copy("geometry_thin_walled", "thin_walled", source=f"{PBR}: geometry_thin_walled", when=is_no_metal)


@RULES.rule(
    "coat_weight",
    "coat_ior",
    "coat_darkening",
    id="coat",
    fidelity=EQUIVALENT,
    text="{coat} of a coat with {coat_ior}, without darkening",
    source=f"{PBR}: coat",
    when=is_coated,
)
def coat(p: MetalSwitch) -> Any:
    return p.coat, p.coat_ior, 0.0


add_emission_rule(RULES, lambda case: not is_coated(case))
add_coated_emission_rule(RULES, lambda p: (p.coat, p.coat_ior), ("coat", "coat_ior"), is_coated)
add_opacity_rule(RULES)
add_extra_rules(RULES)
