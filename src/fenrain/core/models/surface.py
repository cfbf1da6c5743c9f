"""What several models say alike about a surface: its own light and its opacity."""

from __future__ import annotations

from typing import Any

from fenrain.core.convert.rule import EQUIVALENT, Case, RuleSet
from fenrain.core.optics.arrays import Array, select

WHITE_LUMINANCE = 100.0
"""cd/m² that display white is taken for: radiance 1 in a rendered picture, and emission 1 in a model without a unit."""

OPAQUE, CUT_OUT_MODE, BLENDED = 0, 1, 2
"""The alpha modes of glTF 2.0 §3.9.4, as the MaterialX node `gltf_pbr` numbers them."""


def is_cut_out(case: Case) -> bool:
    """Whether opacity cuts the surface out, for models with glTF's alpha modes."""
    return case.is_at("alpha_mode", CUT_OUT_MODE)


def is_blended(case: Case) -> bool:
    return case.is_at("alpha_mode", BLENDED)


def shown_radiance(colour: Array, luminance: Array) -> Array:
    """Radiance relative to display white of emission stated in cd/m²."""
    return colour * (luminance / WHITE_LUMINANCE)


def shown_opacity(opacity: Array, mode: int, cutoff: Array) -> Array:
    """Opacity after the alpha mode (glTF 2.0 §3.9.4)."""
    if mode == OPAQUE:
        return 1.0
    return select(opacity >= cutoff, 1.0, 0.0) if mode == CUT_OUT_MODE else opacity


def add_own_light_rules(rules: RuleSet) -> None:
    """What every model with an `emission` relative to display white and an `opacity` says of them to OpenPBR."""

    @rules.rule(
        "emission_color",
        "emission_luminance",
        fidelity=EQUIVALENT,
        text=f"{{emission}}, white at {WHITE_LUMINANCE:g} cd/m²",
        source="relative to display white (common practice)",
        when=lambda case: case.says("emission"),
    )
    def glow(emission: Array) -> Any:
        return emission, WHITE_LUMINANCE

    rules.copy("geometry_opacity", "opacity", source="OpenPBR 1.1: geometry_opacity")
