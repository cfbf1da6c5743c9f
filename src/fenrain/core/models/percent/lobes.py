"""The look of a material of sliders: a reflection over a body that is opaque and clear in shares; energy is kept (common practice)."""

from typing import Any

from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.look import Look, Part, layered, weighted
from fenrain.core.lobes.microfacet import Microfacet, Schlick
from fenrain.core.lobes.solid import clear_body
from fenrain.core.models.extras import detailed, flaked
from fenrain.core.models.parameter import BODY, REFLECTION
from fenrain.core.models.surface import shown_radiance
from fenrain.core.optics.arrays import Array, is_absent, lerp, square
from fenrain.core.optics.fresnel import fading_grazing


def look(p: Any) -> Look:
    """Reflection over the mix of body and clear; stickers are opaque."""
    alpha, f0 = square(p.roughness / 100.0), p.reflectance / 100.0
    gloss = Part(Microfacet(alpha, alpha, Schlick(f0, fading_grazing(f0))), REFLECTION)
    clear = p.translucency / 100.0 * (1.0 - p.sticker_mask)
    color = body_colour(p.color, p.detail_color, p.detail_mask, p.sticker_color, p.sticker_mask)
    body = weighted(flaked((Part(Lambert(color), BODY),), p), 1.0 - clear)
    seen = () if is_absent(p.translucency) else weighted(clear_body(alpha, alpha, p.index, p.color), clear)
    return Look((*layered(gloss, body), *seen), emission=shown_radiance(p.filter_color, p.luminance), opacity=p.opacity / 100.0)


def body_colour(color: Array, detail_color: Array, detail_mask: Array, sticker_color: Array, sticker_mask: Array) -> Array:
    """The body with the second map and the sticker over it."""
    return lerp(detailed(color, detail_color, detail_mask), sticker_color, sticker_mask)
