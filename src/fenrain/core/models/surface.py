"""What several models say alike about a surface: its own light and its opacity."""

from __future__ import annotations

from fenrain.core.convert.rule import Case
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
