"""Materials with a metal switch to OpenPBR."""

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, Caveat, RuleSet
from fenrain.core.models.additive import TYPICAL_FRESNEL, mean_width
from fenrain.core.models.extras import add_extra_rules, detailed
from fenrain.core.models.metal_switch.parameters import GLOSSINESS
from fenrain.core.models.open_pbr.inverse import base_ior_for, base_roughness_for
from fenrain.core.models.surface import add_own_light_rules

RULES = RuleSet("metal_switch.to_hub")
PBR = "OpenPBR 1.1"


def is_metal(case: Case) -> bool:
    return case.is_at("metal", True)


def is_no_metal(case: Case) -> bool:
    return not is_metal(case)


def refracts(case: Case) -> bool:
    return is_no_metal(case) and not case.is_at("refraction", 0.0)


def wanders(case: Case) -> bool:
    return is_no_metal(case) and not case.is_at("subsurface", 0.0)


def is_coated(case: Case) -> bool:
    return not case.is_at("coat", 0.0)


def roughness_of(finish, stated_as):
    return 1.0 - finish if stated_as == GLOSSINESS else finish


@RULES.rule(
    "base_color",
    fidelity=EXACT,
    text="{base_color} × {detail_color} ({detail_mask})",
    source=f"{PBR}: base_color of body and of metal",
)
def base_color(base_color, detail_color, detail_mask):
    return np.clip(detailed(base_color, detail_color, detail_mask), 0.0, 1.0)


@RULES.rule("base_metalness", fidelity=EXACT, text="{metal}: 1 for yes, 0 for no", source=f"{PBR}: base_metalness")
def metalness(metal):
    return 1.0 if metal else 0.0


def _one_finish(finish, refraction_finish, refraction, stated_as, coat, coat_finish) -> Caveat:
    alike = not np.any(refraction) or np.array_equal(finish, refraction_finish)
    return (EXACT, "") if alike and not np.any(coat) else None


@RULES.rule(
    "specular_roughness",
    fidelity=APPROXIMATED,
    text="{finish} ({stated_as}) of the reflection and {refraction_finish} of the refraction ({refraction}), weighed by how much they "
    "send; less what the coat ({coat}, {coat_finish}) spreads",
    source=f"{PBR}: α = r², one roughness for reflection and refraction; a coat widens what lies below",
    when=is_no_metal,
    caveat=_one_finish,
)
def roughness(finish, refraction_finish, refraction, stated_as, coat, coat_finish):
    alphas = [np.square(roughness_of(value, stated_as)) for value in (finish, refraction_finish)]
    wanted = np.sqrt(mean_width(alphas, [TYPICAL_FRESNEL * np.ones_like(finish), refraction]))
    return base_roughness_for(wanted, coat, roughness_of(coat_finish, stated_as))


@RULES.rule(
    "specular_roughness",
    fidelity=EQUIVALENT,
    text="{finish} ({stated_as}), less what the coat ({coat}, {coat_finish}) spreads",
    source=f"{PBR}: α = r²; a coat widens what lies below",
    when=is_metal,
)
def metal_roughness(finish, stated_as, coat, coat_finish):
    return base_roughness_for(roughness_of(finish, stated_as), coat, roughness_of(coat_finish, stated_as))


@RULES.rule(
    "specular_ior",
    fidelity=EQUIVALENT,
    text="the index that is {ior} when seen below the coat ({coat} of {coat_ior})",
    source=f"{PBR}: below a coat the index counts relative to the coat's",
    when=is_no_metal,
)
def index(ior, coat, coat_ior):
    return base_ior_for(ior, coat, coat_ior)


for _name in ("ior", "refraction", "subsurface", "thin_walled"):
    RULES.drop(_name, why="a metal has no use for it.", nearest="left out", when=is_metal)


# Inside


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "transmission_depth",
    "transmission_scatter",
    fidelity=EXACT,
    text="{refraction} clear, {absorption_color} at {absorption_distance}, scattering {scattering}",
    source=f"Beer–Lambert: T(x) = C^(x/D); {PBR}: transmission",
    when=refracts,
)
def inside(refraction, absorption_color, absorption_distance, scattering):
    return refraction, absorption_color, absorption_distance, scattering


@RULES.rule(
    "subsurface_weight",
    "subsurface_color",
    "subsurface_radius",
    "subsurface_radius_scale",
    fidelity=EXACT,
    text="{subsurface} of {subsurface_color} over {subsurface_radius}: the longest as radius, the rest as its scale",
    source=f"{PBR}: subsurface",
    when=wanders,
)
def subsurface(subsurface, subsurface_color, subsurface_radius):
    longest = strongest_channel(subsurface_radius)
    return subsurface, subsurface_color, longest, np.clip(subsurface_radius / np.maximum(longest, 1e-6), 0.0, 1.0)


RULES.copy("geometry_thin_walled", "thin_walled", source=f"{PBR}: geometry_thin_walled", when=is_no_metal)


@RULES.rule(
    "coat_weight",
    "coat_roughness",
    "coat_ior",
    "coat_darkening",
    fidelity=EQUIVALENT,
    text="{coat} of a coat with {coat_ior} and {coat_finish} ({stated_as}), without darkening",
    source=f"{PBR}: coat",
    when=is_coated,
)
def coat(coat, coat_ior, coat_finish, stated_as):
    return coat, roughness_of(coat_finish, stated_as), coat_ior, 0.0


add_own_light_rules(RULES)
add_extra_rules(RULES)
