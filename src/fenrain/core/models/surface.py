"""What several models say alike about a surface: its own light, its opacity, and the roughness of its body."""

from __future__ import annotations

from typing import Any

from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, Case, RuleSet
from fenrain.core.optics.arrays import Array, select
from fenrain.core.optics.diffuse import eon_of_oren_nayar

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
    add_glow_rule(rules)
    rules.copy("geometry_opacity", "opacity", source="OpenPBR 1.1: geometry_opacity")


def add_glow_rule(rules: RuleSet) -> None:
    """What every model with an `emission` relative to display white says of it to OpenPBR."""

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


def add_oren_nayar_rule(rules: RuleSet) -> None:
    """What every model with a `diffuse_roughness` after Oren & Nayar says of it to OpenPBR."""

    @rules.rule(
        "base_diffuse_roughness",
        fidelity=APPROXIMATED,
        text="EON roughness nearest to Oren & Nayar's {diffuse_roughness}",
        source="Oren & Nayar 1994; Portsmouth et al. 2024",
    )
    def diffuse_roughness(diffuse_roughness: Array) -> Any:
        return eon_of_oren_nayar(diffuse_roughness)
