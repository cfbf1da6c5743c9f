"""Own light, openings and relief."""

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.emission_and_opacity import BLENDED, CUT_OUT_MODE, OPAQUE
from fenrain.core.models.metal_rough.coat import NEEDED, clearcoat_of
from fenrain.core.models.metal_rough.from_hub.allowed import RULES, STRENGTH, loses_transmission
from fenrain.core.models.metal_rough.surface import CLEARCOAT_IOR
from fenrain.core.models.open_pbr.cases import (
    is_coated,
)
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import (
    emission_through_coat,
)
from fenrain.core.models.registry import rule_of
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.values import Computed, Constant, Value


def is_emissive(case: Case) -> bool:
    return case.is_set("emission_color") and not case.is_at("emission_luminance", 0.0)


def is_emissive_at_strength(case: Case) -> bool:
    return is_emissive(case) and case.allows(STRENGTH)


def is_emissive_in_core(case: Case) -> bool:
    return is_emissive(case) and not case.allows(STRENGTH)


def is_emissive_plainly(case: Case) -> bool:
    return is_emissive_at_strength(case) and not case.exceeds("emission_color", 1.0) and not is_coated(case)


def is_emissive_brightly(case: Case) -> bool:
    return is_emissive_at_strength(case) and not is_emissive_plainly(case)


RULES.copy("emissive", "emission_color", source="glTF 2.0 §3.9.3", when=is_emissive_plainly)
RULES.copy("emissive_strength", "emission_luminance", source="KHR_materials_emissive_strength", when=is_emissive_plainly)
EMISSION_NEEDS = (*NEEDED, "coat_color")


def _through(p: OpenPbr, held: bool) -> Any:
    """What OpenPBR's coat leaves of own light, over what glTF's does."""
    carried = clearcoat_of(p) * f0_from_ior(CLEARCOAT_IOR) if held else 0.0
    return emission_through_coat(p) / (1.0 - carried)


@RULES.rule(
    "emissive",
    "emissive_strength",
    id="bright_emission",
    needs=EMISSION_NEEDS,
    fidelity=EQUIVALENT,
    text="{emission_color} as seen through {coat_weight} of coat ({coat_ior}, {coat_color}), ÷ its strongest channel where that is above "
    "1, which {emission_luminance} is multiplied by",
    source="glTF 2.0 §3.9.3: emissiveFactor is at most 1; KHR_materials_emissive_strength; KHR_materials_clearcoat",
    when=is_emissive_brightly,
)
def bright_emission(p: OpenPbr) -> Any:
    seen = p.emission_color * _through(p, True)
    strongest = np.maximum(strongest_channel(seen), 1.0)
    return seen / strongest, p.emission_luminance * strongest


def _dim_caveat(p: OpenPbr) -> Caveat:
    wanted = (p.emission_color * p.emission_luminance).max()
    if wanted > 1:
        return APPROXIMATED, f"Core glTF stops at display white; {wanted:.4g} × white is dimmed to it, its hue kept."
    if np.any(p.transmission_weight * wanted > 0.0):
        return APPROXIMATED, "Blended glass of core glTF fades with its own light."
    return None


@RULES.rule(
    "emissive",
    id="dim_emission",
    needs=EMISSION_NEEDS,
    fidelity=EXACT,
    text="{emission_color} × {emission_luminance} as seen through {coat_weight} of coat ({coat_ior}, {coat_color}), its strongest channel "
    "at most 1",
    source="glTF 2.0 §3.9.3: emissiveFactor is at most 1",
    when=is_emissive_in_core,
    caveat=_dim_caveat,
)
def dim_emission(p: OpenPbr) -> Any:
    radiance = p.emission_color * p.emission_luminance * _through(p, False)
    return np.maximum(radiance, 0.0) / np.maximum(strongest_channel(radiance), 1.0)


# Cut-out and relief


def has_openings(case: Case) -> bool:
    return case.is_set("geometry_opacity") and not loses_transmission(case)


@RULES.choose(
    "alpha_mode",
    "geometry_opacity",
    id="alpha_mode",
    fidelity=EXACT,
    text="opaque, cut-out or blended, as {geometry_opacity} asks",
    source="glTF 2.0 §3.9.4",
    when=has_openings,
)
def alpha_mode(geometry_opacity: Value) -> int:
    if geometry_opacity == Constant(1.0):
        return OPAQUE
    made_by_cutting = isinstance(geometry_opacity, Computed) and rule_of(geometry_opacity.rule).binary
    return CUT_OUT_MODE if made_by_cutting or geometry_opacity == Constant(0.0) else BLENDED


RULES.copy("alpha", "geometry_opacity", source="glTF 2.0 §3.9.4", when=has_openings)


@RULES.rule(
    "alpha_mode",
    "alpha",
    id="blended_glass",
    fidelity=APPROXIMATED,
    text="blended, {geometry_opacity} × (1 − {transmission_weight}): what lies behind shows straight through, without tint, and the "
    "reflection fades as well",
    source="glTF 2.0 §3.9.4: core glTF has no transmission",
    when=loses_transmission,
)
def blended_glass(p: OpenPbr) -> Any:
    return BLENDED, p.geometry_opacity * (1.0 - p.transmission_weight)


RULES.drop("transmission_color", why="core glTF has no transmission, so nothing tints it.", nearest="clear", when=loses_transmission)
RULES.copy("normal", "geometry_normal", source="glTF 2.0 §3.9.3")
RULES.copy("occlusion", "occlusion", source="glTF 2.0 §3.9.3")
