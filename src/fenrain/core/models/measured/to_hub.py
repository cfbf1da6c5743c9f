"""Measured metals to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.models.extras import add_bump_rules
from fenrain.core.models.measured.parameters import Measured
from fenrain.core.optics.conductor import GAMUT_TOLERANCE, linear_reflectance, metal_tint_of
from fenrain.core.optics.microfacet import roughness_from_widths_openpbr, widths_materialx
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("measured.to_hub", Measured)


def _gamut_remark(p: Measured) -> Any:
    facing = linear_reflectance(np.asarray(p.table), 1.0)
    if facing.min() < -GAMUT_TOLERANCE or facing.max() > 1.0 + GAMUT_TOLERANCE:
        shown = ", ".join(f"{channel:.3g}" for channel in facing)
        return APPROXIMATED, f"Its colour ({shown}) lies outside of Rec.709 and is cut to it."
    return None


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_color",
    id="metal",
    fidelity=EQUIVALENT,
    text="facing reflectance of {table} under D65 in linear Rec.709, and its share of Schlick's curve near 82°",
    source="Fresnel equations for n, k (Born & Wolf §14.2); CIE 1931 2° and D65 (CIE 015:2018); F82 tint (Kutz et al. 2021)",
    caveat=_gamut_remark,
)
def metal(p: Measured) -> Any:
    facing, tint = metal_tint_of(np.asarray(p.table))
    return 1.0, facing, tint


@RULES.rule(
    "specular_roughness",
    "specular_roughness_anisotropy",
    "geometry_tangent_rotation",
    id="finish",
    fidelity=EXACT,
    text="{roughness} of 100, stretched by {anisotropy}, turned by {angle}°",
    source="common practice: α = (r/100)²; widths of MaterialX `roughness_anisotropy`, solved for OpenPBR's",
)
def finish(p: Measured) -> Any:
    alpha_x, alpha_y = widths_materialx(p.roughness / 100.0, p.anisotropy)
    found, stretched = roughness_from_widths_openpbr(alpha_x, alpha_y)
    return found, stretched, np.radians(p.angle)


RULES.copy("geometry_opacity", "opacity", source="OpenPBR 1.1: geometry_opacity")
add_bump_rules(RULES)
